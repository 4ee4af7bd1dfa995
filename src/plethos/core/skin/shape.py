"""A shape: sparse offsets of vertices."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from plethos.core.skeleton.mapping import VertexMap


@dataclass(frozen=True, eq=False)
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
    channels
        ``(N, C)`` float32 added to the channels of its vertices (a stroke's width); None = nothing.
    after_skin
        Whether it is added to the posed points instead, in the world: as some files have it.
    """

    name: str
    vertices: NDArray[np.int32]
    deltas: NDArray[np.float32]
    weight: float = 0.0
    channels: NDArray[np.float32] | None = None
    after_skin: bool = False

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

    def at(self, vertices: NDArray[np.integer]) -> NDArray[np.float32]:
        """The offsets ``(N, 3)`` of some vertices ``(N,)``, in any order."""
        if len(self.vertices) == 0:
            return np.zeros((len(vertices), 3), np.float32)
        place = np.minimum(np.searchsorted(self.vertices, vertices), len(self.vertices) - 1)
        return np.where((self.vertices[place] == vertices)[:, None], self.deltas[place], np.float32(0))

    def mapped(self, vertices: VertexMap | None, name: str) -> Shape:
        """The same on other vertices, called otherwise; None = on the same."""
        if vertices is None:
            return replace(self, name=name)
        there, rows = vertices.vertices(self.vertices)
        deltas = vertices.deltas(self.vertices[rows], self.deltas[rows]).astype(np.float32)
        return replace(
            self,
            name=name,
            vertices=there,
            deltas=np.ascontiguousarray(deltas),
            channels=None if self.channels is None else self.channels[rows],
        )
