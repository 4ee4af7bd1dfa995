"""How something fades over a surface."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import Topology, distance_over_surface

SEEN = 0.01  # a smaller share is left out of a mask


def falloff_from_seed(topology: Topology, points: NDArray[np.floating], seed: NDArray[np.bool_], reach: float) -> Array:
    """``(V,)`` 1 on the seed ``(V,)``, fading to 0 over `reach` metres of the surface round it."""
    distance = distance_over_surface(topology, points, seed, reach)
    away = np.clip(np.where(np.isfinite(distance), distance, np.inf) / reach, 0, 1)
    return np.asarray((1 - away**2) ** 2)


def seen(shares: Array) -> Array:
    """Shares without those too small to be seen, so that a mask keeps to few vertices."""
    return shares * (shares > SEEN)
