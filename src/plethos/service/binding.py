"""Binding: automatic weights, strokes of the brush, parts given to one joint. Every stroke is stored when it ends."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.place import moved_joints
from plethos.core.sculpt.session import Dab, SculptSurface, Touched
from plethos.core.skeleton import Pose
from plethos.core.symmetry import MIRROR, joint_mirror, vertex_mirror
from plethos.core.weights.assign import INSIDE, bone_table, part_numbers, with_joint_weights
from plethos.core.weights.bind import bound_automatically
from plethos.core.weights.check import check_weights, stray_weights, without_stray
from plethos.core.weights.edit import given_to, mirrored_from
from plethos.core.weights.heat import limit_influences
from plethos.core.weights.paint import Paint, PaintedWeights
from plethos.service.open_character import OpenCharacter, PaintSession
from plethos.service.workbench import Workbench


def paint_dabs(opened: OpenCharacter, pose: Pose, touches: Sequence[Dab], paint: Paint, mirror: bool) -> None:
    """Let the brush touch the posed skin; shown at once, stored by `end_stroke`.

    Raises
    ------
    BadEditError
        When a sculpt is in progress, or the brush is set to nonsense.
    """
    with opened.lock:
        if opened.sculpt is not None:
            raise BadEditError("A sculpt is in progress: keep or drop it first.")
        session = opened.painting or _begin(opened, mirror)
        if not session.is_laid(pose):
            session.lay(pose, session.evaluator.evaluate(pose))
        changed = [session.weights.dab(session.surface.touch(touch), paint) for touch in touches]
        vertices = np.unique(np.concatenate([np.zeros(0, np.int32), *changed])).astype(np.int32)
        joints, weights = limit_influences(session.weights.dense[vertices], INSIDE, 0.0)
        influences = session.table.influences(session.parts[vertices], joints, weights)
        session.evaluator.reweigh(vertices, influences, weights)
        opened.painting = session


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
    twin = other = None
    if mirror:
        twin, other = vertex_mirror(opened.rest), joint_mirror(character.skeleton)
    dense = character.joint_weights.astype(np.float64)
    weights = PaintedWeights(character.topology, dense, character.skeleton.joint_parents, twin, other)
    points = opened.rest.astype(np.float64)
    surface = SculptSurface(character.topology, points, points.copy())
    return PaintSession(weights, surface, Evaluator(roomy), table, part_numbers(character))


def end_stroke(workbench: Workbench, opened: OpenCharacter, joint: int) -> None:
    """Store what the stroke did; only then is it undoable and safe. A stroke that was refused leaves nothing."""
    with opened.lock:
        session = opened.painting
        if session is None:
            return
        character = _with(opened.character, session.weights.dense)
        workbench.commit(opened, f"Paint {opened.character.skeleton.names[joint]}", character, None)


def _with(character: Character, dense: NDArray[np.float64]) -> Character:
    return with_joint_weights(character, dense, INSIDE)


def automatic(
    workbench: Workbench, character_id: str, joints: Sequence[str] | None, progress: Callable[[float], None]
) -> OpenCharacter:
    """Automatic weights for all joints, or for some; `progress` may raise to cancel, then nothing changes."""
    opened = workbench.open(character_id)
    chosen = None
    if joints is not None:
        chosen = np.zeros(len(opened.character.skeleton), dtype=bool)
        chosen[[opened.character.skeleton.find(name) for name in joints]] = True
    # Worked out beside the lock, so that posing goes on meanwhile.
    before = opened.character
    bound = bound_automatically(before, INSIDE, chosen, None, progress)

    def change(now: Character) -> Character:
        if now is not before:
            raise BadEditError("The character was changed while its weights were worked out: start again.")
        return bound

    label = "Automatic weights" if joints is None else f"Automatic weights of {', '.join(joints)}"
    return workbench.edit(character_id, label, change)


def give(workbench: Workbench, character_id: str, part: str, joint: str) -> OpenCharacter:
    """Let a whole part follow one joint rigidly."""

    def change(character: Character) -> Character:
        found = next((p for p in character.parts if p.name == part), None)
        if found is None:
            raise BadEditError(f"There is no part called “{part}” in this character.")
        mask = np.zeros(len(character.points), dtype=bool)
        mask[slice(*found.vertices)] = True
        return _with(character, given_to(character, mask, character.skeleton.find(joint)))

    return workbench.edit(character_id, f"Give {part} to {joint}", change)


def carry_over(workbench: Workbench, character_id: str, from_left: bool) -> OpenCharacter:
    """Carry the weights of one side over to the other."""
    label = "Mirror weights, left to right" if from_left else "Mirror weights, right to left"
    side = 1.0 if from_left else -1.0
    return workbench.edit(character_id, label, lambda c: _with(c, mirrored_from(c, side)))


def mend_stray(workbench: Workbench, character_id: str, joint: str | None = None) -> OpenCharacter:
    """Take stray weights away: one joint's, or all."""

    def change(character: Character) -> Character:
        findings = stray_weights(character)
        if joint is not None:
            findings = [f for f in findings if f.joint == character.skeleton.find(joint)]
        if not findings:
            raise BadEditError("There is no stray weight there any more.")
        return _with(character, without_stray(character, findings))

    return workbench.edit(character_id, "Mend stray weights", change)


def findings(opened: OpenCharacter, limit: int = 4) -> list[dict[str, Any]]:
    """What is wrong with the weights, each with a place to look at."""
    character = opened.character
    out = []
    for finding in check_weights(character, limit):
        at = opened.rest[finding.vertices].mean(axis=0)
        name = None if finding.joint is None else character.skeleton.names[finding.joint]
        out.append(
            {
                "kind": finding.kind,
                "joint": name,
                "vertices": len(finding.vertices),
                "worst": round(finding.worst, 3),
                "at": [round(float(c), 4) for c in at],
            }
        )
    return out


def move_joint(
    workbench: Workbench, character_id: str, joint: str, place: Sequence[float], mirror: bool
) -> OpenCharacter:
    """Move a joint at rest to a place in the world, its mirror image with it if wanted; the skin stays."""

    def change(character: Character) -> Character:
        j = character.skeleton.find(joint)
        places = {j: np.asarray(place, dtype=np.float64)}
        twin = int(joint_mirror(character.skeleton)[j])
        if mirror and twin != j:
            places[twin] = places[j] * MIRROR
        return moved_joints(character, places)

    return workbench.edit(character_id, f"Move {joint}", change)


def influences(opened: OpenCharacter, vertex: int) -> list[tuple[str, float]]:
    """What a vertex follows, the most first.

    Raises
    ------
    BadEditError
        When there is no such vertex.
    """
    weights = opened.character.joint_weights
    if not 0 <= vertex < len(weights):
        raise BadEditError(f"There is no vertex {vertex} in this character.")
    row = weights[vertex]
    names = opened.character.skeleton.names
    return [(names[j], float(row[j])) for j in np.argsort(-row, kind="stable") if row[j] > 1e-6]


def set_weight(
    workbench: Workbench, character_id: str, vertex: int, joint: str, weight: float, locked: Sequence[str], mirror: bool
) -> OpenCharacter:
    """Give one vertex a weight by number; the joints that are not locked make up for it."""
    if not 0 <= weight <= 1:
        raise BadEditError("A weight has to lie between 0 and 1.")
    influences(workbench.open(character_id), vertex)

    def change(character: Character) -> Character:
        skeleton = character.skeleton
        held = np.zeros(len(skeleton), dtype=bool)
        held[[skeleton.find(name) for name in locked]] = True
        twin = other = None
        if mirror:
            rest = Evaluator(character).rest()
            twin, other = vertex_mirror(rest), joint_mirror(skeleton)
        dense = character.joint_weights.astype(np.float64)
        painted = PaintedWeights(character.topology, dense, skeleton.joint_parents, twin, other)
        one = Touched(np.array([vertex], dtype=np.int32), np.ones(1))
        painted.dab(one, Paint("replace", skeleton.find(joint), weight, 1.0, held))
        return _with(character, painted.dense)

    return workbench.edit(character_id, f"Weight of {joint}", change)
