"""The compiled loops over remedies: weights of targets, the relaxer and the volume keeper.

Numba's disk cache sees changes of this file only: what the loops share has to stay here.
"""

# mypy: disable-error-code="no-untyped-call, no-any-return"
from __future__ import annotations

import numba as nb
import numpy as np

_b1 = nb.boolean[::1]
_d1 = nb.float64[::1]
_d2 = nb.float64[:, ::1]
_f1 = nb.float32[::1]
_i1 = nb.int32[::1]
_i2 = nb.int32[:, ::1]


@nb.njit(nb.void(_i1, _d1, _d1, _i1, _d1, _b1, _f1), cache=True, nogil=True, error_model="numpy")
def target_weights(by, gains, values, first, at, eased, out) -> None:  # type: ignore[no-untyped-def]
    """How much of each target of correctives is on.

    Parameters
    ----------
    by
        ``(C,)`` the place of the value that each corrective is tied to, -1 for none.
    gains
        ``(C,)`` how much of each acts, NaN for not at all.
    values
        Of the moment.
    first, at
        ``(C + 1,)``: corrective c has the targets ``first[c]:first[c + 1]``, at these activations, ascending to 1.
    eased
        ``(C,)`` whether each hat is eased.
    out
        ``(T,)`` written: hat functions over the targets, straight lines through nothing at 0, times the gain.
    """
    for c in range(len(by)):
        low, high = first[c], first[c + 1]
        for t in range(low, high):
            out[t] = 0
        if by[c] < 0 or np.isnan(gains[c]):
            continue
        a = min(max(values[by[c]], 0.0), 1.0)
        for t in range(low, high):
            before = at[t - 1] if t > low else 0.0
            hat = 0.0
            if before < a <= at[t]:
                hat = (a - before) / (at[t] - before)
            elif a > at[t] and t + 1 < high and a < at[t + 1]:
                hat = (at[t + 1] - a) / (at[t + 1] - at[t])
            if eased[c]:
                hat = hat * hat * (3 - 2 * hat)
            out[t] = hat * gains[c]


@nb.njit(nb.void(_d2, _i1, _i1, nb.int64, nb.float64, _d2), cache=True, nogil=True, error_model="numpy")
def smooth_out(points, starts, neighbours, steps, speed, scratch) -> None:  # type: ignore[no-untyped-def]
    """Draw points ``(N, 3)`` towards the mean of their neighbours, in place, so many times; alone ones stay."""
    for _ in range(steps):
        for v in range(len(points)):
            low, high = starts[v], starts[v + 1]
            for c in range(3):
                total = 0.0
                for e in range(low, high):
                    total += points[neighbours[e], c]
                scratch[v, c] = (
                    points[v, c] + speed * (total / (high - low) - points[v, c]) if high > low else points[v, c]
                )
        points[:] = scratch


@nb.njit(nb.void(_d2, _i2, _i1, _i1, _i1, _i1, _d2, nb.boolean, _d2), cache=True, nogil=True, error_model="numpy")
def surface_frames(points, triangles, around_at, around, rows, beside, detail, read, out) -> None:  # type: ignore[no-untyped-def]
    """Detail in the frames of a surface: read from it, or put on it.

    Parameters
    ----------
    points, triangles, around_at, around
        A surface ``(N, 3)``, its triangles, and the triangles round each vertex.
    rows, beside
        ``(M,)`` where, and the neighbour that the tangent goes to.
    detail
        ``(M, 3)`` offsets in the world when `read`, else in the frames (normal, tangent, across).
    out
        ``(M, 3)`` the same in the frames when `read`, else in the world.
    """
    for n in range(len(rows)):
        v = rows[n]
        x = y = z = 0.0
        for e in range(around_at[v], around_at[v + 1]):
            i, j, k = triangles[around[e], 0], triangles[around[e], 1], triangles[around[e], 2]
            ax, ay, az = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1], points[j, 2] - points[i, 2]
            bx, by, bz = points[k, 0] - points[i, 0], points[k, 1] - points[i, 1], points[k, 2] - points[i, 2]
            x += ay * bz - az * by
            y += az * bx - ax * bz
            z += ax * by - ay * bx
        size = max(np.sqrt(x * x + y * y + z * z), 1e-300)
        x, y, z = x / size, y / size, z / size
        b = beside[n]
        tx, ty, tz = points[b, 0] - points[v, 0], points[b, 1] - points[v, 1], points[b, 2] - points[v, 2]
        dot = tx * x + ty * y + tz * z
        tx, ty, tz = tx - dot * x, ty - dot * y, tz - dot * z
        size = max(np.sqrt(tx * tx + ty * ty + tz * tz), 1e-300)
        tx, ty, tz = tx / size, ty / size, tz / size
        ux, uy, uz = y * tz - z * ty, z * tx - x * tz, x * ty - y * tx
        p, q, r = detail[n, 0], detail[n, 1], detail[n, 2]
        if read:
            out[n, 0], out[n, 1], out[n, 2] = p * x + q * y + r * z, p * tx + q * ty + r * tz, p * ux + q * uy + r * uz
        else:
            out[n, 0] = p * x + q * tx + r * ux
            out[n, 1] = p * y + q * ty + r * uy
            out[n, 2] = p * z + q * tz + r * uz


@nb.njit(cache=True, nogil=True, inline="always")
def _triple(a, b, c, i, j, k):  # type: ignore[no-untyped-def]
    return (
        a[i, 0] * (b[j, 1] * c[k, 2] - b[j, 2] * c[k, 1])
        + a[i, 1] * (b[j, 2] * c[k, 0] - b[j, 0] * c[k, 2])
        + a[i, 2] * (b[j, 0] * c[k, 1] - b[j, 1] * c[k, 0])
    )


@nb.njit(nb.void(_d2, _i2, nb.int64, _i1, _i1, _d1, _d2, _d1), cache=True, nogil=True, error_model="numpy")
def volume_along(points, triangles, skin, offsets, loops, shares, way, cubic) -> None:  # type: ignore[no-untyped-def]
    """The volume inside a closed region as its skin goes along its normals: a cubic in how far it goes.

    Parameters
    ----------
    points
        ``(N, 3)``.
    triangles, skin
        ``(T, 3)``, the first `skin` of them the skin, the others fans to the middles of the borders, numbered from N.
    offsets, loops
        The borders: see `ReadyKeeper`.
    shares
        ``(N,)`` how far each vertex goes of what all go.
    way
        ``(N, 3)`` written: unit normals times the shares.
    cubic
        ``(4,)`` written: volume at 0, then the coefficients of the first, second and third power.
    """
    n, borders = len(points), len(offsets) - 1
    way[:] = 0.0
    for t in range(skin):
        i, j, k = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ax, ay, az = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1], points[j, 2] - points[i, 2]
        bx, by, bz = points[k, 0] - points[i, 0], points[k, 1] - points[i, 1], points[k, 2] - points[i, 2]
        x, y, z = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
        for v in (i, j, k):
            way[v, 0] += x
            way[v, 1] += y
            way[v, 2] += z
    middle = np.zeros(3)
    for v in range(n):
        size = max(np.sqrt(way[v, 0] ** 2 + way[v, 1] ** 2 + way[v, 2] ** 2), 1e-300)
        for c in range(3):
            way[v, c] *= shares[v] / size
            middle[c] += points[v, c] / n
    p, d = np.zeros((n + borders, 3)), np.zeros((n + borders, 3))
    for v in range(n):
        for c in range(3):
            p[v, c], d[v, c] = points[v, c] - middle[c], way[v, c]
    for b in range(borders):
        size = offsets[b + 1] - offsets[b]
        for e in range(offsets[b], offsets[b + 1]):
            for c in range(3):
                p[n + b, c] += p[loops[e], c] / size
                d[n + b, c] += d[loops[e], c] / size
    cubic[:] = 0.0
    for t in range(len(triangles)):
        i, j, k = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        cubic[0] += _triple(p, p, p, i, j, k)
        cubic[1] += _triple(d, p, p, i, j, k) + _triple(p, d, p, i, j, k) + _triple(p, p, d, i, j, k)
        cubic[2] += _triple(d, d, p, i, j, k) + _triple(d, p, d, i, j, k) + _triple(p, d, d, i, j, k)
        cubic[3] += _triple(d, d, d, i, j, k)
    cubic /= 6
