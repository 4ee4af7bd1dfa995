"""Weights carried from one surface to another: by the closest place on it, not the closest vertex."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from plethos.core.geometry.barycentric import barycentric

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
