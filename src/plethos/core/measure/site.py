"""The region of a joint with its slices, and their values at rest."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.measure.girth import Cuts, Slice, cut_slices
from plethos.core.measure.measured import Measured
from plethos.core.measure.region import MARGIN, Region, encloses, joint_region, region_volume
from plethos.core.measure.strain import Strain


@dataclass(frozen=True, eq=False)
class BendSite:
    """A joint's region with its slices and their values at rest: what depends on mesh, skeleton and binding only."""

    region: Region
    slices: tuple[Slice, ...]
    volume: float | None
    cuts: Cuts
    strain: Strain

    @classmethod
    def of(cls, character: Character, joint: int) -> BendSite:
        """Find the region of a joint.

        Raises
        ------
        BadEditError
            When the joint bends no skin.
        """
        rest = character.mesh.rest
        region, slices = _sliced(character, joint, MARGIN)
        for wider in WIDER:
            if slices:
                break
            further = _sliced(character, joint, wider)
            region, slices = further if further[1] else (region, slices)
        points = rest[region.vertices]
        volume = region_volume(region, points) if encloses(region, points) else None
        return cls(region, slices, volume, Cuts.of(slices, points), Strain.of(region.triangles, points))

    @property
    def vertices(self) -> NDArray[np.int32]:
        """The vertices ``(N,)`` of its region."""
        return self.region.vertices

    def measured(self, points: NDArray[np.floating]) -> Measured:
        """Measures of posed points ``(N, 3)`` of the region's vertices, without those of the skin: every frame asks."""
        girth = self.cuts.areas(points) / self.cuts.at_rest
        return Measured(
            None if self.volume is None else 100 * region_volume(self.region, points) / self.volume,
            100 * float(girth.min()) if len(girth) else None,
            most_girth=100 * float(girth.max()) if len(girth) else None,
        )

    def with_skin(self, points: NDArray[np.floating]) -> Measured:
        """The same with stretch and folds of the skin."""
        stretch, fold = self.strain.stretch(points), self.strain.fold(points)
        return replace(self.measured(points), stretch=stretch, fold=fold)

    @property
    def why(self) -> tuple[str, ...]:
        """What cannot be measured, and why: a sentence for each."""
        out = []
        if self.volume is None:
            out.append("The skin here is an open sheet: it goes round no volume that could be kept.")
        if not self.slices:
            out.append("No closed slice of the skin goes round the bone here, so it has no girth.")
        return tuple(out)


# Skin of few vertices may bend along a single ring of edges: then the region goes this much further (of its radius).
WIDER = (0.8, 1.6)


def _sliced(character: Character, joint: int, margin: float) -> tuple[Region, tuple[Slice, ...]]:
    rest = character.mesh.rest
    region = joint_region(character, joint, rest, margin)
    return region, tuple(cut_slices(character.skeleton, joint, region, rest[region.vertices]))
