"""The brush for weights, as strokes and fills set it."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.weights.gradient import chain_along
from plethos.core.weights.paint import MODES, Paint, PaintedWeights
from plethos.service.edits.within import Within


@dataclass(frozen=True)
class PaintSettings:
    """What the brush is set to, joints by name: see `core.weights.paint.Paint`."""

    mode: str
    joint: str
    value: float = 1.0
    strength: float = 1.0
    locked: tuple[str, ...] = ()
    mirror: bool = False
    within: Within | None = None

    def paint(self, character: Character) -> Paint:
        """The same with joints by number, and with the bone that *even* levels."""
        skeleton = character.skeleton
        if self.mode not in MODES:
            raise BadEditError(f"There is no way to paint called “{self.mode}”; there are {', '.join(MODES)}.")
        locked = skeleton.mask(self.locked)
        return with_bone(character, Paint(self.mode, skeleton.find(self.joint), self.value, self.strength, locked))


def with_bone(character: Character, paint: Paint) -> Paint:
    """The brush with the bone that *even* levels."""
    return replace(paint, bone=chain_along(character.skeleton, paint.joint)) if paint.mode == "even" else paint


def painted(character: Character, mirror: bool) -> PaintedWeights:
    """A version's weights under the brush; with `mirror` what is done is done on the other side too."""
    twin, other = character.sides if mirror else (None, None)
    mesh = character.mesh
    dense = character.binding.joint_weights.astype(np.float64)
    return PaintedWeights(
        mesh.topology, dense, character.skeleton.joint_parents, twin, other, mesh.rest, mesh.mirror_x
    )  # fmt: skip
