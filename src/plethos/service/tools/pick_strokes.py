"""Picking by a stroke over the skin."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.sculpt.flat_surface import surface_under
from plethos.core.sculpt.session import Dab
from plethos.core.skeleton.pose import Pose
from plethos.core.skin.picked import PICKED
from plethos.service.edits.region_edits import Shares
from plethos.service.library.stroke import Stored, ToolStroke
from plethos.service.library.version import Version
from plethos.service.schemas.tools import PickSettings


class PickTool:
    """The brush that picks."""

    def begin(self, version: Version, settings: PickSettings) -> PickStroke:
        if version.sculpt is not None:
            raise BadEditError("A sculpt is in progress: keep or drop it first.")
        return PickStroke(version)


class PickStroke(ToolStroke):
    """A stroke that picks, in the air."""

    def __init__(self, version: Version) -> None:
        character = version.character
        super().__init__(version)
        self.shares = character.region()
        start = character.mesh.rest.astype(np.float64)
        self.surface = surface_under(character.mesh, start, start.copy())

    def touch(self, pose: Pose, settings: PickSettings, dabs: Sequence[Dab]) -> None:
        for dab in dabs:
            self.surface.check(dab)
        self.surface.points[:] = self.version.evaluator.pose(pose).points
        for dab in dabs:
            # What is under the ring is picked whole: soft borders are made after.
            reached = self.surface.touch(dab).vertices
            if settings.mirror:
                there = self.version.character.mesh.pairs[reached]
                reached = np.concatenate([reached, there[there >= 0]])
            self.shares[reached] = 0 if settings.take else 1

    def picked(self) -> Shares:
        return self.shares.copy()

    def stored(self, version: Version) -> Stored:
        now, before = version.character.region(), self.version.character.region()
        shares = np.where(self.shares != before, self.shares, now)
        return Stored("Pick by stroke", version.character.with_region(PICKED, shares))
