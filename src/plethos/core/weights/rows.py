"""Weights by joint of which only the rows that are touched are laid out: a brush touches few of a large skin."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.geometry.topology import Topology
from plethos.core.weights.heated import mixed

Rows = NDArray[np.float64]


class WeightRows:
    """Weights ``(V, J)``, read and written by rows.

    Parameters
    ----------
    stored
        ``(V, J)`` as they were: see `Binding.by_vertex`.
    """

    def __init__(self, stored: sparse.csr_matrix) -> None:
        self.stored = stored
        self.shape: tuple[int, int] = stored.shape
        self._slot = np.full(self.shape[0], -1, np.int32)
        self._laid: Rows = np.zeros((0, self.shape[1]))
        self._count = 0

    def __getitem__(self, vertices: NDArray[np.integer]) -> Rows:
        """The rows ``(N, J)`` of some vertices, a copy."""
        slots = self._slot[vertices]
        out = np.empty((len(slots), self.shape[1]))
        laid = slots >= 0
        out[laid] = self._laid[slots[laid]]
        out[~laid] = self.stored[vertices[~laid]].toarray()
        return out

    def __setitem__(self, vertices: NDArray[np.integer], rows: Rows) -> None:
        """Put rows ``(N, J)`` in place of those of some vertices."""
        fresh = np.unique(vertices[self._slot[vertices] < 0])
        self._slot[fresh] = np.arange(self._count, self._count + len(fresh))
        self._count += len(fresh)
        if self._count > len(self._laid):
            self._laid = np.concatenate([self._laid, np.zeros((self._count, self.shape[1]))])
        self._laid[self._slot[vertices]] = rows

    def column(self, joint: int) -> Rows:
        """One joint's weights ``(V,)``."""
        out = self.stored.getcol(joint).toarray().ravel()
        touched = self.touched
        out[touched] = self._laid[self._slot[touched], joint]
        return np.asarray(out)

    @property
    def touched(self) -> NDArray[np.int64]:
        """The vertices whose rows were put."""
        return np.flatnonzero(self._slot >= 0)

    def mean_beside(self, topology: Topology, vertices: NDArray[Any]) -> Rows:
        """The mean of the rows of the neighbours of some vertices ``(N, J)``, 0 where there are none."""
        beside = topology.adjacency[vertices]
        around, places = np.unique(beside.indices, return_inverse=True)
        near = sparse.csr_matrix((beside.data, places, beside.indptr), (beside.shape[0], len(around)))
        count = np.maximum(np.asarray(beside.sum(axis=1)).ravel(), 1)
        return np.asarray(near @ self[around]) / count[:, None]

    def over(self, other: sparse.csr_matrix | None = None) -> sparse.csr_matrix:
        """All weights; over others' ``(V, J)``, only the rows that are not as they were are put in place of theirs."""
        touched = self.touched
        if other is not None:
            touched = touched[(self[touched] != self.stored[touched].toarray()).any(axis=1)]
        return with_rows(self.stored if other is None else other, touched, sparse.csr_matrix(self[touched]))


def with_rows(weights: sparse.csr_matrix, vertices: NDArray[np.integer], rows: sparse.csr_matrix) -> sparse.csr_matrix:
    """Weights ``(V, J)`` with rows ``(N, J)`` in place of those of some vertices, which ascend."""
    starts = np.zeros(weights.shape[0] + 1, np.int64)
    starts[vertices + 1] = np.diff(rows.indptr)
    put = np.zeros(weights.shape[0])
    put[vertices] = 1
    fresh = sparse.csr_matrix((rows.data, rows.indices, np.cumsum(starts)), weights.shape)
    return mixed(weights, fresh, put)
