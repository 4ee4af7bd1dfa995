"""Strain limit: edges that a sculpt has drawn out too long are shortened again, as far as nothing crosses by it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from plethos.core.geometry.rotations import Array
from plethos.core.sculpt.push_room import PushRoom

ROUNDS, SWEEPS = 12, 10
STAYS = (0, 0, 1, 2, 3)  # rings round what would cross that stay where they were, try after try
SHORTER = 0.97  # of what is allowed: what is shortened side by side overlaps


def strain_limited(room: PushRoom, points: Array, edges: NDArray[np.int32], longest: Array) -> Array:
    """Points ``(V, 3)`` with edges shortened to their longest length, by moving what may move in a room.

    Parameters
    ----------
    edges, longest
        ``(E, 2)`` and how long each may be ``(E,)``, metres.

    Notes
    -----
    Projection of one edge after another, averaged at each vertex: Provot, "Deformation constraints in a mass-spring
    model", 1995 (title from memory).
    """
    out, limit = points.copy(), SHORTER * longest
    start, end = edges.T
    may = np.zeros(len(points))
    may[room.local] = room.free
    for _ in range(ROUNDS):
        if (np.linalg.norm(out[end] - out[start], axis=1) <= longest).all():
            break
        wish = out.copy()
        for _ in range(SWEEPS):
            way = wish[end] - wish[start]
            length = np.linalg.norm(way, axis=1)
            over = np.flatnonzero(length > limit)
            if not len(over):
                break
            a, b = start[over], end[over]
            pull = ((1 - limit[over] / length[over]) / np.maximum(may[a] + may[b], 1))[:, None] * way[over]
            moved, times = np.zeros_like(wish), np.zeros(len(wish))
            np.add.at(moved, a, may[a, None] * pull)
            np.add.at(moved, b, -may[b, None] * pull)
            np.add.at(times, edges[over], 1)
            wish += moved / np.maximum(times, 1)[:, None]
        for rings in STAYS:
            pairs = room.pairs(wish[room.local])
            if not len(pairs):
                out = wish
                break
            stays = room.local[room.crossing(pairs, rings)]
            wish[stays] = out[stays]
        else:
            break
    return out
