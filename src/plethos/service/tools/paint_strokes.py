"""Painting weights: the brush on the posed skin. A stroke is stored when it ends."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.sculpt.flat_surface import surface_under
from plethos.core.sculpt.session import Dab
from plethos.core.skeleton.pose import Pose
from plethos.core.skin.bone_table import BoneTable, bone_table
from plethos.core.weights.assign import INSIDE, with_joint_weights
from plethos.core.weights.limit import limit_influences
from plethos.service.edits.weight_brush import paint_of, painted
from plethos.service.library.stroke import Stored, ToolStroke
from plethos.service.library.version import OvertakenError, Version
from plethos.service.schemas.tools import PaintSettings


class PaintTool:
    """The brush for weights."""

    def begin(self, version: Version, settings: PaintSettings) -> PaintStroke:
        if version.sculpt is not None:
            raise BadEditError("A sculpt is in progress: keep or drop it first.")
        return PaintStroke(version, settings)


class PaintStroke(ToolStroke):
    """A stroke of weights in the air.

    Parameters
    ----------
    version
        What it began on.
    settings
        Of its first touch; whether it is mirrored stays.
    """

    def __init__(self, version: Version, settings: PaintSettings) -> None:
        character = version.character
        super().__init__(version)
        self.settings = settings
        self.painted = painted(character, settings.mirror)
        start = character.mesh.rest.astype(np.float64)
        self.surface = surface_under(character.mesh, start, start.copy())
        wanted = np.tile(character.skeleton.is_joint, (len(character.mesh.parts), 1))
        self._table: BoneTable = bone_table(character.mesh, character.skeleton, character.binding, wanted)
        pad = ((0, 0), (0, max(INSIDE - character.binding.weights.shape[1], 0)))
        roomy = replace(
            character.binding,
            bones=self._table.bones,
            influences=np.pad(character.binding.influences, pad),
            weights=np.pad(character.binding.weights, pad),
        )
        # Its own evaluator, over a layout of its own: the version's is not touched.
        self._evaluator = Evaluator.of(replace(character, binding=roomy), version.evaluator)
        self._laid: Pose | None = None

    def touch(self, pose: Pose, settings: PaintSettings, dabs: Sequence[Dab]) -> None:
        character = self.version.character
        paint = paint_of(character, settings)
        if paint.locked[paint.joint]:
            raise BadEditError("The weights of that joint are locked: unlock it to paint them.")
        self.surface.within = None if settings.within is None else settings.within.shares(character)
        for dab in dabs:
            self.surface.check(dab)
        self.settings = settings
        if self._laid is None or not np.array_equal(self._laid.rotations, pose.rotations):
            self.shown(pose, self._evaluator.pose(pose).points)
        changed = [np.zeros(0, np.int32)]
        for dab in dabs:
            pressed = replace(paint, strength=paint.strength * abs(dab.strength))
            changed.append(self.painted.dab(self.surface.touch(dab), pressed))
        vertices = np.unique(np.concatenate(changed)).astype(np.int32)
        joints, weights = limit_influences(self.painted.rows[vertices], INSIDE, 0.0)
        influences = self._table.influences(character.mesh.part_numbers[vertices], joints, weights)
        self._evaluator.reweigh(vertices, influences, weights)

    def evaluator(self) -> Evaluator:
        return self._evaluator

    def weights(self) -> sparse.csr_matrix:
        return self.painted.rows.over()

    def weights_of(self, joint: int) -> NDArray[np.float32]:
        return self.painted.of_joint(joint)

    def shown(self, pose: Pose, points: NDArray[np.floating]) -> None:
        self.surface.points[:] = points
        self._laid = pose

    def stored(self, version: Version) -> Stored:
        before, now = self.version.character, version.character
        other = None
        if now.binding is not before.binding:
            # What was changed meanwhile stays where this stroke did not paint.
            if now.skeleton.joint_keys != before.skeleton.joint_keys:
                raise OvertakenError
            other = now.binding.by_vertex
        return Stored(f"Paint {self.settings.joint}", with_joint_weights(now, self.painted.rows.over(other), INSIDE))
