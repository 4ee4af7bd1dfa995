"""Joining up vertices that a file splits along texture seams."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from plethos.core.rotations import Array

# Two copies of one vertex may differ by this much in the sum of their weights' differences (files round them).
WEIGHT_SLACK = 0.02


def weld(
    points: Array, slots: NDArray[np.int32], weights: Array, targets: list[Array], tolerance: float
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Find the copies of one vertex: same place, same weights, moved alike by every shape.

    Vertices in one place that follow different joints or shapes (closed lips, lids) stay apart.

    Parameters
    ----------
    points
        ``(F, 3)``.
    slots, weights
        ``(F, K)`` bone rows and weights, in any order of influences.
    targets
        Dense shapes ``(F, 3)``.
    tolerance
        Metres within which places are the same.

    Returns
    -------
    copy_of, kept
        ``(F,)`` the new index of each vertex, and ``(V,)`` the vertex that stands for each new one, in the
        order of the file.
    """
    place = np.round(points / max(tolerance, 1e-30)).astype(np.int64)
    key = np.concatenate([place, *(np.round(t / max(tolerance, 1e-30)).astype(np.int64) for t in targets)], axis=1)
    _, group = np.unique(key, axis=0, return_inverse=True)
    group = group.ravel()
    order = np.argsort(group, kind="stable")
    starts = np.flatnonzero(np.diff(group[order], prepend=-1))
    leader = np.arange(len(points))
    for start, stop in zip(starts, np.append(starts[1:], len(order)), strict=True):
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
    kept = np.flatnonzero(leader == np.arange(len(points)))
    number = np.zeros(len(points), dtype=np.int64)
    number[kept] = np.arange(len(kept))
    return number[leader], kept


def _difference(slots: NDArray[np.int32], weights: Array, a: int, b: int) -> float:
    """Sum of the absolute differences of two vertices' weights, bone by bone."""
    if np.array_equal(slots[a], slots[b]):
        return float(np.abs(weights[a] - weights[b]).sum())
    total: dict[int, float] = {}
    for vertex, sign in ((a, 1.0), (b, -1.0)):
        for bone, w in zip(slots[vertex].tolist(), weights[vertex].tolist(), strict=True):
            total[bone] = total.get(bone, 0.0) + sign * w
    return sum(abs(w) for w in total.values())
