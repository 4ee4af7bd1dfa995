"""Measures of a region that someone picked."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.measure.region import Region, region_of, region_volume
from plethos.core.picked import PICKED

# A flat or nearly flat patch holds no volume worth a number: less than this share of what a ball of its area holds.
SOLID = 0.05


@dataclass(frozen=True)
class PickedPatch:
    """A picked region with its volume at rest.

    Parameters
    ----------
    region
        The triangles whose three vertices belong to it by half or more; None where they enclose next to nothing.
    volume
        At rest, cubic metres, open borders capped.
    """

    region: Region | None
    volume: float

    @classmethod
    def of(cls, character: Character, rest: NDArray[np.floating], name: str = PICKED) -> PickedPatch:
        """A region of a character; `rest` ``(V, 3)`` are its points at rest in the world."""
        mask = character.region(name) >= 0.5
        region = region_of(character, mask) if mask.any() else None
        if region is None or len(region.triangles) == 0:
            return cls(None, 0.0)
        points = rest[region.vertices].astype(np.float64)
        volume = region_volume(region, points)
        a, b, c = (points[region.triangles[:, k]] for k in range(3))
        area = 0.5 * float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum())
        return cls(region if abs(volume) > SOLID * area**1.5 / (6 * np.sqrt(np.pi)) else None, volume)

    def volume_percent(self, points: NDArray[np.floating]) -> float | None:
        """Volume of the region in posed points ``(V, 3)`` of the whole character, percent of rest; None without one."""
        if self.region is None:
            return None
        return 100 * region_volume(self.region, points[self.region.vertices]) / self.volume
