"""Automatic weights by heat diffusion over the skin."""

from __future__ import annotations

from collections.abc import Callable

import numba as nb
import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.linalg import splu

from plethos.core.mesh import Triangles
from plethos.core.rotations import Array

COLUMNS = 8  # joints that are solved at once


def heat_weights(
    points: Array,
    triangles: Triangles,
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


def limit_influences(weights: Array, most: int, least: float = 0.003) -> tuple[NDArray[np.int32], NDArray[np.float32]]:
    """Dense weights ``(V, J)`` as the `most` largest a vertex: indices and weights ``(V, most)``.

    The next smaller weight, or `least`, is subtracted before the cut, so that neighbours with other lists do not tear.
    """
    order, largest = _largest(np.ascontiguousarray(weights, np.float64), most + 1)
    w = np.maximum(largest[:, :most] - np.maximum(largest[:, most:], least), 0)
    order = order[:, :most]
    total = w.sum(axis=1, keepdims=True)
    # Weights stored as float32 sum to 1 but for rounding: dividing again would make every edit nudge the whole skin.
    w = np.where(np.abs(total - 1) < 1e-6, w, w / total)
    return np.where(w > 0, order, 0).astype(np.int32), w.astype(np.float32)


@nb.njit(cache=True, nogil=True)
def _largest(weights, count):  # type: ignore[no-untyped-def]
    """The `count` largest of each row and where they are, largest first, of equals the first; 0 for what is missing."""
    order = np.zeros((len(weights), count), np.int64)
    largest = np.zeros((len(weights), count))
    for row in range(len(weights)):
        found = 0
        for column in range(weights.shape[1]):
            value = weights[row, column]
            if value <= 0 or (found == count and value <= largest[row, count - 1]):
                continue
            place = min(found, count - 1)
            while place > 0 and largest[row, place - 1] < value:
                largest[row, place], order[row, place] = largest[row, place - 1], order[row, place - 1]
                place -= 1
            largest[row, place], order[row, place] = value, column
            found = min(found + 1, count)
    return order, largest
