"""One picked region."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

PICKED = ""  # the name of the region that is being picked and has no name yet


@dataclass(frozen=True)
class PickedRegion:
    """Vertices, each with how much of it belongs to the region: 1 inside, less on a soft border.

    Parameters
    ----------
    name
        `PICKED` for what is picked at the moment, else the name that it is kept under.
    vertices
        ``(N,)`` indices into the character, ascending.
    shares
        ``(N,)`` float32 above 0, at most 1.
    """

    name: str
    vertices: NDArray[np.int32]
    shares: NDArray[np.float32]

    @classmethod
    def of(cls, name: str, dense: NDArray[np.floating]) -> PickedRegion:
        """The region of the shares ``(V,)`` of all vertices; shares under a thousandth are nothing."""
        inside = np.flatnonzero(dense > 1e-3).astype(np.int32)
        return cls(name, inside, np.minimum(dense[inside], 1).astype(np.float32))

    def dense(self, count: int) -> NDArray[np.float32]:
        """Shares ``(V,)`` of all `count` vertices."""
        out = np.zeros(count, dtype=np.float32)
        out[self.vertices] = self.shares
        return out
