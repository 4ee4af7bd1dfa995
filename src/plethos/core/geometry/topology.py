"""Topology of a triangle mesh: neighbours, borders, pieces, loops, normals."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numba as nb
import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse import csgraph

from plethos.core.geometry.rows import Whole

Points = NDArray[Any]
Corners = NDArray[np.int32]


def vertex_normals(points: Points, triangles: Corners) -> Points:
    """Area-weighted unit normals ``(V, 3)``; a vertex without area gets (0, 0, 0)."""
    a, b, c = (points[triangles[:, k]] for k in range(3))
    face = np.cross(b - a, c - a)
    out = np.empty_like(points)
    for axis in range(3):
        weights = np.repeat(face[:, axis], 3)
        out[:, axis] = np.bincount(triangles.ravel(), weights=weights, minlength=len(points))
    length = np.linalg.norm(out, axis=1, keepdims=True)
    return np.asarray(out / np.where(length > 0, length, 1))


def outward_normals(points: Points, topology: Topology) -> Points:
    """Unit normals ``(V, 3)`` that point out of each connected piece, even of one that is wound inside out.

    A piece is inside out when its signed volume about its own middle is negative; open ones have one too, roughly.
    """
    t, piece = topology.triangles, topology.pieces
    of_triangle, count = piece[t[:, 0]], int(piece.max(initial=-1)) + 1
    sizes = np.maximum(np.bincount(piece, minlength=count), 1)
    middle = np.stack([np.bincount(piece, weights=points[:, k], minlength=count) / sizes for k in range(3)], axis=1)
    a, b, c = (points[t[:, k]] - middle[of_triangle] for k in range(3))
    volume = np.bincount(of_triangle, weights=np.einsum("ti,ti->t", a, np.cross(b, c)), minlength=count)
    return np.asarray(vertex_normals(points, t) * np.where(volume < 0, -1.0, 1.0)[piece][:, None])


def triangle_edges(triangles: NDArray[Whole]) -> NDArray[Whole]:
    """Directed edges ``(3T, 2)`` in the order ab, bc, ca of each triangle."""
    return triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)


def boundary_loops(triangles: Corners) -> list[NDArray[np.int32]]:
    """The closed loops of edges that belong to one triangle only, each in the triangles' own direction.

    By hand: `igl.boundary_loop_all` tears borders that meet in a vertex into pieces that close nowhere (2.6, tried).
    """
    edges = triangle_edges(triangles)
    if len(edges) == 0:
        return []
    size = int(edges.max()) + 1
    forward = edges[:, 0].astype(np.int64) * size + edges[:, 1]
    backward = edges[:, 1].astype(np.int64) * size + edges[:, 0]
    border = edges[~np.isin(forward, backward)]
    following: dict[int, list[int]] = {}
    for a, b in border.tolist():
        following.setdefault(a, []).append(b)
    loops = []
    while following:
        start = next(iter(following))
        loop, at = [], start
        while at in following:
            loop.append(at)
            ahead = following[at].pop()
            if not following[at]:
                del following[at]
            at = ahead
            if at == start:
                break
        if at == start and len(loop) > 2:
            loops.append(np.array(loop, dtype=np.int32))
    return loops


@dataclass(frozen=True)
class Topology:
    """What is next to what.

    Parameters
    ----------
    count
        Number of vertices V.
    triangles
        ``(T, 3)`` vertex indices; triangles that name a vertex twice are left out by whoever builds this.
    lines
        ``(L, 2)`` vertices that are next to each other without a triangle: along outlines. None = none.
    """

    count: int
    triangles: Corners
    lines: NDArray[np.int32] | None = None

    @cached_property
    def edges(self) -> NDArray[np.int32]:
        """Undirected edges ``(E, 2)``, each once, smaller index first."""
        every = triangle_edges(self.triangles)
        if self.lines is not None:
            every = np.concatenate([every, self.lines])
        both = np.sort(every, axis=1).astype(np.int64)
        # As one number each: rows would be compared one by one. Sorted, which is five times as fast as hashing them.
        keys = np.sort(both[:, 0] * self.count + both[:, 1])
        keys = keys[np.diff(keys, prepend=-1) != 0]
        return np.stack(np.divmod(keys, max(self.count, 1)), axis=1).astype(np.int32)

    @cached_property
    def adjacency(self) -> sparse.csr_matrix:
        """Symmetric 0/1 matrix ``(V, V)`` of edges; its ``indptr`` and ``indices`` are the neighbour lists."""
        e = self.edges
        row, column = np.concatenate([e[:, 0], e[:, 1]]), np.concatenate([e[:, 1], e[:, 0]])
        matrix = sparse.csr_matrix((np.ones(len(row), np.float32), (row, column)), (self.count, self.count))
        matrix.sort_indices()
        return matrix

    def mean_beside(self, values: Points, vertices: NDArray[Any]) -> Points:
        """The mean of `values` ``(V, C)`` over the neighbours of some vertices: ``(N, C)``, 0 where there are none."""
        beside = self.adjacency[vertices]
        count = np.maximum(np.asarray(beside.sum(axis=1)).ravel(), 1)
        return np.asarray(beside @ values) / count[:, None]

    @cached_property
    def vertex_triangles(self) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        """CSR lists of the triangles round each vertex: ``offsets (V + 1,)`` and ``triangles``."""
        flat = self.triangles.ravel()
        order = np.argsort(flat, kind="stable")
        offsets = np.concatenate([[0], np.cumsum(np.bincount(flat, minlength=self.count))])
        return offsets.astype(np.int32), (order // 3).astype(np.int32)

    @cached_property
    def pieces(self) -> NDArray[np.int32]:
        """Number ``(V,)`` of the connected piece that each vertex belongs to."""
        return np.asarray(csgraph.connected_components(self.adjacency, directed=False)[1], dtype=np.int32)

    def patches(self, mask: NDArray[np.bool_]) -> tuple[int, NDArray[np.int32]]:
        """How many connected patches the mask ``(V,)`` has, and the number of each vertex's ``(V,)``, -1 outside."""
        beside: Any = self.adjacency
        number = np.full(self.count, -1, dtype=np.int32)
        return _flood(beside.indptr, beside.indices, np.flatnonzero(mask), mask, number), number

    def grow(self, mask: NDArray[np.bool_], rings: int) -> NDArray[np.bool_]:
        """The mask ``(V,)`` widened by so many rings of neighbours."""
        for _ in range(rings):
            mask = mask | (self.adjacency @ mask.astype(np.float32) > 0)
        return mask


@nb.njit(cache=True, nogil=True)
def _flood(starts, neighbours, seeds, mask, number):  # type: ignore[no-untyped-def]
    """Number the patches of the mask, whose vertices are the seeds, into `number`: -1 before. How many there are."""
    waiting = np.empty(len(mask), np.int32)
    patches = 0
    for seed in seeds:
        if number[seed] >= 0:
            continue
        number[seed], waiting[0], count = patches, seed, 1
        while count > 0:
            count -= 1
            v = waiting[count]
            for e in range(starts[v], starts[v + 1]):
                other = neighbours[e]
                if mask[other] and number[other] < 0:
                    number[other] = patches
                    waiting[count] = other
                    count += 1
        patches += 1
    return patches


FARTHEST = 1e9  # metres from the origin
NOWHERE = "With this the skin would lie nowhere: a number is far too large."


def is_somewhere(places: NDArray[np.floating]) -> bool:
    """Whether all coordinates are finite, and so small that something can be seen there."""
    return bool(np.abs(places).max(initial=0.0) < FARTHEST)


def extent(points: Points) -> float:
    """The longest side of the bounding box: what stands for a character's height in tolerances."""
    if not len(points):
        return 0.0
    along = np.ascontiguousarray(points.T)  # NumPy goes along rows twenty times as fast as down columns
    return float((along.max(axis=1) - along.min(axis=1)).max())


def distance_over_surface(topology: Topology, points: Points, seed: NDArray[np.bool_], limit: float) -> NDArray[Any]:
    """How far each vertex ``(V,)`` is from the seed ``(V,)`` along edges, metres; infinite beyond `limit`."""
    edges = topology.edges
    length = np.linalg.norm(points[edges[:, 0]] - points[edges[:, 1]], axis=1).astype(np.float64)
    size = (topology.count, topology.count)
    graph = sparse.csr_matrix((np.maximum(length, 1e-12), (edges[:, 0], edges[:, 1])), size)
    found = csgraph.dijkstra(graph, directed=False, indices=np.flatnonzero(seed), min_only=True, limit=limit)
    return np.asarray(found)
