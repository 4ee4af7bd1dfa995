"""Strokes on a held drawing: its control points move, its corners round, its strokes widen."""

from __future__ import annotations

import dataclasses
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadEditError
from plethos.core.geometry.rotations import Array
from plethos.core.sculpt.outline_brushes import OUTLINE_BRUSHES, REPEATED, OutlineSurface
from plethos.core.sculpt.session import Dab
from plethos.core.skeleton.pose import Pose
from plethos.service.library.stroke import Stored, ToolStroke
from plethos.service.library.version import HeldSculpt, OvertakenError, Version
from plethos.service.schemas.tools import OutlineSettings
from plethos.service.tools.sculpt_strokes import NONE_YET


class OutlineTool:
    """The brushes that move outlines."""

    def begin(self, version: Version, settings: OutlineSettings) -> OutlineStroke:
        if version.sculpt is None:
            raise BadEditError(NONE_YET)
        if not version.character.mesh.is_flat:
            raise BadEditError("This character has no outlines: sculpt its skin.")
        return OutlineStroke(version, version.sculpt, settings)


class OutlineStroke(ToolStroke):
    """A stroke on the held outlines, in the air."""

    def __init__(self, version: Version, held: HeldSculpt, settings: OutlineSettings) -> None:
        super().__init__(version)
        self.held, self.settings = held, settings
        assert held.channels is not None, "drawings have widths"
        assert held.start_channels is not None
        self.surface = OutlineSurface(
            version.character.mesh, held.points.copy(), held.channels.copy(), held.start, held.start_channels
        )  # fmt: skip

    def touch(self, pose: Pose, settings: OutlineSettings, dabs: Sequence[Dab]) -> None:
        brush = OUTLINE_BRUSHES[settings.brush]
        self.surface.picked, self.surface.others = settings.picked, settings.others
        for dab in dabs:
            self.surface.check(dab)
        self.settings = settings
        for dab in dabs:
            if settings.brush in REPEATED:
                self.surface.let_go()
            brush(self.surface, dab)

    def points(self) -> NDArray[np.float64]:
        return self.surface.points

    def channels(self) -> Array:
        return self.surface.channels

    def stored(self, version: Version) -> Stored:
        held = version.sculpt
        if held is None or not held.goes_on(self.held.note):
            raise OvertakenError
        note = dataclasses.replace(held.note, strokes=held.note.strokes + 1)
        points, channels = self.surface.points, self.surface.channels
        if held is not self.held:
            # Someone else's stroke was stored meanwhile: this one comes on top of it.
            assert held.channels is not None
            assert self.held.channels is not None
            points = held.points + (points - self.held.points)
            channels = held.channels + (channels - self.held.channels)
        return Stored(
            f"Stroke: {self.settings.brush.replace('_', ' ')}", version.character, held.after(note, points, channels)
        )  # fmt: skip
