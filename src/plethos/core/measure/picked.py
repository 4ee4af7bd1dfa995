"""Measures of a region that someone picked."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.measure.region import Region, encloses, region_of, region_volume
from plethos.core.skin.picked import PICKED


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
        return cls(region if encloses(region, points) else None, region_volume(region, points))

    def volume_percent(self, points: NDArray[np.floating]) -> float | None:
        """Volume of the region in posed points ``(V, 3)`` of the whole character, percent of rest; None without one."""
        if self.region is None:
            return None
        return 100 * region_volume(self.region, points[self.region.vertices]) / self.volume
