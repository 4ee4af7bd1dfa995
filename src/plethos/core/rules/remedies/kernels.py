"""The compiled loops over remedies: what they are told to stand at, the relaxer and the volume keeper.

Numba's disk cache sees changes of this file only: what the loops share has to stay here.
"""

# mypy: disable-error-code="no-untyped-call, no-any-return"
from __future__ import annotations

import numba as nb
import numpy as np

_d1 = nb.float64[::1]
_d2 = nb.float64[:, ::1]
_i1 = nb.int32[::1]
_i2 = nb.int32[:, ::1]
_SUMS = {"contract", "reassoc", "nsz"}  # sums may be taken in another order: float64 has digits to spare


@nb.njit(nb.void(_d1, _i1, _i1, _d1), cache=True, nogil=True, error_model="numpy")
def clamped_activations(values, tied, read, out) -> None:  # type: ignore[no-untyped-def]
    """What the remedies ``tied (T,)`` stand at: the values ``read (T,)``, within [0, 1], written to ``out (R,)``."""
    for n in range(len(tied)):
        out[tied[n]] = round(min(max(values[read[n]], 0.0), 1.0), 4)


@nb.njit(nb.void(_d2, _i1, _i1, nb.int64, nb.float64, _d2), cache=True, nogil=True, error_model="numpy")
def smooth_out(points, starts, neighbours, steps, speed, scratch) -> None:  # type: ignore[no-untyped-def]
    """Draw points ``(N, 3)`` towards the mean of their neighbours, in place, so many times; alone ones stay."""
    now, then = points, scratch
    for _ in range(steps):
        for v in range(len(points)):
            low, high = starts[v], starts[v + 1]
            x = y = z = 0.0
            for e in range(low, high):
                n = neighbours[e]
                x += now[n, 0]
                y += now[n, 1]
                z += now[n, 2]
            share = speed / max(high - low, 1)
            keep = 1.0 - speed if high > low else 1.0
            then[v, 0] = keep * now[v, 0] + share * x
            then[v, 1] = keep * now[v, 1] + share * y
            then[v, 2] = keep * now[v, 2] + share * z
        now, then = then, now
    if steps % 2:
        points[:] = scratch


@nb.njit(cache=True, nogil=True, inline="always")
def _face_sums(points, triangles, count, normals) -> None:  # type: ignore[no-untyped-def]
    """The area-weighted normals ``(N, 3)`` of the vertices of the first `count` triangles, not of unit length."""
    normals[:] = 0.0
    for t in range(count):
        i, j, k = np.uint32(triangles[t, 0]), np.uint32(triangles[t, 1]), np.uint32(triangles[t, 2])
        ax, ay, az = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1], points[j, 2] - points[i, 2]
        bx, by, bz = points[k, 0] - points[i, 0], points[k, 1] - points[i, 1], points[k, 2] - points[i, 2]
        x, y, z = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
        # Unsigned, and written out: a sign that has to be looked at costs a third of the loop.
        normals[i, 0] += x
        normals[i, 1] += y
        normals[i, 2] += z
        normals[j, 0] += x
        normals[j, 1] += y
        normals[j, 2] += z
        normals[k, 0] += x
        normals[k, 1] += y
        normals[k, 2] += z


@nb.njit(nb.void(_d2, _i2, _i1, _i1, _d2, nb.boolean, _d2), cache=True, nogil=True, error_model="numpy")
def surface_frames(points, triangles, rows, beside, detail, read, out) -> None:  # type: ignore[no-untyped-def]
    """Detail in the frames of a surface: read from it, or put on it.

    Parameters
    ----------
    points, triangles
        A surface ``(N, 3)`` and its triangles.
    rows, beside
        ``(M,)`` where, and the neighbour that the tangent goes to.
    detail
        ``(M, 3)`` offsets in the world when `read`, else in the frames (normal, tangent, across).
    out
        ``(M, 3)`` the same in the frames when `read`, else in the world.
    """
    normals = np.empty((len(points), 3))
    _face_sums(points, triangles, len(triangles), normals)
    for n in range(len(rows)):
        v = rows[n]
        x, y, z = normals[v, 0], normals[v, 1], normals[v, 2]
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


_either = (nb.float32[:, ::1], _d2)


@nb.njit(
    [nb.void(p, _i1, _d2, _i1, _i1, nb.int64, nb.float64, _i2, _i1, _i1, _d2, _d1) for p in _either],
    cache=True, nogil=True, error_model="numpy",
)  # fmt: skip
def relax(  # type: ignore[no-untyped-def]
    points, at, own, starts, neighbours, steps, speed, triangles, rows, beside, detail, shares
) -> None:
    """Smooth posed points and put the rest detail back, in place.

    Parameters
    ----------
    points
        ``(P, 3)`` float32 or float64.
    at, own
        ``(N,)`` which of them the surface is made of, and room for them ``(N, 3)``.
    starts, neighbours, steps, speed
        See `smooth_out`.
    triangles, rows, beside, detail
        See `surface_frames`.
    shares
        ``(M,)`` how far each of `rows` goes.
    """
    for n in range(len(at)):
        for c in range(3):
            own[n, c] = points[at[n], c]
    smooth = own.copy()
    smooth_out(smooth, starts, neighbours, steps, speed, np.empty_like(own))
    back = np.empty((len(rows), 3))
    surface_frames(smooth, triangles, rows, beside, detail, False, back)
    for n in range(len(rows)):
        v = rows[n]
        for c in range(3):
            points[at[v], c] = own[v, c] + shares[n] * (smooth[v, c] + back[n, c] - own[v, c])


@nb.njit(
    nb.void(_d2, _i2, nb.int64, _i1, _i1, _d1, _d2, _d1), fastmath=_SUMS, cache=True, nogil=True, error_model="numpy"
)
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
    middle = np.zeros(3)
    for v in range(n):
        for c in range(3):
            middle[c] += points[v, c]
    p, d = np.zeros((n + borders, 3)), np.zeros((n + borders, 3))
    for v in range(n):
        for c in range(3):
            p[v, c] = points[v, c] - middle[c] / n
    # Volume is symmetric in the three corners of closed surfaces: six times it is the sum of p . N with N the normals
    # e x f of the faces, its change (d + d + d) . N; its second and third power are the same with the normals that the
    # faces of the ways d have. The normals of the skin give the ways, so what they change needs no faces any more.
    _face_sums(p, triangles, skin, way)
    s0 = s1 = s2 = s3 = 0.0
    for v in range(n):
        x, y, z = way[v, 0], way[v, 1], way[v, 2]
        size = max(np.sqrt(x * x + y * y + z * z), 1e-300)
        s0 += (p[v, 0] * x + p[v, 1] * y + p[v, 2] * z) / 3
        s1 += shares[v] * size
        for c in range(3):
            way[v, c] *= shares[v] / size
            d[v, c] = way[v, c]
    for b in range(borders):
        size = offsets[b + 1] - offsets[b]
        for e in range(offsets[b], offsets[b + 1]):
            for c in range(3):
                p[n + b, c] += p[loops[e], c] / size
                d[n + b, c] += d[loops[e], c] / size
    for t in range(len(triangles)):
        i, j, k = np.uint32(triangles[t, 0]), np.uint32(triangles[t, 1]), np.uint32(triangles[t, 2])
        ux, uy, uz = d[i, 0], d[i, 1], d[i, 2]
        gx, gy, gz = d[j, 0] - ux, d[j, 1] - uy, d[j, 2] - uz
        hx, hy, hz = d[k, 0] - ux, d[k, 1] - uy, d[k, 2] - uz
        mx, my, mz = gy * hz - gz * hy, gz * hx - gx * hz, gx * hy - gy * hx
        s2 += (p[i, 0] + p[j, 0] + p[k, 0]) * mx + (p[i, 1] + p[j, 1] + p[k, 1]) * my
        s2 += (p[i, 2] + p[j, 2] + p[k, 2]) * mz
        s3 += ux * mx + uy * my + uz * mz
        if t >= skin:
            ax, ay, az = p[i, 0], p[i, 1], p[i, 2]
            ex, ey, ez = p[j, 0] - ax, p[j, 1] - ay, p[j, 2] - az
            fx, fy, fz = p[k, 0] - ax, p[k, 1] - ay, p[k, 2] - az
            nx, ny, nz = ey * fz - ez * fy, ez * fx - ex * fz, ex * fy - ey * fx
            s0 += ax * nx + ay * ny + az * nz
            s1 += (3 * ux + gx + hx) * nx + (3 * uy + gy + hy) * ny + (3 * uz + gz + hz) * nz
    cubic[0], cubic[1], cubic[2], cubic[3] = s0, s1, s2, s3
    cubic /= 6


@nb.njit(nb.float64(_d1, nb.float64, nb.float64), cache=True, nogil=True, error_model="numpy")
def nearest_root(cubic, target, most) -> float:  # type: ignore[no-untyped-def]
    """Where a cubic reaches a target, nearest to 0 and no further than `most` away; NaN for nowhere there.

    Between the places where it turns round it is monotone: each stretch is bisected, then polished by Newton.
    """
    a, b, c, d = cubic[3], cubic[2], cubic[1], cubic[0] - target
    cuts = np.empty(4)
    cuts[0], cuts[3] = -most, most
    cuts[1] = cuts[2] = most
    root = b * b - 3 * a * c
    if abs(a) > 1e-300 and root > 0:
        s = np.sqrt(root)
        one, other = (-b - s) / (3 * a), (-b + s) / (3 * a)
        cuts[1], cuts[2] = min(max(min(one, other), -most), most), min(max(max(one, other), -most), most)
    elif abs(a) <= 1e-300 and abs(b) > 1e-300:
        cuts[1] = cuts[2] = min(max(-c / (2 * b), -most), most)
    best = np.nan
    for k in range(3):
        low, high = cuts[k], cuts[k + 1]
        if high <= low:
            continue
        at_low, at_high = ((a * low + b) * low + c) * low + d, ((a * high + b) * high + c) * high + d
        if at_low * at_high > 0:
            continue
        for _ in range(60):
            x = 0.5 * (low + high)
            value = ((a * x + b) * x + c) * x + d
            if value * at_low > 0:
                low = x
            else:
                high = x
        x = 0.5 * (low + high)
        if np.isnan(best) or abs(x) < abs(best):
            best = x
    return best


@nb.njit(nb.float64(_d1, nb.float64, nb.float64), cache=True, nogil=True, error_model="numpy")
def bounded_step(cubic, target, most) -> float:  # type: ignore[no-untyped-def]
    """Where a cubic reaches a target, nearest to 0; where it does not, whichever bound, or 0, comes nearest."""
    step = nearest_root(cubic, target, most)
    if not np.isnan(step):
        return step
    best = np.inf
    for x in (-most, 0.0, most):
        off = abs(((cubic[3] * x + cubic[2]) * x + cubic[1]) * x + cubic[0] - target)
        if off < best:
            best, step = off, x
    return step


@nb.njit(
    [nb.void(p, _i1, _i2, nb.int64, _i1, _i1, _d1, nb.float64, nb.float64, nb.float64) for p in _either],
    cache=True, nogil=True, error_model="numpy",
)  # fmt: skip
def keep_volume(points, at, triangles, skin, offsets, loops, shares, target, most, amount) -> None:  # type: ignore[no-untyped-def]
    """Bring a region of posed points ``(P, 3)``, float32 or float64, to its target, in place.

    Parameters
    ----------
    at
        ``(N,)`` which points the region is made of.
    target, most, amount
        Cubic metres, how far the skin may go, and how much of that way it goes.
    """
    own, way, cubic = np.empty((len(at), 3)), np.empty((len(at), 3)), np.empty(4)
    for n in range(len(at)):
        for c in range(3):
            own[n, c] = points[at[n], c]
    volume_along(own, triangles, skin, offsets, loops, shares, way, cubic)
    step = amount * bounded_step(cubic, target, most)
    for n in range(len(at)):
        for c in range(3):
            points[at[n], c] = own[n, c] + step * way[n, c]
