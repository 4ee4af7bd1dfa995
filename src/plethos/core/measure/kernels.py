"""Compiled measures of posed points, for every frame of a drag: volume, slices, distance to the bones."""

from __future__ import annotations

import numba as nb
import numpy as np


@nb.njit(cache=True, nogil=True)
def signed_volume(points, triangles, start, end, number, loops):  # type: ignore[no-untyped-def]
    """Signed volume under triangles, each boundary loop capped by a fan to its centroid.

    Parameters
    ----------
    points, triangles
        ``(N, 3)`` and ``(T, 3)``.
    start, end, number
        ``(E,)`` ends of the boundary edges, and the loop that each belongs to.
    loops
        How many there are.
    """
    middle = np.zeros(3)
    for v in range(len(points)):
        for k in range(3):
            middle[k] += points[v, k]
    middle /= max(len(points), 1)
    total = 0.0
    a, b, c = np.empty(3), np.empty(3), np.empty(3)
    for t in range(len(triangles)):
        for k in range(3):
            a[k] = points[triangles[t, 0], k] - middle[k]
            b[k] = points[triangles[t, 1], k] - middle[k]
            c[k] = points[triangles[t, 2], k] - middle[k]
        total += _determinant(a, b, c)
    centre, sizes = np.zeros((loops, 3)), np.zeros(loops)
    for e in range(len(start)):
        sizes[number[e]] += 1
        for k in range(3):
            centre[number[e], k] += points[start[e], k] - middle[k]
    for e in range(len(start)):
        for k in range(3):
            a[k] = points[end[e], k] - middle[k]
            b[k] = points[start[e], k] - middle[k]
            c[k] = centre[number[e], k] / sizes[number[e]]
        total += _determinant(a, b, c)
    return total / 6


@nb.njit(cache=True, nogil=True, inline="always")
def _determinant(a, b, c):  # type: ignore[no-untyped-def]
    return (
        a[0] * (b[1] * c[2] - b[2] * c[1])
        + a[1] * (b[2] * c[0] - b[0] * c[2])
        + a[2] * (b[0] * c[1] - b[1] * c[0])
    )  # fmt: skip


@nb.njit(cache=True, nogil=True)
def loop_areas(points, offsets, a, b, t):  # type: ignore[no-untyped-def]
    """Areas ``(S,)`` of loops of points on edges, each the length of its vector area.

    Parameters
    ----------
    points
        ``(N, 3)``.
    offsets
        ``(S + 1,)`` where each loop begins.
    a, b, t
        ``(E,)`` edge ends and place on the edge: ``(1 - t) * points[a] + t * points[b]``.
    """
    out = np.empty(len(offsets) - 1)
    for s in range(len(out)):
        first, last = offsets[s], offsets[s + 1]
        total = np.zeros(3)
        # About the loop's first point, so that nothing is lost far from the origin.
        ox, oy, oz = points[a[first], 0], points[a[first], 1], points[a[first], 2]
        i = last - 1
        px = (1 - t[i]) * points[a[i], 0] + t[i] * points[b[i], 0] - ox
        py = (1 - t[i]) * points[a[i], 1] + t[i] * points[b[i], 1] - oy
        pz = (1 - t[i]) * points[a[i], 2] + t[i] * points[b[i], 2] - oz
        for i in range(first, last):
            qx = (1 - t[i]) * points[a[i], 0] + t[i] * points[b[i], 0] - ox
            qy = (1 - t[i]) * points[a[i], 1] + t[i] * points[b[i], 1] - oy
            qz = (1 - t[i]) * points[a[i], 2] + t[i] * points[b[i], 2] - oz
            total[0] += py * qz - pz * qy
            total[1] += pz * qx - px * qz
            total[2] += px * qy - py * qx
            px, py, pz = qx, qy, qz
        out[s] = 0.5 * np.sqrt(total[0] ** 2 + total[1] ** 2 + total[2] ** 2)
    return out


@nb.njit(cache=True, nogil=True)
def bone_segments(up, joints_at):  # type: ignore[no-untyped-def]
    """Bones ``(J, 7)`` made ready: where each starts, where it goes, one over its length squared."""
    out = np.empty((len(up), 7))
    for j in range(len(up)):
        length = 0.0
        for k in range(3):
            out[j, k] = joints_at[up[j], k]
            out[j, 3 + k] = joints_at[j, k] - joints_at[up[j], k]
            length += out[j, 3 + k] ** 2
        out[j, 6] = 1.0 / max(length, 1e-18)
    return out


@nb.njit(cache=True, nogil=True, inline="always")
def _to_segment(x, y, z, s, j):  # type: ignore[no-untyped-def]
    """Squared distance of a place to bone `j` of `bone_segments`."""
    x, y, z = x - s[j, 0], y - s[j, 1], z - s[j, 2]
    t = min(max((x * s[j, 3] + y * s[j, 4] + z * s[j, 5]) * s[j, 6], 0.0), 1.0)
    x, y, z = x - t * s[j, 3], y - t * s[j, 4], z - t * s[j, 5]
    return x * x + y * y + z * z


@nb.njit(cache=True, nogil=True)
def nearest_bones(points, segments, candidates, count):  # type: ignore[no-untyped-def]
    """The `count` nearest of some bones ``(V, count)`` for each point, the nearest first; of equal ones the first."""
    out = np.zeros((len(points), count), dtype=np.int32)
    best = np.empty(count)
    for v in range(len(points)):
        best[:] = np.inf
        for j in candidates:
            d = _to_segment(points[v, 0], points[v, 1], points[v, 2], segments, j)
            if d >= best[count - 1]:
                continue
            i = count - 1
            while i > 0 and best[i - 1] > d:
                best[i], out[v, i] = best[i - 1], out[v, i - 1]
                i -= 1
            best[i], out[v, i] = d, j
    return out


@nb.njit(cache=True, nogil=True, inline="always")
def _to_bones(points, v, bones, segments):  # type: ignore[no-untyped-def]
    """Squared distance of point `v` to the nearest of its three bones."""
    x, y, z = points[v, 0], points[v, 1], points[v, 2]
    best = _to_segment(x, y, z, segments, bones[v, 0])
    best = min(best, _to_segment(x, y, z, segments, bones[v, 1]))
    return min(best, _to_segment(x, y, z, segments, bones[v, 2]))


@nb.njit(cache=True, nogil=True)
def squared_depths(points, bones, segments):  # type: ignore[no-untyped-def]
    """Squared distance ``(V,)`` of each point to the nearest of its three bones ``(V, 3)``."""
    out = np.empty(len(points))
    for v in range(len(points)):
        out[v] = _to_bones(points, v, bones, segments)
    return out


@nb.njit(cache=True, nogil=True, error_model="numpy")
def depth_change(points, bones, segments, least, rest):  # type: ignore[no-untyped-def]
    """How `squared_depths` have changed against rest ``(V,)``, -1 to 1; what is less than `least` counts as that."""
    out = np.empty(len(points), dtype=np.float32)
    for v in range(len(points)):
        out[v] = min(max(max(_to_bones(points, v, bones, segments), least) / rest[v] - 1, -1.0), 1.0)
    return out
