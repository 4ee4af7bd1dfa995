"""The skin round what is pushed apart: what may move, and what crosses there."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import Topology
from plethos.core.measure.contact import fresh_pairs, intersecting_pairs

BEYOND = 0.05  # of the box of what may move: how much further it is looked at, since it moves
SPREAD = 5  # rings of neighbours that go along, so that the skin stays smooth


@dataclass(frozen=True, eq=False)
class PushRoom:
    """What is near to what may move; all of it counted among its own vertices.

    Parameters
    ----------
    local
        ``(N,)`` which vertices it has: those of the triangles in the bounding box of what moves and of some rings more.
    shares
        ``(N,)`` how far each may move.
    near
        ``(T, 3)`` the triangles in the box; crossings are sought among them.
    at_rest
        The pairs of them that cross at rest.
    beside
        ``(N, N)`` sparse: the mean of the neighbours of each.
    edge
        Median length of an edge, metres.
    """

    local: NDArray[np.intp]
    shares: Array
    near: NDArray[np.int32]
    at_rest: NDArray[np.int32]
    beside: sparse.csr_matrix
    edge: float

    @classmethod
    def of(cls, topology: Topology, points: Array, rest: NDArray[np.floating], shares: Array) -> PushRoom:
        moving = np.flatnonzero(topology.grow(shares > 0, SPREAD))
        low, high = points[moving].min(axis=0), points[moving].max(axis=0)
        low, high = low - BEYOND * (high - low), high + BEYOND * (high - low)
        within = ((points >= low) & (points <= high)).all(axis=1)
        # A triangle that only crosses the box without a corner in it is longer than the box is wide: there is none.
        near = topology.triangles[within[topology.triangles].any(axis=1)]
        local = np.union1d(near.reshape(-1), moving)
        number = np.full(topology.count, -1, np.int32)
        number[local] = np.arange(len(local), dtype=np.int32)
        near = np.ascontiguousarray(number[near])
        corners = points[local][near]
        edge = float(np.median(np.linalg.norm(corners[:, 0] - corners[:, 1], axis=1))) if len(near) else 1.0
        rows = topology.adjacency[local][:, local].astype(np.float64)
        counts = np.maximum(np.asarray(rows.sum(axis=1)).ravel(), 1)
        beside = sparse.csr_matrix(sparse.diags(1 / counts) @ rows)
        then = np.asarray(rest[local], np.float64)
        return cls(local, np.asarray(shares, np.float64)[local], near, intersecting_pairs(then, near), beside, edge)

    def pairs(self, points: Array) -> NDArray[np.int32]:
        """The pairs ``(P, 2)`` of triangles that cross and did not at rest, where a corner may move."""
        found = fresh_pairs(points, self.near, self.at_rest)
        return found[(self.shares > 0)[self.near[found]].any(axis=(1, 2))]

    @cached_property
    def free(self) -> Array:
        """How far each vertex ``(N,)`` may go of what all go, 0 to 1."""
        return np.clip(self.shares, 0, 1)

    def crossing(self, pairs: NDArray[np.int32], rings: int) -> NDArray[np.bool_]:
        """The vertices ``(N,)`` of triangles that cross, and so many rings round them."""
        caught = np.zeros(len(self.local), bool)
        caught[np.unique(self.near[pairs])] = True
        for _ in range(rings):
            caught = self.around(caught)
        return caught

    def around(self, mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """A mask widened by one ring."""
        return np.asarray(mask | (self.beside @ mask.astype(np.float64) > 0))

    def spread(self, way: Array) -> Array:
        """The ways ``(N, 3)`` with neighbours going along."""
        must = (way != 0).any(axis=1)[:, None]
        out = way
        for _ in range(SPREAD):
            out = 0.5 * (np.where(must, way, out) + self.beside @ out)
        return np.asarray(out)
