"""Slide: move edges along the surface and keep the surface where it is."""

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from plethos.core.geometry.rotations import Array
from plethos.core.sculpt import kernels
from plethos.core.sculpt.session import Dab, Hold, SculptSurface

NEAREST = 16  # triangles that are looked at for each vertex


def slide(surface: SculptSurface, dab: Dab) -> NDArray[np.int32]:
    """Move what the stroke took hold of by the pointer's way, and back onto the surface that was there then.

    Returns the vertices ``(N,)`` that moved.
    """
    hold = surface.held(dab)
    if not len(hold.touched.vertices):
        return hold.touched.vertices
    shift = np.array(dab.drag) * abs(dab.strength)
    way = shift - (hold.normals @ shift)[:, None] * hold.normals
    wanted = hold.origin + hold.touched.shares[:, None] * way
    surface.points[hold.touched.vertices] = _onto(surface, hold, wanted)
    return hold.touched.vertices


def _onto(surface: SculptSurface, hold: Hold, wanted: Array) -> Array:
    """The nearest places ``(N, 3)`` on the surface as it was when the stroke began."""
    if hold.ground is None:
        # One ring more than what is held: the rim slides onto it.
        mask = np.zeros(surface.topology.count, bool)
        mask[hold.touched.vertices] = True
        mask = surface.topology.grow(mask, 2)
        triangles = surface.topology.triangles
        near = triangles[mask[triangles].all(axis=1)]
        corners = surface.points[near].copy()
        # What is held stands where the stroke began.
        hold.ground = (corners, cKDTree(corners.mean(axis=1)))
    corners, tree = hold.ground
    near_by = tree.query(wanted, min(NEAREST, len(corners)))[1].reshape(len(wanted), -1)
    out = np.empty_like(wanted)
    kernels.nearest_on(wanted, corners, near_by.astype(np.int64), out)
    return out
