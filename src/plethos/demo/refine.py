"""Subdividing the cage and drawing it onto the implicit body."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.geometry.rows import distinct_rows
from plethos.demo.cage import Cage
from plethos.demo.face import open_face
from plethos.demo.head import EYE, EYEBALL
from plethos.demo.implicit import Field, Points, value_and_gradient
from plethos.demo.quads import Quads, neighbour_average, quad_normals, uncrossed


def catmull_clark(cage: Cage) -> Cage:
    """One step of subdivision of a closed quad mesh (Catmull and Clark 1978); parts and mirror pairs go along."""
    n, quads = len(cage.points), cage.quads
    sides = np.sort(np.stack([quads, np.roll(quads, -1, axis=1)], axis=-1), axis=-1)  # (Q, 4, 2)
    edges, number = distinct_rows(sides.reshape(-1, 2))
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
        np.vstack([cage.grid, cage.grid[edges].mean(axis=1), cage.grid[quads].mean(axis=1)]),
        np.concatenate([cage.pinned, cage.pinned[edges].all(axis=1), cage.pinned[quads].all(axis=1)]),
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
    own = np.flatnonzero((cage.points[:, 0] >= -1e-9) & ~cage.pinned)
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
    average = neighbour_average(quads, n)
    for _ in range(rounds):
        normal = quad_normals(cage.points, quads)
        shift = average @ cage.points - cage.points
        shift -= normal * (shift * normal).sum(1, keepdims=True)
        shift[cage.pinned] = 0
        cage = replace(cage, points=cage.points + 0.4 * shift)
        cage = replace(cage, points=project(cage, field, 1))
    return cage


def refine(cage: Cage, field: Callable[[Points], Field]) -> Cage:
    """Subdivide twice, each time drawn onto the field and evened out; lids, lips and ears are cut in between."""
    for cut, rounds in ((lambda c: open_face(c, field), 6), (None, 4)):
        cage = catmull_clark(cage)
        cage = replace(cage, points=project(cage, field, 3))
        cage = relax(cage, field, rounds)
        cage = replace(cage, points=project(cage, field, 2))
        if cut is not None:
            cage = cut(cage)
    cage = thin_out(soften(cage))
    points = uncrossed(cage.points, cage.quads, cage.mirror)
    return replace(cage, points=0.5 * (points + points[cage.mirror] * [-1, 1, 1]))


def soften(cage: Cage, rounds: int = 3) -> Cage:
    """Smooth the face: where features meet, the implicit surface creases more than a face does."""
    average = neighbour_average(cage.quads, len(cage.points))
    face = ((cage.parts == "head") & ~cage.pinned & (cage.grid[:, 0] > 2.5) & (cage.grid[:, 0] < 11)).astype(float)
    points = cage.points.copy()
    for _ in range(rounds):
        points += 0.45 * face[:, None] * (average @ points - points)
    # The lids stay off the eyeballs.
    centre = np.where(points[:, :1] < 0, EYE * [-1, 1, 1], EYE)
    off = points - centre
    distance = np.linalg.norm(off, axis=1, keepdims=True)
    points += off / np.maximum(distance, 1e-9) * np.clip(EYEBALL + 0.08 - distance, 0, 1)
    return replace(cage, points=points)


# Between these cage rings of a limb, far from its joints, every other loop is left out: parts and first ring.
SPARE = {"arm": (2, 3, 7, 8, 9), "leg": (0, 1, 2, 7, 8, 9), "head": (0, 1, 10), "foot": (0, 2, 3)}


def thin_out(cage: Cage) -> Cage:
    """Dissolve edge loops where a limb only has to be round, so that the vertices lie where they are needed."""
    row, quads = cage.grid[:, 0], cage.quads
    gone = np.zeros(len(row), dtype=bool)
    for part, spans in SPARE.items():
        for span in spans:
            gone |= (cage.parts == part) & ((row == span + 0.25) | (row == span + 0.75))
    edges = np.concatenate([np.stack([quads[:, k], quads[:, (k + 1) % 4]], axis=1) for k in range(4)])
    edges = np.concatenate([edges, edges[:, ::-1]])
    down = edges[gone[edges[:, 0]] & (row[edges[:, 1]] == row[edges[:, 0]] + 0.25)]
    onto = np.arange(len(row))
    onto[down[:, 0]] = down[:, 1]
    # Of the two quads that meet at a dissolved loop, the upper one grows and the lower one goes.
    starts_gone = gone[quads].any(axis=1) & (gone[quads] | (row[quads] > row[quads].min(axis=1)[:, None])).all(axis=1)
    kept = onto[quads[~starts_gone]]
    used = np.unique(kept)
    number = np.full(len(row), -1)
    number[used] = np.arange(len(used))
    return Cage(
        cage.points[used], number[kept], cage.parts[used], number[cage.mirror[used]], cage.grid[used], cage.pinned[used]
    )
