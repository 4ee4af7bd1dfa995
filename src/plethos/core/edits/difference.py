"""The difference that a pose makes, kept as a shape: what joints do, or dials, without them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.rules.dials import Dial
from plethos.core.rules.remedies import Corrective, Remedy
from plethos.core.sculpt.solve import solve_corrective
from plethos.core.skeleton.names import free_name, new_id
from plethos.core.skeleton.pose import Pose
from plethos.core.skin.shape import Shape


def with_difference(character: Character, pose: Pose, name: str, evaluator: Evaluator | None = None) -> Character:
    """The character with a corrective that does, over all its parts, what a pose does, and a dial that turns it on.

    The pose has to be reset then, or the movement is applied twice.

    Raises
    ------
    BadEditError
        When the pose moves nothing.
    """
    known = evaluator or Evaluator.of(character)
    rest = known.pose(character.skeleton.rest_pose())
    points = known.pose(pose).exact_points()
    rules = character.rules
    label = free_name(name, {r.name for r in rules.remedies})
    try:
        shape, report = solve_corrective(rest, points, label)
    except BadEditError:
        raise BadEditError("This pose looks as at rest: there is no difference to keep.") from None
    dial = Dial(free_name(label, {d.name for d in rules.dials}), 0.0, 1.0, 0.0, new_id())
    told = {**report.to_json(), "warnings": []}
    body = Corrective.of(shape, None, told)
    remedy = Remedy(body, label, by=dial.id)
    return character.with_rules(rules.with_dial(dial).with_remedy(remedy))


def of_file_shape(character: Character, name: str) -> Remedy:
    """A corrective, not tied yet, of a shape that came with the file.

    Raises
    ------
    BadEditError
        When there is no such shape, or it moves nothing.
    """
    found = next((s for s in character.mesh.shapes if s.name == name), None)
    if found is None:
        raise BadEditError(f"There is no shape called “{name}” in this character's file.")
    if not np.abs(found.deltas).max(initial=0) > 0:
        raise BadEditError(f"The shape “{name}” moves nothing.")
    taken = {r.name for r in character.rules.remedies} | {s.name for s in character.mesh.shapes}
    label = free_name(name, taken)
    shape: Shape = replace(found, name=label, weight=0.0)
    return Remedy(Corrective.of(shape), label)
