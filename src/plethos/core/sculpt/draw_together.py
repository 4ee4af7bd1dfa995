"""Draw together: gather the skin towards the middle of the brush, or spread it."""

import numpy as np
from numpy.typing import NDArray

from plethos.core.sculpt.session import Dab, SculptSurface

STEP = 0.2  # of the way to the middle, for a dab at full strength


def draw_together(surface: SculptSurface, dab: Dab) -> NDArray[np.int32]:
    """Move each vertex in its own tangent plane towards the brush; negative strength moves it away.

    Returns the vertices ``(N,)`` that moved.
    """
    touched = surface.touch(dab)
    normals = surface.normals(touched.vertices)
    way = np.array(dab.at) - surface.points[touched.vertices]
    way -= np.einsum("nk,nk->n", way, normals)[:, None] * normals
    surface.points[touched.vertices] += STEP * dab.strength * touched.shares[:, None] * way
    return touched.vertices
