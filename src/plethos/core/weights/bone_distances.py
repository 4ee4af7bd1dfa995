"""How far each vertex is from each bone.

Numba's disk cache sees changes of this file only: what the loops use has to stay here.
"""

# mypy: disable-error-code="untyped-decorator, no-any-return"
from __future__ import annotations

from typing import Any

import numba as nb
import numpy as np
from numpy.typing import NDArray

from plethos.core.geometry.topology import extent
from plethos.core.weights.bones import Segment

BEHIND = 3.0  # a bone that lies outside the surface at a vertex counts as so many times further away
OUTWARD = 0.2  # cosine between the way to a bone and the normal from which on it lies outside
LEAST = 1e-3  # of the character's height: no vertex is nearer to a bone
TIED = 1.001  # bones so many times as far as the nearest are as near
BLOCK = 1024  # vertices that are looked at together


def segment_distances(
    points: NDArray[np.floating], normals: NDArray[np.floating], segments: list[Segment]
) -> NDArray[np.float64]:
    """Distance ``(V, S)`` of each vertex to each bone, longer where the bone lies outside the surface.

    The test is against the vertex's own normal: a rib faces away from the arm bone beside it. That keeps an arm from
    taking the ribs at a fraction of the cost of shooting rays at every bone.
    """
    starts, ends = np.array([s.start for s in segments]), np.array([s.end for s in segments])
    p, n = (np.ascontiguousarray(a, dtype=np.float64) for a in (points, normals))
    return np.asarray(_distances(p, n, starts.reshape(-1, 3), ends.reshape(-1, 3)).T)


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _distances(points, normals, starts, ends):  # type: ignore[no-untyped-def]
    out = np.empty((len(starts), len(points)))  # a bone's distances side by side: that is how they are asked for
    for s in range(len(starts)):
        ax, ay, az = ends[s, 0] - starts[s, 0], ends[s, 1] - starts[s, 1], ends[s, 2] - starts[s, 2]
        length = max(ax * ax + ay * ay + az * az, 1e-18)
        for v in range(len(points)):
            x, y, z = points[v, 0] - starts[s, 0], points[v, 1] - starts[s, 1], points[v, 2] - starts[s, 2]
            t = min(max((x * ax + y * ay + z * az) / length, 0.0), 1.0)
            x, y, z = t * ax - x, t * ay - y, t * az - z
            distance = np.sqrt(x * x + y * y + z * z)
            outward = x * normals[v, 0] + y * normals[v, 1] + z * normals[v, 2] > OUTWARD * distance
            out[s, v] = BEHIND * distance if outward else distance
    return out


def nearest_bones(
    points: NDArray[np.floating], normals: NDArray[np.floating], segments: list[Segment]
) -> tuple[NDArray[np.float64], NDArray[np.int32], NDArray[np.int32]]:
    """The bones that each vertex is nearest to, distances as in `segment_distances`.

    Returns
    -------
    least
        ``(V,)`` the distance to the nearest, at least a thousandth of the character's height.
    vertices, numbers
        ``(N,)`` each vertex with the number of a segment that is that near; several where bones meet.
    """
    starts, ends = (np.array([getattr(s, name) for s in segments]).reshape(-1, 3) for name in ("start", "end"))
    p, n = (np.ascontiguousarray(np.asarray(a, np.float64).T) for a in (points, normals))
    return _nearest(p, n, starts, ends, LEAST * extent(points))


_FINITE: dict[str, Any] = {
    "cache": True, "nogil": True, "error_model": "numpy", "fastmath": {"reassoc", "contract", "nsz", "nnan", "ninf"}
}  # fmt: skip


@nb.njit(**_FINITE)
def _squares(x, y, z, a, b, c, start, way, row) -> None:  # type: ignore[no-untyped-def]
    """Squared distances of points to one bone, written to `row`: a loop by itself, which the compiler vectorises."""
    over = 1 / max(way[0] * way[0] + way[1] * way[1] + way[2] * way[2], 1e-18)
    for v in range(len(row)):
        px, py, pz = x[v] - start[0], y[v] - start[1], z[v] - start[2]
        t = min(max((px * way[0] + py * way[1] + pz * way[2]) * over, 0.0), 1.0)
        px, py, pz = t * way[0] - px, t * way[1] - py, t * way[2] - pz
        square = px * px + py * py + pz * pz
        facing = px * a[v] + py * b[v] + pz * c[v]
        outward = (facing > 0) & (facing * facing > OUTWARD**2 * square)
        row[v] = BEHIND**2 * square if outward else square


@nb.njit(**_FINITE)
def _as_near(squares, least, first, vertices, numbers, found):  # type: ignore[no-untyped-def]
    """Add the bones that are as near as the nearest, by themselves too: where arrays may grow nothing is fast."""
    for s in range(len(squares)):
        for v in range(len(least)):
            if squares[s, v] <= (least[v] * TIED) ** 2:
                vertices[found], numbers[found] = first + v, s
                found += 1
    return found


@nb.njit(**_FINITE)
def _nearest(points, normals, starts, ends, floor):  # type: ignore[no-untyped-def]
    """Some vertices at a time: nothing of the size of vertices times bones is held."""
    count = points.shape[1]
    least = np.empty(count)
    squares = np.empty((len(starts), BLOCK))
    room = 2 * count + squares.size
    vertices, numbers, found = np.empty(room, np.int32), np.empty(room, np.int32), 0
    for first in range(0, count, BLOCK):
        size = min(BLOCK, count - first)
        x, y, z = points[0, first : first + size], points[1, first : first + size], points[2, first : first + size]
        a, b, c = normals[0, first : first + size], normals[1, first : first + size], normals[2, first : first + size]
        here = least[first : first + size]
        here[:] = 1e300
        for s in range(len(starts)):
            o, e = starts[s], ends[s]
            row = squares[s, :size]
            _squares(x, y, z, a, b, c, (o[0], o[1], o[2]), (e[0] - o[0], e[1] - o[1], e[2] - o[2]), row)
            for v in range(size):
                here[v] = min(here[v], row[v])
        for v in range(size):
            here[v] = max(np.sqrt(here[v]), floor)
        if found + squares.size > len(vertices):
            vertices, numbers = np.append(vertices, vertices[:found]), np.append(numbers, numbers[:found])
        found = _as_near(squares[:, :size], here, first, vertices, numbers, found)
    return least, vertices[:found].copy(), numbers[:found].copy()


def along_segment(points: NDArray[np.floating], segment: Segment) -> NDArray[np.float64]:
    """Where each vertex lies along a bone ``(V,)``, 0 at its joint, 1 at its end, not clamped."""
    along = segment.end - segment.start
    return np.asarray(((points - segment.start) @ along) / max(float(along @ along), 1e-18))
