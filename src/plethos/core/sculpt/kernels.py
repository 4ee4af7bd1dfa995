"""Compiled loops over the neighbourhood of a brush."""

from __future__ import annotations

import heapq

import numba as nb
import numpy as np


@nb.njit(cache=True, nogil=True)
def surface_reach(points, triangles, offsets, around, seed, at, radius, distance, touched):  # type: ignore[no-untyped-def]
    """Distances over the surface from a place on a triangle, up to `radius`: fast marching.

    Parameters
    ----------
    points, triangles
        ``(V, 3)`` and ``(T, 3)``.
    offsets, around
        CSR lists of the triangles round each vertex.
    seed, at
        The triangle that was hit, and the place ``(3,)`` on it.
    distance
        ``(V,)`` filled with infinity; entries of touched vertices are written.
    touched
        ``(V,)`` receives the vertices whose distance was written.

    Returns
    -------
    count
        How many entries of `touched` count.

    References
    ----------
    Kimmel and Sethian, "Computing geodesic paths on manifolds", PNAS 1998 (from memory): a front that crosses a
    triangle is unfolded into its plane.
    """
    heap = [(0.0, nb.int32(-1))]
    heap.pop()
    count = 0
    done = set([nb.int32(-1)])
    for k in range(3):
        v = triangles[seed, k]
        d = 0.0
        for c in range(3):
            d += (points[v, c] - at[c]) ** 2
        distance[v] = np.sqrt(d)
        touched[count] = v
        count += 1
        heapq.heappush(heap, (distance[v], v))
    while len(heap) > 0:
        d, v = heapq.heappop(heap)
        if v in done:
            continue
        if d > radius:
            break
        done.add(v)
        for e in range(offsets[v], offsets[v + 1]):
            t = around[e]
            k = 0
            while triangles[t, k] != v:
                k += 1
            a = triangles[t, (k + 1) % 3]
            b = triangles[t, (k + 2) % 3]
            for turn in range(2):
                target, other = (a, b) if turn == 0 else (b, a)
                if target in done:
                    continue
                vt = 0.0
                for c in range(3):
                    vt += (points[v, c] - points[target, c]) ** 2
                found = d + np.sqrt(vt)
                if distance[other] < np.inf:
                    found = min(found, _through(points, v, other, target, d, distance[other]))
                if found < distance[target]:
                    if distance[target] == np.inf:
                        touched[count] = target
                        count += 1
                    distance[target] = found
                    heapq.heappush(heap, (found, target))
    return count


@nb.njit(cache=True, nogil=True)
def _through(p, a, b, c, da, db):  # type: ignore[no-untyped-def]
    """Distance at c of a source that lies da from a and db from b, across the edge a-b; infinity if not across it."""
    ab2 = ac2 = along = 0.0
    for k in range(3):
        ab2 += (p[b, k] - p[a, k]) ** 2
        ac2 += (p[c, k] - p[a, k]) ** 2
        along += (p[b, k] - p[a, k]) * (p[c, k] - p[a, k])
    length = np.sqrt(ab2)
    if length < 1e-30:
        return np.inf
    cx = along / length
    cy2 = ac2 - cx * cx
    sx = (da * da - db * db + ab2) / (2 * length)
    sy2 = da * da - sx * sx
    if cy2 <= 0 or sy2 < 0:
        return np.inf
    cy, sy = np.sqrt(cy2), -np.sqrt(sy2)
    crossing = sx + (cx - sx) * (-sy) / (cy - sy)
    if crossing < 0 or crossing > length:
        return np.inf
    return np.sqrt((cx - sx) ** 2 + (cy - sy) ** 2)


@nb.njit(cache=True, nogil=True)
def normals_at(points, triangles, offsets, around, vertices, out) -> None:  # type: ignore[no-untyped-def]
    """Area-weighted unit normals of some vertices, into `out` ``(N, 3)``."""
    for n in range(len(vertices)):
        v = vertices[n]
        x = y = z = 0.0
        for e in range(offsets[v], offsets[v + 1]):
            i, j, k = triangles[around[e], 0], triangles[around[e], 1], triangles[around[e], 2]
            ax, ay, az = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1], points[j, 2] - points[i, 2]
            bx, by, bz = points[k, 0] - points[i, 0], points[k, 1] - points[i, 1], points[k, 2] - points[i, 2]
            x += ay * bz - az * by
            y += az * bx - ax * bz
            z += ax * by - ay * bx
        length = max(np.sqrt(x * x + y * y + z * z), 1e-30)
        out[n, 0], out[n, 1], out[n, 2] = x / length, y / length, z / length


@nb.njit(cache=True, nogil=True)
def averages_at(points, starts, neighbours, vertices, out) -> None:  # type: ignore[no-untyped-def]
    """Average place of the neighbours of some vertices, into `out` ``(N, 3)``."""
    for n in range(len(vertices)):
        v = vertices[n]
        first, last = starts[v], starts[v + 1]
        for c in range(3):
            total = 0.0
            for e in range(first, last):
                total += points[neighbours[e], c]
            out[n, c] = total / (last - first) if last > first else points[v, c]


@nb.njit(cache=True, nogil=True)
def nearest_on(places, corners, near, out) -> None:  # type: ignore[no-untyped-def]
    """The nearest point on any of some triangles, for each place.

    Parameters
    ----------
    places
        ``(N, 3)``.
    corners
        ``(T, 3, 3)``.
    near
        ``(N, K)`` the triangles that are looked at for each.
    out
        ``(N, 3)`` written.

    References
    ----------
    Ericson, "Real-time collision detection", 2005 (from memory): the regions round a triangle.
    """
    found = np.empty(3)
    for n in range(len(places)):
        best = np.inf
        for k in range(near.shape[1]):
            _on_triangle(places[n], corners[near[n, k]], found)
            away = 0.0
            for c in range(3):
                away += (found[c] - places[n, c]) ** 2
            if away < best:
                best = away
                for c in range(3):
                    out[n, c] = found[c]


@nb.njit(cache=True, nogil=True)
def _on_triangle(p, t, out) -> None:  # type: ignore[no-untyped-def]
    """The point of triangle `t` ``(3, 3)`` that is nearest to `p`, into `out`."""
    d1 = d2 = d3 = d4 = d5 = d6 = 0.0
    for c in range(3):
        ab, ac = t[1, c] - t[0, c], t[2, c] - t[0, c]
        d1 += ab * (p[c] - t[0, c])
        d2 += ac * (p[c] - t[0, c])
        d3 += ab * (p[c] - t[1, c])
        d4 += ac * (p[c] - t[1, c])
        d5 += ab * (p[c] - t[2, c])
        d6 += ac * (p[c] - t[2, c])
    va, vb, vc = d3 * d6 - d5 * d4, d5 * d2 - d1 * d6, d1 * d4 - d3 * d2
    if d1 <= 0 and d2 <= 0:
        u, v = 0.0, 0.0
    elif d3 >= 0 and d4 <= d3:
        u, v = 1.0, 0.0
    elif d6 >= 0 and d5 <= d6:
        u, v = 0.0, 1.0
    elif vc <= 0 and d1 >= 0 and d3 <= 0:
        u, v = d1 / (d1 - d3), 0.0
    elif vb <= 0 and d2 >= 0 and d6 <= 0:
        u, v = 0.0, d2 / (d2 - d6)
    elif va <= 0 and d4 - d3 >= 0 and d5 - d6 >= 0:
        v = (d4 - d3) / ((d4 - d3) + (d5 - d6))
        u = 1 - v
    else:
        whole = va + vb + vc
        u, v = (vb / whole, vc / whole) if whole > 0 else (0.0, 0.0)
    for c in range(3):
        out[c] = t[0, c] + u * (t[1, c] - t[0, c]) + v * (t[2, c] - t[0, c])


@nb.njit(cache=True, nogil=True, error_model="numpy", fastmath={"contract", "reassoc", "nsz"})
def turned_back(linear, rest, offsets, activation, deltas, sigma, error) -> None:  # type: ignore[no-untyped-def]
    """Offsets of posed skin in the space of the rest shape, and how flat the skin has become.

    Parameters
    ----------
    linear, rest
        ``(N, 3, 3)`` the maps M of the vertices in the pose and at rest; a rest map without inverse counts as none.
    offsets, activation
        ``(N, 3)`` in the pose, and how much of the shape is on there.
    deltas
        ``(N, 3)`` written: ``M^-1`` times the offsets, not finite where M has no inverse.
    sigma
        ``(N,)`` written: the least singular value of ``M rest^-1``.
    error
        ``(N,)`` written: how far from its offset each comes out once the shape is stored as float32.

    References
    ----------
    Smith, "Eigenvalues of a symmetric 3 x 3 matrix", Communications of the ACM 4 (1961): in closed form.
    """
    bent = np.empty((3, 3))
    for v in range(len(linear)):
        m = linear[v]
        c0, c1, c2, c3, c4, c5, c6, c7, c8, determinant = _cofactors(m)
        x, y, z = offsets[v, 0], offsets[v, 1], offsets[v, 2]
        by = 1 / determinant if determinant != 0 else np.nan
        deltas[v, 0] = by * (c0 * x + c3 * y + c6 * z)
        deltas[v, 1] = by * (c1 * x + c4 * y + c7 * z)
        deltas[v, 2] = by * (c2 * x + c5 * y + c8 * z)
        p = activation * np.float64(np.float32(deltas[v, 0] / activation))
        q = activation * np.float64(np.float32(deltas[v, 1] / activation))
        s = activation * np.float64(np.float32(deltas[v, 2] / activation))
        x -= m[0, 0] * p + m[0, 1] * q + m[0, 2] * s
        y -= m[1, 0] * p + m[1, 1] * q + m[1, 2] * s
        z -= m[2, 0] * p + m[2, 1] * q + m[2, 2] * s
        error[v] = np.sqrt(x * x + y * y + z * z)
        r = rest[v]
        plain = r[0, 0] == 1 and r[1, 1] == 1 and r[2, 2] == 1 and r[0, 1] == 0 and r[0, 2] == 0 and r[1, 2] == 0
        if plain and r[1, 0] == 0 and r[2, 0] == 0 and r[2, 1] == 0:
            sigma[v] = _least_singular(m)
            continue
        c0, c1, c2, c3, c4, c5, c6, c7, c8, whole = _cofactors(r)
        if abs(whole) < 1e-18:
            sigma[v] = _least_singular(m)
            continue
        for k in range(3):
            # The inverse is the transposed matrix of cofactors over the determinant.
            bent[k, 0] = (m[k, 0] * c0 + m[k, 1] * c1 + m[k, 2] * c2) / whole
            bent[k, 1] = (m[k, 0] * c3 + m[k, 1] * c4 + m[k, 2] * c5) / whole
            bent[k, 2] = (m[k, 0] * c6 + m[k, 1] * c7 + m[k, 2] * c8) / whole
        sigma[v] = _least_singular(bent)


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _cofactors(m):  # type: ignore[no-untyped-def]
    """The nine cofactors of a matrix ``(3, 3)``, row by row, and its determinant."""
    c0 = m[1, 1] * m[2, 2] - m[1, 2] * m[2, 1]
    c1 = m[1, 2] * m[2, 0] - m[1, 0] * m[2, 2]
    c2 = m[1, 0] * m[2, 1] - m[1, 1] * m[2, 0]
    c3 = m[0, 2] * m[2, 1] - m[0, 1] * m[2, 2]
    c4 = m[0, 0] * m[2, 2] - m[0, 2] * m[2, 0]
    c5 = m[0, 1] * m[2, 0] - m[0, 0] * m[2, 1]
    c6 = m[0, 1] * m[1, 2] - m[0, 2] * m[1, 1]
    c7 = m[0, 2] * m[1, 0] - m[0, 0] * m[1, 2]
    c8 = m[0, 0] * m[1, 1] - m[0, 1] * m[1, 0]
    return c0, c1, c2, c3, c4, c5, c6, c7, c8, m[0, 0] * c0 + m[0, 1] * c1 + m[0, 2] * c2


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _least_singular(m) -> float:  # type: ignore[no-untyped-def]
    """The least singular value of a matrix ``(3, 3)``: the root of the least eigenvalue of ``m^T m``."""
    xx = yy = zz = xy = xz = yz = 0.0
    for k in range(3):
        x, y, z = m[k, 0], m[k, 1], m[k, 2]
        xx += x * x
        yy += y * y
        zz += z * z
        xy += x * y
        xz += x * z
        yz += y * z
    mean = (xx + yy + zz) / 3
    off = xy * xy + xz * xz + yz * yz
    spread = (xx - mean) ** 2 + (yy - mean) ** 2 + (zz - mean) ** 2 + 2 * off
    p = np.sqrt(spread / 6)
    q = 1 / p if p > 0 else 0.0
    if p <= 1e-14 * mean:
        return float(np.sqrt(max(mean, 0.0)))
    a, b, c = (xx - mean) * q, (yy - mean) * q, (zz - mean) * q
    d, e, f = xy * q, xz * q, yz * q
    half = (a * (b * c - f * f) - d * (d * c - f * e) + e * (d * f - b * e)) / 2
    angle = np.arccos(min(max(half, -1.0), 1.0)) / 3
    return float(np.sqrt(max(mean + 2 * p * np.cos(angle + 2 * np.pi / 3), 0.0)))
