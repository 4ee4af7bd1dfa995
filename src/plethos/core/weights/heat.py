"""Automatic weights by heat diffusion over the skin."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.geometry.laplacian import laplacian_of
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import Corners
from plethos.core.weights.heat_factor import HeatFactor

STRENGTH = 1.6


def heat_weights(
    points: Array, triangles: Corners, nearest: NDArray[np.floating], distance: Array, strength: float = STRENGTH
) -> Array:
    """Weights ``(V, J)`` that each sum to 1, none negative: all of `heat_columns` at once, `nearest` dense."""
    w = np.zeros(nearest.shape, order="F")
    laplacian, areas = laplacian_of(points, triangles)
    for joint, warm, heats in heat_columns(laplacian, areas, sparse.csc_matrix(nearest), distance, strength):
        w[warm, joint] = heats
    w /= w.sum(axis=1, keepdims=True)
    return w


def heat_columns(
    laplacian: sparse.csr_matrix,
    areas: Array,
    nearest: sparse.csc_matrix,
    distance: Array,
    strength: float = STRENGTH,
    progress: Callable[[float], None] = lambda share: None,
) -> Iterator[tuple[int, NDArray[np.intp], Array]]:
    """The heat of one joint after the other: its number, the vertices ``(N,)`` it warms, and how much; together 1.

    Every vertex is heated by its nearest bones and the heat spreads over the surface, never through the air:
    ``(L + A H) w = A H p``, L the Laplacian, A the areas, ``H = strength / distance^2``.

    Parameters
    ----------
    laplacian, areas
        L ``(V, V)`` and A ``(V,)`` of `laplacian_of`.
    nearest
        p: ``(V, J)`` 1 for the nearest bone of each vertex, shared where several are equally near. Joints that are
        nearest nowhere are left out.
    distance
        ``(V,)`` to that bone, above 0.
    progress
        Called with the share done, between joints.

    References
    ----------
    Baran and Popovic, "Automatic rigging and animation of 3D characters", SIGGRAPH 2007 (title from memory).
    """
    heat = areas * strength / distance**2
    factor = HeatFactor.of((laplacian + sparse.diags(heat)).tocsc())
    progress(0.4)
    joints = np.flatnonzero(np.diff(nearest.indptr)).tolist()

    def warmed(joint: int) -> tuple[NDArray[np.intp], Array]:
        own = slice(nearest.indptr[joint], nearest.indptr[joint + 1])
        heated = nearest.indices[own]
        return factor.warmed(heated, heat[heated] * nearest.data[own])

    # The solves know nothing of each other, and their loop lets go of the interpreter.
    with ThreadPoolExecutor(os.cpu_count()) as pool:
        for k, (joint, found) in enumerate(zip(joints, pool.map(warmed, joints), strict=True)):
            yield joint, *found
            progress(0.4 + 0.6 * (k + 1) / len(joints))
