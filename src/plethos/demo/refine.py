"""Subdividing the cage and drawing it onto the implicit body."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.demo.cage import Cage
from plethos.demo.implicit import Field, Points, value_and_gradient

Quads = NDArray[np.int64]


def quad_normals(points: Points, quads: Quads) -> Points:
    """Unit vertex normals ``(N, 3)`` of a quad mesh."""
    across = np.cross(points[quads[:, 2]] - points[quads[:, 0]], points[quads[:, 3]] - points[quads[:, 1]])
    out = np.zeros_like(points)
    for k in range(4):
        np.add.at(out, quads[:, k], across)
    return np.asarray(out / np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-12))


def catmull_clark(cage: Cage) -> Cage:
    """One step of subdivision of a closed quad mesh (Catmull and Clark 1978); parts and mirror pairs go along."""
    n, quads = len(cage.points), cage.quads
    sides = np.sort(np.stack([quads, np.roll(quads, -1, axis=1)], axis=-1), axis=-1)  # (Q, 4, 2)
    edges, number = np.unique(sides.reshape(-1, 2), axis=0, return_inverse=True)
    number = number.reshape(-1, 4)
    e, q = len(edges), len(quads)
    one = np.ones
    face = sparse.csr_matrix((one(4 * q) / 4, (np.repeat(np.arange(q), 4), quads.ravel())), (q, n))
    ends = sparse.csr_matrix((one(2 * e) / 2, (np.repeat(np.arange(e), 2), edges.ravel())), (e, n))
    faces_of_edge = sparse.csr_matrix((one(4 * q) / 2, (number.ravel(), np.repeat(np.arange(q), 4))), (e, q))
    edge = 0.5 * ends + 0.5 * (faces_of_edge @ face)
    valence = np.bincount(edges.ravel(), minlength=n).astype(float)
    faces_of_vertex = sparse.csr_matrix((one(4 * q), (quads.ravel(), np.repeat(np.arange(q), 4))), (n, q))
    edges_of_vertex = sparse.csr_matrix((one(2 * e), (edges.ravel(), np.repeat(np.arange(e), 2))), (n, e))
    vertex = (
        sparse.diags(1 / valence**2) @ (faces_of_vertex @ face)
        + sparse.diags(2 / valence**2) @ (edges_of_vertex @ ends)
        + sparse.diags((valence - 3) / valence)
    )
    refine = sparse.vstack([vertex, edge, face]).tocsr()
    children = [
        np.stack([quads[:, k], n + number[:, k], n + e + np.arange(q), n + number[:, k - 1]], axis=1) for k in range(4)
    ]
    return Cage(
        refine @ cage.points,
        np.stack(children, axis=1).reshape(-1, 4),
        # An edge or a face takes the part of its first vertex; borders between parts need no more.
        np.concatenate([cage.parts, cage.parts[edges[:, 0]], cage.parts[quads[:, 0]]]),
        _mirror_pairs(cage, edges),
    )


def _mirror_pairs(cage: Cage, edges: Quads) -> NDArray[np.int64]:
    n, e = len(cage.points), len(edges)
    other = np.sort(cage.mirror[edges], axis=1)
    place = np.searchsorted(edges[:, 0] * n + edges[:, 1], other[:, 0] * n + other[:, 1])
    faces = {tuple(sorted(f)): i for i, f in enumerate(cage.quads.tolist())}
    across = [faces[tuple(sorted(f))] for f in cage.mirror[cage.quads].tolist()]
    return np.concatenate([cage.mirror, n + place, n + e + np.array(across)])


def project(cage: Cage, field: Callable[[Points], Field], steps: int, longest: float = 1.2) -> Points:
    """The points drawn onto the surface of the field by Newton steps, then made exactly symmetric."""
    own = np.flatnonzero(cage.points[:, 0] >= -1e-9)
    x = cage.points[own]
    for _ in range(steps):
        value, gradient = value_and_gradient(field, x)
        step = -(value / np.maximum((gradient * gradient).sum(1), 0.15))[:, None] * gradient
        length = np.linalg.norm(step, axis=1)
        x = x + step * np.minimum(1, longest / np.maximum(length, 1e-9))[:, None]
    points = cage.points.copy()
    points[own] = x
    middle = cage.mirror == np.arange(len(points))
    points[middle, 0] = 0
    paired = own[cage.mirror[own] != own]
    points[cage.mirror[paired]] = points[paired] * [-1, 1, 1]
    return points


def relax(cage: Cage, field: Callable[[Points], Field], rounds: int) -> Cage:
    """Even out the edges within the surface: tangential smoothing, projected back each time."""
    quads, n = cage.quads, len(cage.points)
    row, column = quads.ravel(), np.roll(quads, -1, axis=1).ravel()
    beside = sparse.csr_matrix((np.ones(len(row)), (row, column)), (n, n))
    beside = ((beside + beside.T) > 0).astype(float)
    average = sparse.diags(1 / np.asarray(beside.sum(1)).ravel()) @ beside
    for _ in range(rounds):
        normal = quad_normals(cage.points, quads)
        shift = average @ cage.points - cage.points
        shift -= normal * (shift * normal).sum(1, keepdims=True)
        cage = Cage(cage.points + 0.4 * shift, quads, cage.parts, cage.mirror)
        cage = Cage(project(cage, field, 1), quads, cage.parts, cage.mirror)
    return cage


def refine(cage: Cage, field: Callable[[Points], Field], rounds: tuple[int, ...] = (6, 4)) -> Cage:
    """Subdivide once for each entry of `rounds`, relaxing so many times on the surface after it."""
    for count in rounds:
        cage = catmull_clark(cage)
        cage = Cage(project(cage, field, 3), cage.quads, cage.parts, cage.mirror)
        cage = relax(cage, field, count)
        cage = Cage(project(cage, field, 2), cage.quads, cage.parts, cage.mirror)
    return cage
