"""What the generator asks of quad meshes: normals, borders, averages, and surfaces that pass through themselves."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.measure.contact import intersecting_pairs
from plethos.demo.implicit import Points

Quads = NDArray[np.int64]


def quad_normals(points: Points, quads: Quads) -> Points:
    """Unit vertex normals ``(N, 3)`` of a quad mesh."""
    across = np.cross(points[quads[:, 2]] - points[quads[:, 0]], points[quads[:, 3]] - points[quads[:, 1]])
    out = np.zeros_like(points)
    for k in range(4):
        np.add.at(out, quads[:, k], across)
    return np.asarray(out / np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-12))


def triangles_of(quads: Quads) -> NDArray[np.int32]:
    """Two triangles a quad ``(2 Q, 3)``."""
    return np.ascontiguousarray(quads[:, [0, 1, 2, 0, 2, 3]].reshape(-1, 3), dtype=np.int32)


def neighbour_average(quads: Quads, count: int) -> sparse.csr_matrix:
    """The matrix that averages each vertex's neighbours along edges."""
    row, column = quads.ravel(), np.roll(quads, -1, axis=1).ravel()
    beside = sparse.csr_matrix((np.ones(len(row)), (row, column)), (count, count))
    beside = ((beside + beside.T) > 0).astype(float)
    return sparse.diags(1 / np.asarray(beside.sum(1)).ravel()) @ beside


def border(quads: Quads) -> Quads:
    """Edges ``(E, 2)`` with a face on one side only, in that face's own direction."""
    edges = np.concatenate([np.stack([quads[:, k], quads[:, (k + 1) % 4]], axis=1) for k in range(4)])
    present = {tuple(e) for e in edges.tolist()}
    return np.array([e for e in edges.tolist() if (e[1], e[0]) not in present])


def average_along(edges: Quads, count: int) -> sparse.csr_matrix:
    """The matrix that averages each border vertex's two neighbours along the border; others stay."""
    both = np.concatenate([edges, edges[:, ::-1]])
    matrix = sparse.csr_matrix((np.full(len(both), 0.5), (both[:, 0], both[:, 1])), (count, count))
    return (matrix + sparse.diags(1 - np.asarray(matrix.sum(axis=1)).ravel())).tocsr()


def crossing_vertices(meshes: list[tuple[Points, Quads]]) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Vertices of the first mesh whose triangles cross that mesh itself, and those that cross one of the others."""
    start, triangles = 0, []
    for points, quads in meshes:
        triangles.append(triangles_of(quads) + start)
        start += len(points)
    every = np.vstack(triangles).astype(np.int32)
    pairs = intersecting_pairs(np.vstack([p for p, _ in meshes]), every)
    own = pairs < len(triangles[0])
    itself, others = np.zeros(len(meshes[0][0]), bool), np.zeros(len(meshes[0][0]), bool)
    itself[every[pairs[own.all(axis=1)]].ravel()] = True
    mixed = own[:, 0] != own[:, 1]
    others[every[pairs[mixed][own[mixed]]].ravel()] = True
    return itself, others


def uncrossed(points: Points, quads: Quads, mirror: NDArray[np.int64] | None = None, rounds: int = 40) -> Points:
    """Points smoothed where the surface passes through itself (between thumb and palm), until it does not."""
    points, average = points.copy(), neighbour_average(quads, len(points))
    for _ in range(rounds):
        crossing, _ = crossing_vertices([(points, quads)])
        if not crossing.any():
            break
        near = np.minimum(1, average @ crossing.astype(float) * 2 + crossing)
        if mirror is not None:
            near = np.maximum(near, near[mirror])
        points += 0.5 * near[:, None] * (average @ points - points)
    return points
