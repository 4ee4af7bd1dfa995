"""Grab: drag the skin along with the pointer."""

import numpy as np
from numpy.typing import NDArray

from plethos.core.sculpt.session import Dab, SculptSurface


def grab(surface: SculptSurface, dab: Dab) -> NDArray[np.int32]:
    """Move what the stroke took hold of by the pointer's way since it began, times falloff and strength.

    Returns the vertices ``(N,)`` that moved.
    """
    hold = surface.held(dab)
    shift = np.array(dab.drag) * abs(dab.strength)
    surface.points[hold.touched.vertices] = hold.origin + hold.touched.shares[:, None] * shift
    return hold.touched.vertices
