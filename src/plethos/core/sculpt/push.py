"""Push: take the faces under the brush out along their common normal, as far as the pointer is dragged."""

import numpy as np
from numpy.typing import NDArray

from plethos.core.sculpt.session import Dab, SculptSurface


def push(surface: SculptSurface, dab: Dab) -> NDArray[np.int32]:
    """Move what the stroke took hold of along the normal that it had in common then; negative strength goes in.

    Returns the vertices ``(N,)`` that moved.
    """
    hold = surface.held(dab)
    normal = hold.touched.shares @ hold.normals
    normal /= max(float(np.linalg.norm(normal)), 1e-30)
    far = float(np.linalg.norm(dab.drag)) * dab.strength
    surface.points[hold.touched.vertices] = hold.origin + far * hold.touched.shares[:, None] * normal
    return hold.touched.vertices
