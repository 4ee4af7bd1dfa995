"""A shape: sparse offsets on the rest points."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Shape:
    """Offsets that are added to the rest points, before the skin.

    Parameters
    ----------
    name
        Shown to people; written as the morph target's name.
    vertices
        Indices ``(N,)`` of the vertices it moves, ascending.
    deltas
        Offsets ``(N, 3)`` float32 in the space of the vertices' part.
    weight
        Its constant weight where nothing triggers it.
    """

    name: str
    vertices: NDArray[np.int32]
    deltas: NDArray[np.float32]
    weight: float = 0.0

    @classmethod
    def from_dense(cls, name: str, deltas: NDArray[np.floating], least: float, weight: float = 0.0) -> Shape:
        """Keep the rows of dense offsets ``(V, 3)`` that are longer than `least`."""
        moved = np.flatnonzero(np.linalg.norm(deltas, axis=1) > least).astype(np.int32)
        return cls(name, moved, np.ascontiguousarray(deltas[moved], dtype=np.float32), weight)

    def dense(self, count: int) -> NDArray[np.float32]:
        """The offsets as ``(count, 3)``."""
        out = np.zeros((count, 3), dtype=np.float32)
        out[self.vertices] = self.deltas
        return out
