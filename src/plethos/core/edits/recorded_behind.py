"""Order: offsets that were recorded behind the skin, on the posed points, as a shape that acts before it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import NONE, Evaluator
from plethos.core.geometry.rotations import from_axis_angle
from plethos.core.rules.remedies import Remedy
from plethos.core.rules.remedies.corrective import Target
from plethos.core.rules.triggers.hinge import hinge_of
from plethos.core.sculpt.solve import invert_offsets
from plethos.core.skeleton.pose import Pose


def made_in(character: Character, remedy: Remedy, target: Target) -> Pose | None:
    """The pose that a target was made in, as far as it is told; else where its hinge is fully on; else None."""
    told, hinge = target.made_in(character.skeleton), hinge_of(character.rules.trigger_of(remedy))
    if told is None and hinge is not None and target.at == 1:
        turned = from_axis_angle(hinge.axis, hinge.response.end)
        return character.skeleton.rest_pose().with_rotation(hinge.joint, turned)
    return told


def before_the_skin(evaluator: Evaluator, remedy: Remedy) -> Remedy:
    """The corrective that gives, before the skin, what its offsets give when they are added to the posed skin.

    Each target in the pose that it was made in. A shape that was recorded behind the skin flies to its sculpted place
    and stops following the joint; turned back by the skin of its pose it follows again.

    Raises
    ------
    BadEditError
        When it is no corrective, or nothing says in which pose a target was made.
    """
    body = remedy.shapes_or_refuse("has no offsets: only a corrective acts before the skin.")
    character = evaluator.character
    at_rest = evaluator.pose(character.skeleton.rest_pose(), NONE)
    targets = []
    for target in body.targets:
        pose = made_in(character, remedy, target)
        if pose is None:
            raise BadEditError(f"“{remedy.name}” does not say in which pose it was made: sculpt it again.")
        posed, rest = (p.affine_of(target.shape.vertices)[0] for p in (evaluator.pose(pose, NONE), at_rest))
        deltas, _, _ = invert_offsets(posed, target.shape.deltas.astype(np.float64), rest)
        shape = replace(target.shape, deltas=np.ascontiguousarray(deltas, dtype=np.float32))
        targets.append(replace(target, shape=shape))
    return replace(remedy, body=replace(body, targets=tuple(targets)))
