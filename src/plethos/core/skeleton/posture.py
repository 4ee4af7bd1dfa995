"""Whether a character stands: some files have Z for up, and their characters come in lying on their backs."""

from __future__ import annotations

import numpy as np

from plethos.core.skeleton.skeleton import Skeleton

UPS = ("y", "z")
THIN, WIDE = 0.4, 0.3  # shares of the height: our own guess, no source
LEAST = 8  # joints of which a figure can be told


def lies_on_its_back(skeleton: Skeleton) -> bool:
    """Whether the joints at rest are spread as those of a figure that would stand if Z were up.

    Such a figure is thin along Y and wide along X, as two arms are; what goes on four legs is long along Z but narrow.
    """
    at = skeleton.rest_global[skeleton.is_joint, :3, 3]
    if len(at) < LEAST:
        return False
    x, y, z = np.ptp(at, axis=0)
    return bool(y < THIN * z and x > WIDE * z)
