"""Self-contact: triangles of the skin that pass through each other."""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadPoseError
from plethos.core.geometry.topology import NOWHERE, is_somewhere

LARGE, MOST_LARGE = 16, 300  # cells along one side of a large triangle, and how many may be large
FINEST = 2.0**40  # cells along the whole: no number of a cell is ever too large for an integer
MOST_ENTRIES = 24  # places in cells for each triangle; a skin at rest takes 2 to 4
MOST_LOOKS = 1.5e9  # pairs of boxes that are held against each other: a second or two of work
A_TEST, A_PAIR = 200, 500  # how many of those a test of two triangles takes, and a pair that is kept
TOO_MANY = "The skin is so torn or crumpled in this pose that what crosses cannot be counted."
CLEAR = 1e-9  # the share of what is added up to a height over a plane that rounding could never make
FLAT = 1e-12  # the sine under which a segment counts as lying in a triangle's plane: what rounding leaves


def intersecting_pairs(points: NDArray[np.floating], triangles: NDArray[np.int32]) -> NDArray[np.int32]:
    """All pairs ``(P, 2)`` of triangles that cross each other and share no vertex, smaller index first.

    Parameters
    ----------
    points, triangles
        ``(V, 3)`` and ``(T, 3)``.

    Raises
    ------
    BadPoseError
        When the points lie nowhere, or so much lies on top of each other that looking at it would take for ever.

    Notes
    -----
    Two triangles that are not in one plane cross exactly when an edge of one passes through the other. Candidates
    share a cell of a uniform grid, of which only cells with something in them are kept: something far away costs
    nothing. Triangles that lie in one plane and overlap are not counted.
    """
    if len(triangles) == 0:
        return np.zeros((0, 2), np.int32)
    if not is_somewhere(points):
        raise BadPoseError(NOWHERE)
    p = np.ascontiguousarray(points, dtype=np.float64)
    t = np.ascontiguousarray(triangles, dtype=np.int32)
    boxes = triangle_boxes(p, t)
    first, last, large = _cells(boxes)
    start, entries, cells = _buckets(first, last, large)
    pairs: NDArray[np.int32]
    pairs, whole = _grid_pairs(p, t, boxes, first, start, entries, cells, np.flatnonzero(large), MOST_LOOKS)
    if not whole:
        raise BadPoseError(TOO_MANY)
    return pairs


def _cells(boxes: NDArray[np.float64]) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.bool_]]:
    """The first and the last cell ``(T, 3)`` that each triangle lies in, and which are large."""
    low, high = boxes
    sizes = np.sort((high - low).max(axis=0))
    origin = low.min(axis=1, keepdims=True)
    finest = float((high.max(axis=1, keepdims=True) - origin).max()) / FINEST
    # Few may be so large that they lie in hundreds of cells: those are held against all others one by one.
    cell = max(2 * float(np.median(sizes)), float(sizes[-min(MOST_LARGE, len(sizes))]) / LARGE, finest, 1e-9)
    while True:
        first, last = (np.floor((x - origin).T / cell).astype(np.int64, order="C") for x in (low, high))
        large = (last - first).max(axis=1) > LARGE
        # Many of middling size would lie in thousands of cells each.
        if (last - first + 1)[~large].prod(axis=1).sum() <= MOST_ENTRIES * len(large):
            return first, last, large
        cell *= 2


def fresh_pairs(
    points: NDArray[np.floating], triangles: NDArray[np.int32], at_rest: NDArray[np.int32]
) -> NDArray[np.int32]:
    """The pairs ``(P, 2)`` of triangles that cross now and did not at rest (`at_rest`: the pairs of then)."""
    return not_among(intersecting_pairs(points, triangles), at_rest, len(triangles))


def not_among(pairs: NDArray[np.int32], known: NDArray[np.int32], count: int) -> NDArray[np.int32]:
    """Those pairs ``(P, 2)`` of `count` triangles, smaller index first, that are not among known ones."""
    keys, there = (p[:, 0].astype(np.int64) * count + p[:, 1] for p in (pairs, known))
    return np.asarray(pairs[~np.isin(keys, there)])


@nb.njit(cache=True, nogil=True)
def _crosses(p, a, b, i, j, k) -> bool:  # type: ignore[no-untyped-def]
    """Whether the segment a-b passes through the triangle i-j-k (Moeller and Trumbore 1997)."""
    dx, dy, dz = p[b, 0] - p[a, 0], p[b, 1] - p[a, 1], p[b, 2] - p[a, 2]
    e1x, e1y, e1z = p[j, 0] - p[i, 0], p[j, 1] - p[i, 1], p[j, 2] - p[i, 2]
    e2x, e2y, e2z = p[k, 0] - p[i, 0], p[k, 1] - p[i, 1], p[k, 2] - p[i, 2]
    hx, hy, hz = dy * e2z - dz * e2y, dz * e2x - dx * e2z, dx * e2y - dy * e2x
    det = e1x * hx + e1y * hy + e1z * hz
    size = (dx * dx + dy * dy + dz * dz) * (e1x * e1x + e1y * e1y + e1z * e1z) * (e2x * e2x + e2y * e2y + e2z * e2z)
    if det * det <= FLAT * FLAT * size:
        return False
    sx, sy, sz = p[a, 0] - p[i, 0], p[a, 1] - p[i, 1], p[a, 2] - p[i, 2]
    u = (sx * hx + sy * hy + sz * hz) / det
    if u < 0.0 or u > 1.0:
        return False
    qx, qy, qz = sy * e1z - sz * e1y, sz * e1x - sx * e1z, sx * e1y - sy * e1x
    v = (dx * qx + dy * qy + dz * qz) / det
    if v < 0.0 or u + v > 1.0:
        return False
    s = (e2x * qx + e2y * qy + e2z * qz) / det
    return bool(0.0 <= s <= 1.0)


@nb.njit(cache=True, nogil=True)
def _buckets(first, last, large):  # type: ignore[no-untyped-def]
    """The triangles in each cell, the large ones left out, cells hashed into buckets.

    Returns
    -------
    start, entries, cells
        ``(B + 1,)`` where each bucket begins, ``(E,)`` its triangles, ``(E, 3)`` the cell that each is there for.
    """
    count = 0
    for f in range(len(first)):
        if not large[f]:
            count += (
                (last[f, 0] - first[f, 0] + 1) * (last[f, 1] - first[f, 1] + 1) * (last[f, 2] - first[f, 2] + 1)
            )  # fmt: skip
    size = 1
    while size < count:
        size *= 2
    start, place = np.zeros(size + 1, np.int64), np.zeros(size + 1, np.int64)
    entries, cells = np.empty(count, np.int32), np.empty((count, 3), np.int64)
    for put in (False, True):
        for f in range(len(first)):
            if large[f]:
                continue
            for x in range(first[f, 0], last[f, 0] + 1):
                for y in range(first[f, 1], last[f, 1] + 1):
                    for z in range(first[f, 2], last[f, 2] + 1):
                        # Teschner and others 2003 (from memory): primes that mix the three numbers.
                        bucket = ((x * 73856093) ^ (y * 19349663) ^ (z * 83492791)) & (size - 1)
                        if put:
                            n = place[bucket]
                            entries[n], cells[n, 0], cells[n, 1], cells[n, 2] = f, x, y, z
                            place[bucket] += 1
                        else:
                            start[bucket + 1] += 1
        if not put:
            start[:] = np.cumsum(start)
            place[:] = start
    return start, entries, cells


@nb.njit(cache=True, nogil=True)
def triangle_boxes(p, t):  # type: ignore[no-untyped-def]
    """The boxes ``(2, 3, T)`` of triangles: lowest corners, then highest."""
    out = np.empty((2, 3, len(t)))
    for f in range(len(t)):
        for k in range(3):
            a, b, c = p[t[f, 0], k], p[t[f, 1], k], p[t[f, 2], k]
            out[0, k, f], out[1, k, f] = min(a, b, c), max(a, b, c)
    return out


@nb.njit(cache=True, nogil=True, inline="always")
def _share(t, a, b):  # type: ignore[no-untyped-def]
    """Whether two triangles share a vertex."""
    i, j, k, x, y, z = t[a, 0], t[a, 1], t[a, 2], t[b, 0], t[b, 1], t[b, 2]
    return (
        (i == x) | (i == y) | (i == z) | (j == x) | (j == y) | (j == z) | (k == x) | (k == y) | (k == z)
    )  # fmt: skip


@nb.njit(cache=True, nogil=True, inline="always")
def _beside(p, t, f, g) -> bool:  # type: ignore[no-untyped-def]
    """Whether a triangle lies wholly on one side of the plane of another: most that are near do."""
    i, j, k = t[g, 0], t[g, 1], t[g, 2]
    ax, ay, az = p[j, 0] - p[i, 0], p[j, 1] - p[i, 1], p[j, 2] - p[i, 2]
    bx, by, bz = p[k, 0] - p[i, 0], p[k, 1] - p[i, 1], p[k, 2] - p[i, 2]
    x, y, z = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
    above = below = 0
    for m in range(3):
        c = t[f, m]
        u, v, w = x * (p[c, 0] - p[i, 0]), y * (p[c, 1] - p[i, 1]), z * (p[c, 2] - p[i, 2])
        height, slack = u + v + w, CLEAR * (abs(u) + abs(v) + abs(w))
        above += height > slack
        below += height < -slack
    return above == 3 or below == 3


@nb.njit(cache=True, nogil=True)
def _pair_crosses(p, t, f, g) -> bool:  # type: ignore[no-untyped-def]
    """Whether an edge of one triangle passes through the other."""
    if _beside(p, t, f, g) or _beside(p, t, g, f):
        return False
    for m in range(3):
        if _crosses(p, t[f, m], t[f, (m + 1) % 3], t[g, 0], t[g, 1], t[g, 2]):
            return True
        if _crosses(p, t[g, m], t[g, (m + 1) % 3], t[f, 0], t[f, 1], t[f, 2]):
            return True
    return False


@nb.njit(cache=True, nogil=True)
def _noted(found, n, f, g):  # type: ignore[no-untyped-def]
    """A pair put down as number `n`, with more room where it is needed."""
    if n == len(found):
        bigger = np.empty((2 * n, 2), np.int32)
        bigger[:n] = found
        found = bigger
    found[n, 0], found[n, 1] = min(f, g), max(f, g)
    return found


@nb.njit(cache=True, nogil=True)
def _meeting(x, y, z, u, v, w, s, near) -> None:  # type: ignore[no-untyped-def]
    """Which boxes meet that of `s`: a loop by itself and over all, which the compiler vectorises."""
    ax, ay, az, bx, by, bz = x[s], y[s], z[s], u[s], v[s], w[s]
    for k in range(len(near)):
        near[k] = (x[k] <= bx) & (u[k] >= ax) & (y[k] <= by) & (v[k] >= ay) & (z[k] <= bz) & (w[k] >= az)


@nb.njit(cache=True, nogil=True)
def _grid_pairs(p, t, boxes, first, start, entries, cells, large, most):  # type: ignore[no-untyped-def]
    """The pairs that cross, and whether all were looked at: no more than `most` pairs of boxes are."""
    found = np.empty((64, 2), np.int32)
    n, looks = 0, 0.0
    # In the order in which they are read: millions of pairs are looked at. Rounding never parts boxes that meet.
    low, high = np.empty((3, len(entries)), np.float32), np.empty((3, len(entries)), np.float32)
    corners, lowest = np.empty((len(entries), 3), np.int32), np.empty_like(cells)
    for s in range(len(entries)):
        f = entries[s]
        for k in range(3):
            low[k, s], high[k, s] = boxes[0, k, f], boxes[1, k, f]
            corners[s, k], lowest[s, k] = t[f, k], first[f, k]
    meeting = np.empty(len(entries), np.bool_)
    for bucket in range(len(start) - 1):
        begin, end = start[bucket], start[bucket + 1]
        if end - begin < 2:
            continue
        x, y, z = low[0, begin:end], low[1, begin:end], low[2, begin:end]
        u, v, w = high[0, begin:end], high[1, begin:end], high[2, begin:end]
        near = meeting[: end - begin]
        for s in range(begin, end - 1):
            _meeting(x, y, z, u, v, w, s - begin, near)
            looks += end - begin
            if looks > most:
                return found[:n].copy(), False
            for s2 in range(s + 1, end):
                if not near[s2 - begin] or _share(corners, s, s2):
                    continue
                # A pair that shares several cells is looked at in the lowest only; and two cells may share a bucket.
                for k in range(3):
                    if cells[s, k] != cells[s2, k] or max(lowest[s, k], lowest[s2, k]) != cells[s, k]:
                        break
                else:
                    f, g = entries[s], entries[s2]
                    looks += A_TEST
                    if _pair_crosses(p, t, f, g):
                        found = _noted(found, n, f, g)
                        n += 1
                        looks += A_PAIR
    is_large = np.zeros(len(t), np.bool_)
    for f in large:
        is_large[f] = True
    met = np.empty(len(t), np.bool_)
    for f in large:
        _meeting(boxes[0, 0], boxes[0, 1], boxes[0, 2], boxes[1, 0], boxes[1, 1], boxes[1, 2], f, met)
        looks += len(t)
        for g in range(len(t)):
            # Two large ones meet once.
            if met[g] and (g > f or not is_large[g]) and not _share(t, f, g):
                looks += A_TEST
                if _pair_crosses(p, t, f, g):
                    found = _noted(found, n, f, g)
                    n += 1
                    looks += A_PAIR
        if looks > most:
            return found[:n].copy(), False
    return found[:n].copy(), True
