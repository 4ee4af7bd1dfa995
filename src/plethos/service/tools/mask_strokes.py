"""Painting the mask of a remedy."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.sculpt.flat_surface import surface_under
from plethos.core.sculpt.session import Dab
from plethos.core.skeleton.pose import Pose
from plethos.core.skin.mask import Mask
from plethos.service.edits.mask_edits import mask_of, with_mask
from plethos.service.library.stroke import Stored, ToolStroke
from plethos.service.library.version import Version
from plethos.service.schemas.tools import MaskSettings


class MaskTool:
    """The brush for masks."""

    def begin(self, version: Version, settings: MaskSettings) -> MaskStroke:
        if version.sculpt is not None:
            raise BadEditError("A sculpt is in progress: keep or drop it first.")
        return MaskStroke(version, settings.remedy_id)


class MaskStroke(ToolStroke):
    """A stroke of a mask in the air; the skin moves by it at once."""

    def __init__(self, version: Version, remedy_id: str) -> None:
        super().__init__(version)
        character = version.character
        self.remedy_id = remedy_id
        self.before = mask_of(character, remedy_id).dense(len(character.mesh)).astype(np.float64)
        self.shares = self.before.copy()
        start = character.mesh.rest.astype(np.float64)
        self.surface = surface_under(character.mesh, start, start.copy())
        self._evaluator = version.evaluator

    def touch(self, pose: Pose, settings: MaskSettings, dabs: Sequence[Dab]) -> None:
        if settings.remedy_id != self.remedy_id:
            raise BadEditError("Another mask is being painted: end that stroke first.")
        for dab in dabs:
            self.surface.check(dab)
        self.surface.points[:] = self._evaluator.pose(pose).points
        for dab in dabs:
            touched = self.surface.touch(dab)
            now, by = self.shares[touched.vertices], touched.shares * min(abs(dab.strength), 1.0)
            if settings.mode == "smooth":
                topology = self.version.character.mesh.topology
                mean = topology.mean_beside(self.shares[:, None], touched.vertices)[:, 0]
                self.shares[touched.vertices] = now + 0.5 * by * (mean - now)  # whole steps would swing
            else:
                # The brush turned round does the other thing.
                adds = (settings.mode == "add") == (dab.strength >= 0)
                self.shares[touched.vertices] = np.clip(now + by if adds else now - by, 0, 1)
        self._evaluator = Evaluator.of(self._painted(self.version), self.version.evaluator)

    def _painted(self, version: Version) -> Character:
        remedy = version.character.rules.remedy(self.remedy_id)
        rules = version.character.rules.with_remedy(remedy.with_mask(Mask.of(self.shares)))
        return version.character.with_rules(rules)

    def evaluator(self) -> Evaluator:
        return self._evaluator

    def mask(self) -> tuple[str, NDArray[np.float32]]:
        return self.remedy_id, self.shares.astype(np.float32)

    def stored(self, version: Version) -> Stored:
        now = mask_of(version.character, self.remedy_id).dense(len(version.character.mesh))
        shares = np.where(self.shares != self.before, self.shares, now)
        name = version.character.rules.remedy(self.remedy_id).name
        return Stored(f"Paint the mask of “{name}”", with_mask(version.character, self.remedy_id, shares))
