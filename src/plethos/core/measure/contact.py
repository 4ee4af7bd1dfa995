"""Self-contact: triangles of the skin that pass through each other."""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

LARGE, MOST_LARGE = 16, 300  # cells along one side of a large triangle, and how many may be large
FLAT = 1e-12  # the sine under which a segment counts as lying in a triangle's plane: what rounding leaves


def intersecting_pairs(points: NDArray[np.floating], triangles: NDArray[np.int32]) -> NDArray[np.int32]:
    """All pairs ``(P, 2)`` of triangles that cross each other and share no vertex, smaller index first.

    Parameters
    ----------
    points, triangles
        ``(V, 3)`` and ``(T, 3)``.

    Notes
    -----
    Two triangles that are not in one plane cross exactly when an edge of one passes through the other. Candidates
    share a cell of a uniform grid, of which only cells with something in them are kept: something far away costs
    nothing. Triangles that lie in one plane and overlap are not counted.
    """
    if len(triangles) == 0:
        return np.zeros((0, 2), np.int32)
    p = np.ascontiguousarray(points, dtype=np.float64)
    t = np.ascontiguousarray(triangles, dtype=np.int32)
    corners = p[t]
    low, high = corners.min(axis=1), corners.max(axis=1)
    sizes = np.sort((high - low).max(axis=1))
    # Few may be so large that they lie in hundreds of cells: those are held against all others one by one.
    cell = max(2 * float(np.median(sizes)), float(sizes[-min(MOST_LARGE, len(sizes))]) / LARGE, 1e-9)
    first, last = (np.floor(x / cell).astype(np.int64) for x in (low, high))
    large = (last - first).max(axis=1) > LARGE
    start, entries, cells = _buckets(first, last, large)
    pairs: NDArray[np.int32] = _grid_pairs(p, t, low, high, first, start, entries, cells, np.flatnonzero(large))
    return pairs


def fresh_pairs(
    points: NDArray[np.floating], triangles: NDArray[np.int32], at_rest: NDArray[np.int32]
) -> NDArray[np.int32]:
    """The pairs ``(P, 2)`` of triangles that cross now and did not at rest (`at_rest`: the pairs of then)."""
    now = intersecting_pairs(points, triangles)
    scale = len(triangles)
    key = now[:, 0].astype(np.int64) * scale + now[:, 1]
    rest_key = at_rest[:, 0].astype(np.int64) * scale + at_rest[:, 1]
    return np.asarray(now[~np.isin(key, rest_key)])


def new_contacts(
    points: NDArray[np.floating], triangles: NDArray[np.int32], at_rest: NDArray[np.int32]
) -> NDArray[np.int32]:
    """Triangles ``(N,)`` that are in a crossing pair now which did not cross at rest (`at_rest`: its pairs)."""
    return np.unique(fresh_pairs(points, triangles, at_rest))


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


@nb.njit(cache=True, nogil=True, inline="always")
def _apart(low, high, f, g):  # type: ignore[no-untyped-def]
    """Whether the boxes of two triangles are: asked of every pair, so in the loop itself."""
    return (
        low[f, 0] > high[g, 0] or low[g, 0] > high[f, 0] or low[f, 1] > high[g, 1]
        or low[g, 1] > high[f, 1] or low[f, 2] > high[g, 2] or low[g, 2] > high[f, 2]
    )  # fmt: skip


@nb.njit(cache=True, nogil=True)
def _pair_crosses(p, t, f, g) -> bool:  # type: ignore[no-untyped-def]
    """Whether two triangles cross and share no vertex."""
    for m in range(3):
        for o in range(3):
            if t[f, m] == t[g, o]:
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
def _grid_pairs(p, t, low, high, first, start, entries, cells, large):  # type: ignore[no-untyped-def]
    found = np.empty((64, 2), np.int32)
    n = 0
    for bucket in range(len(start) - 1):
        for s in range(start[bucket], start[bucket + 1]):
            f = entries[s]
            for s2 in range(s + 1, start[bucket + 1]):
                g = entries[s2]
                # A pair that shares several cells is looked at in the lowest only; and two cells may share a bucket.
                if (
                    max(first[f, 0], first[g, 0]) != cells[s, 0]
                    or max(first[f, 1], first[g, 1]) != cells[s, 1]
                    or max(first[f, 2], first[g, 2]) != cells[s, 2]
                    or cells[s, 0] != cells[s2, 0]
                    or cells[s, 1] != cells[s2, 1]
                    or cells[s, 2] != cells[s2, 2]
                ):
                    continue
                if not _apart(low, high, f, g) and _pair_crosses(p, t, f, g):
                    found = _noted(found, n, f, g)
                    n += 1
    is_large = np.zeros(len(t), np.bool_)
    for f in large:
        is_large[f] = True
    for f in large:
        for g in range(len(t)):
            # Two large ones meet once.
            if (g > f or not is_large[g]) and not _apart(low, high, f, g) and _pair_crosses(p, t, f, g):
                found = _noted(found, n, f, g)
                n += 1
    return found[:n].copy()
