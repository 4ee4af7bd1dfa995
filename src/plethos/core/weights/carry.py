"""Weights carried from one surface to another: by the closest place on it, not the closest vertex."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Weights = NDArray[np.float64]


def carried_over(
    points: NDArray[np.floating],
    triangles: NDArray[np.integer],
    rows: Weights,
    queries: NDArray[np.floating],
) -> Weights:
    """Rows ``(Q, J)`` at the places ``(Q, 3)``, from the surface that has `rows` ``(V, J)`` at its vertices.

    Parameters
    ----------
    points, triangles
        ``(V, 3)`` and ``(T, 3)``; without any triangle each vertex is a surface of its own.
    """
    # Only here: a start does not need it.
    import igl

    p, q = (np.ascontiguousarray(a, dtype=np.float64) for a in (points, queries))
    if len(triangles) == 0:
        triangles = np.repeat(np.arange(len(p))[:, None], 3, axis=1)
    t = np.ascontiguousarray(triangles, dtype=np.int64)
    _, found, place = igl.point_mesh_squared_distance(q, p, t)
    corners = t[found]
    share = barycentric(place, *(p[corners[:, k]] for k in range(3)))
    return np.asarray((share[:, :, None] * rows[corners]).sum(axis=1))


def barycentric(place: Weights, a: Weights, b: Weights, c: Weights) -> Weights:
    """Barycentric coordinates ``(N, 3)`` of places on triangles; on one without area, the share along its long side."""
    u, v, w = b - a, c - a, place - a
    uu, uv, vv = (np.einsum("ni,ni->n", x, y) for x, y in ((u, u), (u, v), (v, v)))
    wu, wv = (np.einsum("ni,ni->n", w, y) for y in (u, v))
    area = uu * vv - uv * uv
    flat = area <= 1e-14 * np.maximum(uu, vv) ** 2
    area = np.where(flat, 1.0, area)
    beta, gamma = (vv * wu - uv * wv) / area, (uu * wv - uv * wu) / area
    # Without area: along the longer of the two sides from a.
    longer = uu >= vv
    beta = np.where(flat, np.where(longer, wu / np.maximum(uu, 1e-300), 0.0), beta)
    gamma = np.where(flat, np.where(longer, 0.0, wv / np.maximum(vv, 1e-300)), gamma)
    out = np.clip(np.stack([1 - beta - gamma, beta, gamma], axis=1), 0, 1)
    return np.asarray(out / out.sum(axis=1, keepdims=True))
