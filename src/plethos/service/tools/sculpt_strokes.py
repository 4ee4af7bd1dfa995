"""Strokes on the held skin: brushes that move it, what they leave alone and take along."""

from __future__ import annotations

import dataclasses
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadEditError
from plethos.core.sculpt import BRUSHES
from plethos.core.sculpt.mirrored import PosedMirror
from plethos.core.sculpt.session import Dab, SculptSurface
from plethos.core.skeleton.pose import Pose
from plethos.service.library.stroke import Stored, ToolStroke
from plethos.service.library.version import HeldSculpt, OvertakenError, Version
from plethos.service.schemas.tools import SculptSettings

NONE_YET = "No sculpt is in progress: begin one first."


class SculptTool:
    """The brushes that move the skin."""

    def begin(self, version: Version, settings: SculptSettings) -> SculptStroke:
        if version.sculpt is None:
            raise BadEditError(NONE_YET)
        return SculptStroke(version, version.sculpt, settings)


class SculptStroke(ToolStroke):
    """A stroke on the held skin, in the air."""

    def __init__(self, version: Version, held: HeldSculpt, settings: SculptSettings) -> None:
        super().__init__(version)
        self.held, self.settings = held, settings
        mesh = version.character.mesh
        self.surface = SculptSurface(mesh.topology, held.points.copy(), held.start, at_rest=mesh.rest)
        self.mirror: PosedMirror | None = None

    def touch(self, pose: Pose, settings: SculptSettings, dabs: Sequence[Dab]) -> None:
        if settings.brush not in BRUSHES:
            raise BadEditError(f"There is no brush called “{settings.brush}”; there are {', '.join(BRUSHES)}.")
        for dab in dabs:
            self.surface.check(dab)
        mesh, binding = self.version.character.mesh, self.version.character.binding
        if not settings.mirror:
            self.mirror = None
        elif self.mirror is None:
            self.mirror = PosedMirror.of(self.held.base.points, mesh.pairs)
        within = None if settings.within is None else settings.within.shares(self.version.character)
        if settings.border_stays and mesh.border.any():
            within = np.where(mesh.border, 0, 1 if within is None else within).astype(np.float32)
        self.surface.within = within
        if not settings.through:
            self.surface.through = None
        elif self.surface.through is None:
            self.surface.through = np.asarray(binding.by_vertex.argmax(axis=1)).ravel()
        self.settings = settings
        for dab in dabs:
            BRUSHES[settings.brush](self.surface, dab)

    def points(self) -> NDArray[np.float64]:
        if self.mirror is None:
            return self.surface.points
        return self.held.points + self.mirror.both(self.surface.points - self.held.points)

    def stored(self, version: Version) -> Stored:
        held = version.sculpt
        if held is None or not held.goes_on(self.held.note):
            raise OvertakenError
        note = dataclasses.replace(held.note, strokes=held.note.strokes + 1)
        points = self.points()
        if held is not self.held:
            # Someone else's stroke was stored meanwhile: this one comes on top of it.
            points = held.points + (points - self.held.points)
        return Stored(
            f"Stroke: {self.settings.brush.replace('_', ' ')}", version.character, held.after(note, points)
        )  # fmt: skip
