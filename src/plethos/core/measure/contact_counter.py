"""How much of a whole character passes through itself, counted anew in each pose."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plethos.core.measure.clipping import Crossings
from plethos.core.skin.mesh import Mesh

REMEMBERED = 2  # how many counts of contacts: of a figure without remedies and with them


@dataclass(eq=False)
class ContactCounter:
    """Counts triangles of the whole character that cross others and did not at rest.

    What was counted last is remembered: while one edits in a pose, the figure without remedies stays as it is.
    """

    crossings: Crossings
    _last: tuple[tuple[NDArray[np.floating], int], ...] = ()

    @classmethod
    def of(cls, mesh: Mesh) -> ContactCounter:
        """For the triangles of a mesh."""
        return cls(Crossings(mesh))

    def count(self, points: NDArray[np.floating]) -> int:
        """Number of triangles in new contacts for posed points ``(V, 3)``."""
        known = next((k for k in self._last if np.array_equal(k[0], points)), None)
        if known is None:
            held = points.copy()  # whoever gave them may go on moving them
            known = (held, len(np.unique(self.crossings.posed(held).fresh)))
        others = [k for k in self._last if k is not known]
        self._last = (known, *others[: REMEMBERED - 1])
        return known[1]
