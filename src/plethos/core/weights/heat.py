"""Automatic weights by heat diffusion over the skin."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.linalg import splu

from plethos.core.mesh import Triangles
from plethos.core.rotations import Array


def heat_weights(points: Array, triangles: Triangles, nearest: Array, distance: Array, strength: float = 1.6) -> Array:
    """Weights ``(V, J)`` that each sum to 1, none negative.

    Every vertex is heated by its nearest bones and the heat spreads over the surface, never through the air:
    ``(L + A H) w = A H p``, L the Laplacian, A the areas, ``H = strength / distance^2``.

    Parameters
    ----------
    points, triangles
        ``(V, 3)`` and ``(T, 3)``, any unit; open borders, several pieces and flat triangles work.
    nearest
        p: ``(V, J)`` 1 for the nearest bone of each vertex, shared where several are equally near.
    distance
        ``(V,)`` to that bone, above 0.

    References
    ----------
    Baran and Popovic, "Automatic rigging and animation of 3D characters", SIGGRAPH 2007; Laplacian: Sharp and Crane,
    "A Laplacian for nonmanifold triangle meshes", SGP 2020 (titles from memory).
    """
    import robust_laplacian

    laplacian, area = robust_laplacian.mesh_laplacian(np.asarray(points, np.float64), np.asarray(triangles, np.int64))
    heat = area @ sparse.diags(strength / distance**2)
    options = {"SymmetricMode": True}
    factor = splu((laplacian + heat).tocsc(), permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options=options)
    w = np.maximum(factor.solve(np.asarray(heat @ nearest)), 0)
    return np.asarray(w / w.sum(axis=1, keepdims=True))


def limit_influences(weights: Array, most: int) -> tuple[NDArray[np.int32], NDArray[np.float32]]:
    """Dense weights ``(V, J)`` as the `most` largest a vertex: indices and weights ``(V, most)``.

    The next smaller weight is subtracted before the cut, so that neighbours whose lists differ do not tear.
    """
    if weights.shape[1] <= most:
        weights = np.pad(weights, ((0, 0), (0, most + 1 - weights.shape[1])))
    first_out = -np.partition(-weights, most, axis=1)[:, most : most + 1]
    kept = np.maximum(weights - np.maximum(first_out, 0.003), 0)
    order = np.argsort(-kept, axis=1, kind="stable")[:, :most]
    w = np.take_along_axis(kept, order, axis=1)
    w /= w.sum(axis=1, keepdims=True)
    return np.where(w > 0, order, 0).astype(np.int32), w.astype(np.float32)
