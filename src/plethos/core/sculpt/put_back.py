"""Put back: return the skin to what it was when the session began."""

import numpy as np
from numpy.typing import NDArray

from plethos.core.sculpt.session import Dab, SculptSurface

EXACT = 0.98  # at this much of the way the rest is taken too, so that borders meet again exactly


def put_back(surface: SculptSurface, dab: Dab) -> NDArray[np.int32]:
    """Go part of the way back to the start of the session. Returns the vertices that moved."""
    touched = surface.touch(dab)
    share = np.minimum(abs(dab.strength) * 2, 1.0) * touched.shares[:, None]
    now, start = surface.points[touched.vertices], surface.start[touched.vertices]
    share = np.where(share > EXACT, 1.0, share)
    surface.points[touched.vertices] = now + share * (start - now)
    return touched.vertices
