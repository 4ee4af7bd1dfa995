"""Flatten: bring the skin into one plane, or further out of it."""

import numpy as np
from numpy.typing import NDArray

from plethos.core.sculpt.session import Dab, SculptSurface

STEP = 0.5  # of the way to the plane, for a dab at full strength


def flatten(surface: SculptSurface, dab: Dab) -> NDArray[np.int32]:
    """Move what is under the brush towards the plane that lies best in it; negative strength moves it away.

    Returns the vertices ``(N,)`` that moved.
    """
    touched = surface.touch(dab)
    shares = touched.shares
    if shares.sum() <= 0:
        return touched.vertices
    places = surface.points[touched.vertices]
    normal = shares @ surface.normals(touched.vertices)
    normal /= max(float(np.linalg.norm(normal)), 1e-30)
    off = (places - shares @ places / shares.sum()) @ normal
    surface.points[touched.vertices] -= STEP * dab.strength * (shares * off)[:, None] * normal
    return touched.vertices
