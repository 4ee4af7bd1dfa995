"""Smooth: draw each vertex towards the middle of its neighbours."""

import numpy as np
from numpy.typing import NDArray

from plethos.core.sculpt.session import Dab, SculptSurface


def smooth(surface: SculptSurface, dab: Dab) -> NDArray[np.int32]:
    """One step of Laplacian smoothing under the brush. Returns the vertices that moved."""
    touched = surface.touch(dab)
    share = np.minimum(abs(dab.strength), 1.0) * touched.shares[:, None]
    now = surface.points[touched.vertices]
    surface.points[touched.vertices] = now + share * (surface.averages(touched.vertices) - now)
    return touched.vertices
