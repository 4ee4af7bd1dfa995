"""Where a brush may work."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.skin.picked import PICKED


@dataclass(frozen=True)
class Within:
    """Inside a region, or outside of it.

    Parameters
    ----------
    region
        The name of a region; `PICKED` for what is picked.
    outside
        Whether everything but the region is meant: the region is locked.
    """

    region: str = PICKED
    outside: bool = False

    def shares(self, character: Character) -> NDArray[np.float32]:
        """How much the brush does at each vertex ``(V,)``."""
        shares = character.region(self.region)
        if not shares.any():
            raise BadEditError("The region holds no vertex: pick some first, or let the brush work everywhere.")
        return 1 - shares if self.outside else shares
