"""Automatic weights by heat diffusion over the skin."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.linalg import splu

from plethos.core.rotations import Array
from plethos.core.topology import Corners

COLUMNS = 8  # joints that are solved at once
STRENGTH = 1.6


def heat_weights(
    points: Array, triangles: Corners, nearest: NDArray[np.floating], distance: Array, strength: float = STRENGTH
) -> Array:
    """Weights ``(V, J)`` that each sum to 1, none negative: all of `heat_columns` at once."""
    w = np.empty(nearest.shape, order="F")
    for joint, column in heat_columns(points, triangles, nearest, np.arange(nearest.shape[1]), distance, strength):
        w[:, joint] = column
    w /= w.sum(axis=1, keepdims=True)
    return w


def heat_columns(
    points: Array,
    triangles: Corners,
    nearest: NDArray[np.floating],
    joints: NDArray[np.intp],
    distance: Array,
    strength: float = STRENGTH,
    progress: Callable[[float], None] = lambda share: None,
) -> Iterator[tuple[int, Array]]:
    """The heat of one joint after the other: its number and its column ``(V,)``, none negative; all sum to about 1.

    Every vertex is heated by its nearest bones and the heat spreads over the surface, never through the air:
    ``(L + A H) w = A H p``, L the Laplacian, A the areas, ``H = strength / distance^2``.

    Parameters
    ----------
    points, triangles
        ``(V, 3)`` and ``(T, 3)``, any unit; open borders, several pieces and flat triangles work.
    nearest
        p: ``(V, J)`` 1 for the nearest bone of each vertex, shared where several are equally near.
    joints
        Which columns of it are wanted.
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
    for start in range(0, len(joints), COLUMNS):
        some = joints[start : start + COLUMNS]
        # A joint's weights lie side by side, as the solver takes and gives them.
        solved = factor.solve(np.multiply(heat[:, None], nearest[:, some], order="F", dtype=np.float64))
        for k, joint in enumerate(some.tolist()):
            yield joint, np.maximum(solved[:, k], 0)
        progress(0.4 + 0.6 * min(1.0, (start + COLUMNS) / len(joints)))
