"""Joining up vertices that a file splits along texture seams."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse import csgraph
from scipy.spatial import cKDTree

from plethos.core.geometry.rotations import Array
from plethos.core.geometry.rows import distinct_rows
from plethos.core.skin.shape import Shape

# Two copies of one vertex may differ by this much in the sum of their weights' differences (files round them).
WEIGHT_SLACK = 0.02
MOST_NEIGHBOURS = 64
MOST_CELLS = 2.0**62


def weld(
    points: Array,
    slots: NDArray[np.int32],
    weights: Array,
    shapes: Sequence[Shape],
    tolerance: float,
    cells_only: bool = False,
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Find the copies of one vertex: same place, same weights, moved alike by every shape.

    Vertices in one place that follow different joints or shapes (closed lips, lids) stay apart.

    Parameters
    ----------
    points
        ``(F, 3)``.
    slots, weights
        ``(F, K)`` bone rows and weights, in any order of influences.
    shapes
        Of these vertices.
    tolerance
        Metres within which places are the same.
    cells_only
        Compare within the cells of a grid only, and tear copies off at their borders: as it was before the weld was
        stored with a character, whose shapes and weights count the vertices that it made.

    Returns
    -------
    copy_of, kept
        ``(F,)`` the new index of each vertex, and ``(V,)`` the vertex that stands for each new one, in the
        order of the file.
    """
    # Most vertices are alone in their place: shapes are compared of the others only.
    _, group = distinct_rows(_cell(points, tolerance))
    shared = np.flatnonzero(np.bincount(group)[group] > 1)
    places: list[NDArray[np.floating]] = [points[shared]]
    places += [s.at(shared) for s in _touching(shapes, shared, len(points))]
    key = np.concatenate([_cell(a, tolerance) for a in places], axis=1)
    _, group = distinct_rows(key)
    order = np.argsort(group, kind="stable")
    starts = np.flatnonzero(np.diff(group[order], prepend=-1))
    order = shared[order]
    leader = np.arange(len(points))
    for start, stop in zip(starts, np.append(starts, len(order))[1:], strict=True):
        members = order[start:stop]
        if len(members) == 1:
            continue
        leaders = [int(members[0])]
        for m in members[1:].tolist():
            near = next((x for x in leaders if _difference(slots, weights, x, m) < WEIGHT_SLACK), None)
            if near is None:
                leaders.append(m)
            else:
                leader[m] = near
    if not cells_only:
        leader = _across_borders(leader, points, slots, weights, shapes, tolerance)
    kept = np.flatnonzero(leader == np.arange(len(points)))
    number = np.zeros(len(points), dtype=np.int64)
    number[kept] = np.arange(len(kept))
    return number[leader], kept


def _touching(shapes: Sequence[Shape], vertices: NDArray[np.integer], count: int) -> list[Shape]:
    """Those of the shapes that move any of some vertices: the others tell no copies apart."""
    inside = np.zeros(count, bool)
    inside[vertices] = True
    return [s for s in shapes if inside[s.vertices].any()]


def _cell(places: NDArray[np.floating], tolerance: float) -> NDArray[np.int64]:
    # What lies so far that no cell can be told from the next is refused once it is posed.
    return np.clip(np.round(places.astype(np.float64) / max(tolerance, 1e-30)), -MOST_CELLS, MOST_CELLS).astype(
        np.int64
    )


def _across_borders(
    leader: NDArray[np.int64],
    points: Array,
    slots: NDArray[np.int32],
    weights: Array,
    shapes: Sequence[Shape],
    tolerance: float,
) -> NDArray[np.int64]:
    """Leaders joined that are the same but lie on two sides of a cell's border."""
    every = np.unique(leader)
    heads = _in_a_row(every, points, tolerance)
    if len(heads) == 0:
        return leader
    tree = cKDTree(points[heads])
    if tree.count_neighbors(tree, tolerance) > MOST_NEIGHBOURS * len(every):
        return leader  # a cloud within the tolerance: no seam looks like that
    pairs = heads[tree.query_pairs(tolerance, output_type="ndarray")]
    same = np.array([_difference(slots, weights, a, b) < WEIGHT_SLACK for a, b in pairs.tolist()], dtype=bool)
    for shape in _touching(shapes, pairs.ravel(), len(points)):
        same &= np.abs(shape.at(pairs[:, 0]) - shape.at(pairs[:, 1])).max(axis=1) <= tolerance
    pairs = pairs[same]
    if len(pairs) == 0:
        return leader
    graph = sparse.coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), (len(points), len(points)))
    number = csgraph.connected_components(graph, directed=False)[1]
    first = np.full(int(number.max()) + 1, len(points))
    np.minimum.at(first, number[leader], leader)
    return np.asarray(first[number[leader]])


def _in_a_row(vertices: NDArray[np.intp], points: Array, tolerance: float) -> NDArray[np.intp]:
    """Those of some vertices that have another within the tolerance along each axis: few, and no pair is missed."""
    for axis in range(points.shape[1]):
        order = np.argsort(points[vertices, axis])
        near = np.diff(points[vertices[order], axis]) <= tolerance * (1 + 1e-9)
        beside = np.zeros(len(vertices), dtype=bool)
        beside[order[1:]] |= near
        beside[order[:-1]] |= near
        vertices = vertices[beside]
    return vertices


def _difference(slots: NDArray[np.int32], weights: Array, a: int, b: int) -> float:
    """Sum of the absolute differences of two vertices' weights, bone by bone."""
    if np.array_equal(slots[a], slots[b]):
        return float(np.abs(weights[a] - weights[b]).sum())
    total: dict[int, float] = {}
    for vertex, sign in ((a, 1.0), (b, -1.0)):
        for bone, w in zip(slots[vertex].tolist(), weights[vertex].tolist(), strict=True):
            total[bone] = total.get(bone, 0.0) + sign * w
    return sum(abs(w) for w in total.values())
