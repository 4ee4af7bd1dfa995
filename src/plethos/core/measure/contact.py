"""Self-contact: triangles of the skin that pass through each other."""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

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
    come from a uniform grid. Triangles that lie in one plane and overlap are not counted.
    """
    if len(triangles) == 0:
        return np.zeros((0, 2), np.int32)
    p = np.ascontiguousarray(points, dtype=np.float64)
    t = np.ascontiguousarray(triangles, dtype=np.int32)
    corners = p[t]
    low, high = corners.min(axis=1), corners.max(axis=1)
    cell = max(float(np.mean(high - low)) * 3, float((high.max(0) - low.min(0)).max()) / 400, 1e-9)
    origin = low.min(axis=0)
    first = np.floor((low - origin) / cell).astype(np.int32)
    last = np.floor((high - origin) / cell).astype(np.int32)
    pairs: NDArray[np.int32] = _grid_pairs(p, t, low, high, first, last, last.max(axis=0) + 1)
    return pairs


def new_contacts(
    points: NDArray[np.floating], triangles: NDArray[np.int32], at_rest: NDArray[np.int32]
) -> NDArray[np.int32]:
    """Triangles ``(N,)`` that are in a crossing pair now which did not cross at rest (`at_rest`: its pairs)."""
    now = intersecting_pairs(points, triangles)
    scale = len(triangles)
    key = now[:, 0].astype(np.int64) * scale + now[:, 1]
    rest_key = at_rest[:, 0].astype(np.int64) * scale + at_rest[:, 1]
    return np.unique(now[~np.isin(key, rest_key)])


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
def _grid_pairs(p, t, low, high, first, last, size):  # type: ignore[no-untyped-def]
    cells = size[0] * size[1] * size[2]
    count = np.zeros(cells + 1, np.int64)
    for f in range(len(t)):
        for x in range(first[f, 0], last[f, 0] + 1):
            for y in range(first[f, 1], last[f, 1] + 1):
                for z in range(first[f, 2], last[f, 2] + 1):
                    count[(x * size[1] + y) * size[2] + z + 1] += 1
    start = np.cumsum(count)
    place = start.copy()
    content = np.empty(start[-1], np.int32)
    for f in range(len(t)):
        for x in range(first[f, 0], last[f, 0] + 1):
            for y in range(first[f, 1], last[f, 1] + 1):
                for z in range(first[f, 2], last[f, 2] + 1):
                    c = (x * size[1] + y) * size[2] + z
                    content[place[c]] = f
                    place[c] += 1
    found = np.empty((64, 2), np.int32)
    n = 0
    for c in range(cells):
        cz = c % size[2]
        cy = (c // size[2]) % size[1]
        cx = c // (size[2] * size[1])
        for s in range(start[c], start[c + 1]):
            f = content[s]
            for s2 in range(s + 1, start[c + 1]):
                g = content[s2]
                # A pair that shares several cells is looked at in the lowest of them only.
                if (
                    max(first[f, 0], first[g, 0]) != cx
                    or max(first[f, 1], first[g, 1]) != cy
                    or max(first[f, 2], first[g, 2]) != cz
                ):
                    continue
                apart = False
                for d in range(3):
                    if low[f, d] > high[g, d] or low[g, d] > high[f, d]:
                        apart = True
                if apart:
                    continue
                shared = False
                for m in range(3):
                    for o in range(3):
                        if t[f, m] == t[g, o]:
                            shared = True
                if shared:
                    continue
                hit = False
                for m in range(3):
                    if _crosses(p, t[f, m], t[f, (m + 1) % 3], t[g, 0], t[g, 1], t[g, 2]):
                        hit = True
                        break
                    if _crosses(p, t[g, m], t[g, (m + 1) % 3], t[f, 0], t[f, 1], t[f, 2]):
                        hit = True
                        break
                if hit:
                    if n == len(found):
                        bigger = np.empty((2 * n, 2), np.int32)
                        bigger[:n] = found
                        found = bigger
                    found[n, 0] = min(f, g)
                    found[n, 1] = max(f, g)
                    n += 1
    return found[:n].copy()
