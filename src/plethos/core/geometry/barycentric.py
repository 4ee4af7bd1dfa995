"""Where in a triangle a place lies."""

from __future__ import annotations

import numpy as np

from plethos.core.geometry.rotations import Array


def barycentric(place: Array, a: Array, b: Array, c: Array) -> Array:
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
