"""Which vertices and joints are each other's mirror images at rest, across a plane of constant x."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from plethos.core.geometry.topology import extent
from plethos.core.skeleton.names import other_side_names
from plethos.core.skeleton.skeleton import Skeleton

TOLERANCE = 1e-4  # of the character's height
SYMMETRIC = 0.9  # share of the vertices with a twin from which a character counts as symmetric
MIRROR = np.array([-1.0, 1.0, 1.0])  # of directions


def across(points: NDArray[np.floating], plane: float) -> NDArray[np.float64]:
    """Mirror images ``(..., 3)`` of places across x = `plane`."""
    return np.asarray(points * MIRROR + np.array([2 * plane, 0.0, 0.0]), np.float64)


def mirror_plane(points: NDArray[np.floating]) -> float:
    """The x across which a character is mirrored.

    0, as files mean it, unless the character stands beside that: then the middle of its width.

    Parameters
    ----------
    points
        Rest points ``(V, 3)`` in the world.
    """
    if len(points) == 0:
        return 0.0
    low, high = float(points[:, 0].min()), float(points[:, 0].max())
    middle = 0.5 * (low + high)
    if abs(middle) <= TOLERANCE * extent(points):
        return 0.0
    about = [float((vertex_mirror(points, plane) >= 0).mean()) for plane in (0.0, middle)]
    if about[0] >= SYMMETRIC:
        return 0.0
    if about[1] > max(about[0], 0.5) or not 0.75 * low + 0.25 * high < 0 < 0.25 * low + 0.75 * high:
        return middle
    return 0.0


def vertex_mirror(points: NDArray[np.floating], plane: float = 0.0, tolerance: float = TOLERANCE) -> NDArray[np.int32]:
    """The mirror image of each vertex.

    Parameters
    ----------
    points
        Rest points ``(V, 3)`` in the world.
    plane
        Its x, metres.
    tolerance
        How far off the mirrored place a twin may be, as a share of the height.

    Returns
    -------
    ndarray
        ``(V,)`` indices, -1 for vertices that have no twin; pairs name each other, a vertex on the plane itself.
    """
    if len(points) == 0:
        return np.zeros(0, np.int32)
    p = np.asarray(points, np.float64)
    near = tolerance * extent(p)
    # Whoever has no twin is not searched for among all the others, and thousands in one place are one.
    first, place = _places(p)
    own = p[first]
    distance, found = cKDTree(own).query(across(own, plane), distance_upper_bound=np.nextafter(near, np.inf))
    twin = np.where(distance <= near, np.append(first, -1)[found], -1)[place]
    there = np.flatnonzero(twin >= 0)
    # Where vertices lie on top of each other only pairs that agree count.
    agree = twin[twin[there]] == there
    twin[there[~agree]] = -1
    return twin.astype(np.int32)


def _places(points: NDArray[np.float64]) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """The first point of each place ``(N,)``, and the place of each point ``(V,)``."""
    # Sorted by one number each, rows are told apart in a tenth of the time; two that share it by chance are caught.
    _, first, place = np.unique(points @ [0.61803, 0.41421, 0.73205], return_index=True, return_inverse=True)
    if np.array_equal(points[first[place]], points):
        return first, place
    every = np.arange(len(points))
    return every, every


def outline_mirror(
    points: NDArray[np.floating], things: list[NDArray[np.intp]], plane: float = 0.0, tolerance: float = TOLERANCE
) -> NDArray[np.int32]:
    """The mirror image of each vertex of a drawing.

    Control points are paired thing by thing, since outlines often lie on each other; the handles of a point with those
    of its twin, whichever way round that outline goes.

    Parameters
    ----------
    points
        ``(V, 3)`` at rest, three vertices a control point.
    things
        The first vertices of the control points of each thing.

    Returns
    -------
    ndarray
        ``(V,)`` indices, -1 for vertices that have no twin.
    """
    p = np.asarray(points, np.float64)
    near, twin = tolerance * extent(p), np.full(len(p), -1, np.int32)
    there = across(p, plane)
    trees = [cKDTree(p[heads]) for heads in things]
    for k, heads in enumerate(things):
        # Itself last: what is symmetric in itself may still have a twin.
        for m in sorted(range(len(things)), key=lambda m: m == k):
            if len(things[m]) != len(heads):
                continue
            distance, found = trees[m].query(there[heads])
            if np.max(distance) > near or len(np.unique(found)) < len(heads):
                continue
            others = things[m][found]
            twin[heads] = others
            straight = [np.linalg.norm(there[heads + i] - p[others + i], axis=1) for i in (1, 2)]
            crossed = [np.linalg.norm(there[heads + i] - p[others + 3 - i], axis=1) for i in (1, 2)]
            turned = straight[0] + straight[1] > crossed[0] + crossed[1]
            for i in (1, 2):
                twin[heads + i] = others + np.where(turned, 3 - i, i)
            break
    paired = np.flatnonzero(twin >= 0)
    agree = twin[twin[paired]] == paired
    twin[paired[~agree]] = -1
    return twin


def joint_mirror(skeleton: Skeleton, plane: float = 0.0) -> NDArray[np.int32]:
    """The mirror image of each joint ``(J,)``: by place at rest, with names as a hint where several share one.

    A joint with no twin, or in the middle, is its own.
    """
    places = skeleton.rest_global[:, :3, 3]
    height = max(extent(places), 1e-9)
    off = np.linalg.norm(across(places, plane)[:, None] - places[None], axis=2)
    twin = np.arange(len(skeleton), dtype=np.int32)
    for j, name in enumerate(skeleton.names):
        near = np.flatnonzero(off[j] < 2e-3 * height)
        if len(near) == 0:
            continue
        named = [int(k) for k in near if skeleton.names[k] in other_side_names(name)]
        if named:
            twin[j] = named[0]
        elif j not in near:
            twin[j] = near[np.argmin(off[j, near])]
    agree = twin[twin] == np.arange(len(twin))
    return np.where(agree, twin, np.arange(len(twin))).astype(np.int32)


def is_symmetric(twin: NDArray[np.int32], other: NDArray[np.int32]) -> bool:
    """Whether a character with these mirror images of vertices and joints has two sides to compare."""
    return bool((twin >= 0).mean() >= SYMMETRIC and (other != np.arange(len(other))).any())
