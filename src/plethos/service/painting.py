"""Painting weights: the brush on the posed skin. Every stroke is stored when it ends."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.regions import PICKED
from plethos.core.sculpt.session import Dab, SculptSurface
from plethos.core.skeleton import Pose
from plethos.core.symmetry import joint_mirror
from plethos.core.weights.assign import INSIDE, bone_table, part_numbers, with_joint_weights
from plethos.core.weights.gradient import chain_along
from plethos.core.weights.heat import limit_influences
from plethos.core.weights.paint import Paint, PaintedWeights
from plethos.service.open_character import OpenCharacter, PaintSession
from plethos.service.workbench import Workbench


@dataclass(frozen=True)
class Within:
    """Where a brush may work.

    Parameters
    ----------
    region
        The name of a region; `PICKED` for what is picked.
    outside
        Whether everything but the region is meant: the region is locked.
    """

    region: str = PICKED
    outside: bool = False

    def shares(self, character: Character) -> NDArray[np.float32]:
        """How much the brush does at each vertex ``(V,)``."""
        shares = character.region(self.region)
        if not shares.any():
            raise BadEditError("The region holds no vertex: pick some first, or let the brush work everywhere.")
        return 1 - shares if self.outside else shares


def paint_dabs(
    opened: OpenCharacter, pose: Pose, touches: Sequence[Dab], paint: Paint, mirror: bool, within: Within | None = None
) -> None:
    """Let the brush touch the posed skin; shown at once, stored by `end_stroke`.

    Raises
    ------
    BadEditError
        When a sculpt is in progress, or the brush is set to nonsense.
    """
    with opened.lock:
        opened.refuse_while_sculpting()
        session = opened.painting or _begin(opened, mirror)
        if not session.is_laid(pose):
            session.lay(pose, session.evaluator.evaluate(pose))
        paint = with_bone(opened.character, paint)
        session.surface.within = None if within is None else within.shares(opened.character)
        changed = []
        for touch in touches:
            pressed = replace(paint, strength=paint.strength * abs(touch.strength))
            changed.append(session.weights.dab(session.surface.touch(touch), pressed))
        vertices = np.unique(np.concatenate([np.zeros(0, np.int32), *changed])).astype(np.int32)
        joints, weights = limit_influences(session.weights.dense[vertices], INSIDE, 0.0)
        influences = session.table.influences(session.parts[vertices], joints, weights)
        session.evaluator.reweigh(vertices, influences, weights)
        opened.painting = session


def with_bone(character: Character, paint: Paint) -> Paint:
    """The brush with the bone that *even* levels."""
    return replace(paint, bone=chain_along(character.skeleton, paint.joint)) if paint.mode == "even" else paint


def _begin(opened: OpenCharacter, mirror: bool) -> PaintSession:
    character = opened.character
    wanted = np.tile(character.skeleton.is_joint, (len(character.parts), 1))
    table = bone_table(character, wanted)
    pad = ((0, 0), (0, INSIDE - character.weights.shape[1]))
    roomy = replace(
        character,
        bones=table.bones,
        influences=np.pad(character.influences, pad),
        weights=np.pad(character.weights, pad),
    )
    weights = painted(opened, character, mirror)
    points = opened.rest.astype(np.float64)
    surface = SculptSurface(character.topology, points, points.copy())
    return PaintSession(weights, surface, Evaluator(roomy), table, part_numbers(character))


def painted(opened: OpenCharacter, character: Character, mirror: bool) -> PaintedWeights:
    """A version's weights under the brush; with `mirror` what is done is done on the other side too."""
    twin = other = None
    if mirror:
        twin, other = opened.twins, joint_mirror(character.skeleton, character.mirror_x)
    dense = character.joint_weights.astype(np.float64)
    parents, plane = character.skeleton.joint_parents, character.mirror_x
    return PaintedWeights(character.topology, dense, parents, twin, other, opened.rest, plane)


def end_stroke(workbench: Workbench, opened: OpenCharacter, joint: int) -> None:
    """Store what the stroke did; only then is it undoable and safe. A stroke that was refused leaves nothing."""
    with opened.lock:
        session = opened.painting
        if session is None:
            return
        character = with_joint_weights(opened.character, session.weights.dense, INSIDE)
        workbench.commit(opened, f"Paint {opened.character.skeleton.names[joint]}", character, None)
