"""A mask: some vertices, each with a share."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadEditError
from plethos.core.skeleton.mapping import VertexMap


@dataclass(frozen=True, eq=False)
class Mask:
    """How much something does at each vertex: what is not listed is 0.

    Parameters
    ----------
    vertices
        ``(N,)`` ascending, each once.
    shares
        ``(N,)`` float32, 0 to 1.
    """

    vertices: NDArray[np.int32]
    shares: NDArray[np.float32]

    def __post_init__(self) -> None:
        v, s = self.vertices, self.shares
        if v.shape != s.shape or v.ndim != 1 or not np.isfinite(s).all() or (len(v) and v.min() < 0):
            raise BadEditError("A mask needs as many shares as vertices, all of them finite.")
        if len(v) and (s.min() < 0 or s.max() > 1 or (np.diff(v) <= 0).any()):
            raise BadEditError("The shares of a mask have to lie between 0 and 1, its vertices to be named once.")

    @classmethod
    def of(cls, dense: NDArray[np.floating]) -> Mask:
        """The mask of the shares ``(V,)`` of all vertices."""
        inside = np.flatnonzero(dense > 0).astype(np.int32)
        return cls(inside, np.minimum(dense[inside], 1).astype(np.float32))

    def dense(self, count: int) -> NDArray[np.float32]:
        """The shares ``(count,)`` of all vertices."""
        out = np.zeros(count, dtype=np.float32)
        out[self.vertices] = self.shares
        return out

    def mapped(self, vertices: VertexMap | None) -> Mask:
        """The same on other vertices; None = on the same."""
        if vertices is None:
            return self
        there, rows = vertices.vertices(self.vertices)
        return Mask(there, self.shares[rows])
