"""Inflate: push the skin out along its normals, or let it in."""

import numpy as np
from numpy.typing import NDArray

from plethos.core.sculpt.session import Dab, SculptSurface

STEP = 0.06  # of the radius, for a dab at full strength


def inflate(surface: SculptSurface, dab: Dab) -> NDArray[np.int32]:
    """Move each vertex along its own normal; negative strength lets it in. Returns the vertices that moved."""
    touched = surface.touch(dab)
    amount = STEP * dab.radius * dab.strength
    surface.points[touched.vertices] += amount * touched.shares[:, None] * surface.normals(touched.vertices)
    return touched.vertices
