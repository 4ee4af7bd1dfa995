"""Automatic weights by heat diffusion over the skin."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from scipy import sparse
from scipy.sparse.linalg import splu

from plethos.core.rotations import Array
from plethos.core.topology import Corners

COLUMNS = 8  # joints that are solved at once


def heat_weights(
    points: Array,
    triangles: Corners,
    nearest: Array,
    distance: Array,
    strength: float = 1.6,
    progress: Callable[[float], None] = lambda share: None,
) -> Array:
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
    progress
        Called with the share done, between joints.

    References
    ----------
    Baran and Popovic, "Automatic rigging and animation of 3D characters", SIGGRAPH 2007; Laplacian: Sharp and Crane,
    "A Laplacian for nonmanifold triangle meshes", SGP 2020 (titles from memory).
    """
    import robust_laplacian

    laplacian, area = robust_laplacian.mesh_laplacian(np.asarray(points, np.float64), np.asarray(triangles, np.int64))
    heat = area.diagonal() * strength / distance**2
    options = {"SymmetricMode": True}
    factor = splu(
        (laplacian + sparse.diags(heat)).tocsc(), permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options=options
    )
    progress(0.4)
    # A joint's weights lie side by side, as the solver takes and gives them.
    right = np.multiply(heat[:, None], nearest, order="F")
    w = np.empty_like(right)
    for start in range(0, right.shape[1], COLUMNS):
        columns = slice(start, start + COLUMNS)
        w[:, columns] = factor.solve(right[:, columns])
        progress(0.4 + 0.6 * min(1.0, (start + COLUMNS) / right.shape[1]))
    np.maximum(w, 0, out=w)
    w /= w.sum(axis=1, keepdims=True)
    return np.asarray(w)
