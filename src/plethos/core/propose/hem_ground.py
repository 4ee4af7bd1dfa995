"""What lies under a hem: the triangles that it may cross, and a count of those that it does."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.measure.contact import intersecting_pairs


@dataclass(frozen=True, eq=False)
class Ground:
    """A garment's triangles and those of everything else, near a place.

    Parameters
    ----------
    triangles
        ``(T, 3)`` vertex numbers, the garment's first.
    own
        How many are the garment's.
    at_rest
        Keys of the pairs that cross at rest.
    """

    triangles: NDArray[np.int32]
    own: int
    at_rest: NDArray[np.int64]

    @classmethod
    def of(cls, character: Character, garment: NDArray[np.bool_], near: NDArray[np.bool_]) -> Ground:
        """What lies near ``(V,)``."""
        t = character.mesh.topology.triangles
        t = t[near[t].all(axis=1)]
        own = garment[t].all(axis=1)
        both, count = np.vstack([t[own], t[~own]]), int(own.sum())
        blank = cls(both, count, np.zeros(0, np.int64))
        return cls(both, count, blank._keys(character.mesh.rest))

    def crossed(self, points: NDArray[np.floating]) -> NDArray[np.int32]:
        """The others' vertices ``(N,)`` that it crosses."""
        keys = self._keys(points)
        fresh = keys[~np.isin(keys, self.at_rest)] % len(self.triangles)
        return np.unique(self.triangles[fresh]).astype(np.int32)

    def count(self, points: NDArray[np.floating]) -> int:
        """How many pairs cross that did not at rest."""
        return int((~np.isin(self._keys(points), self.at_rest)).sum())

    def _keys(self, points: NDArray[np.floating]) -> NDArray[np.int64]:
        if not 0 < self.own < len(self.triangles):
            return np.zeros(0, np.int64)
        # What lies nowhere near the garment cannot cross it.
        corners = points[self.triangles]
        low, high = corners.min(axis=1), corners.max(axis=1)
        near = (high >= low[: self.own].min(axis=0)).all(axis=1) & (low <= high[: self.own].max(axis=0)).all(axis=1)
        near[: self.own] = True
        kept = np.flatnonzero(near)
        pairs = kept[intersecting_pairs(points, self.triangles[kept])]
        mixed = pairs[(pairs[:, 0] < self.own) & (pairs[:, 1] >= self.own)]
        return mixed[:, 0] * len(self.triangles) + mixed[:, 1]
