"""Baking: what a helper joint, a blend or a deformer does, turned into a corrective with in-betweens.

For programs that know shapes but not the rest. At each of the chosen angles the corrective is exact; what is left
between them is measured and told.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.geometry.topology import extent
from plethos.core.joints.draft import Draft
from plethos.core.measure.travel import bent
from plethos.core.rules.remedies import Corrective, Remedy, Target
from plethos.core.rules.response import Response
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.sculpt.solve import solve_corrective
from plethos.core.skeleton.mapping import Vector
from plethos.core.skeleton.names import free_name
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.pose_files import pose_to_json

STEPS = 25
NOTHING = 1e-6  # of the height: less is no shape


@dataclass(frozen=True, eq=False)
class Baked:
    """A character with one remedy baked.

    Parameters
    ----------
    remedy_id
        Of the corrective.
    remains, at
        The furthest that any vertex is off on the way, metres, and the angle, radians.
    """

    character: Character
    remedy_id: str
    remains: float
    at: float


def baked(character: Character, remedy_id: str, joint: int, axis: Vector, angles: Sequence[float]) -> Baked:
    """Turn a remedy into a corrective tied to one joint.

    Parameters
    ----------
    joint, axis
        Whose turn it follows, about a unit axis in its rest frame.
    angles
        Radians, all on one side of rest: where the corrective is exact; the furthest is where it is fully on.

    Raises
    ------
    BadEditError
        For a corrective, angles on both sides or none, or a remedy that does nothing at the furthest angle.
    """
    remedy = character.rules.remedy(remedy_id)
    if remedy.sculpted is not None:
        raise BadEditError(f"“{remedy.name}” is a corrective already.")
    wanted = sorted({round(a, 9) for a in angles}, key=abs)
    if not wanted or min(map(abs, wanted)) < math.radians(0.5) or min(wanted) < 0 < max(wanted):
        raise BadEditError("Baking needs angles on one side of rest, the furthest of them where it is fully on.")
    end = wanted[-1]
    without = _without(character, remedy)
    number = without.skeleton.find(character.skeleton.names[joint])
    trigger = HingeTrigger(number, axis, Response.of_knots([(0.0, 0.0), (end, 1.0)]))
    before, after = Evaluator.of(character), Evaluator.of(without)
    name = free_name(f"{remedy.name}, baked", {r.name for r in without.rules.remedies})
    height = extent(character.mesh.rest)
    targets = []
    for angle in wanted:
        points = before.pose(bent(character.skeleton.rest_pose(), joint, axis, angle)).exact_points()
        there = bent(without.skeleton.rest_pose(), number, axis, angle)
        base = after.pose(there)
        if np.abs(points - base.exact_points()).max() < NOTHING * height:
            if angle == end:
                raise BadEditError(f"“{remedy.name}” does nothing at {math.degrees(end):.0f} degrees of this joint.")
            continue
        shape, report = solve_corrective(base, points, f"{name} {math.degrees(angle):.0f}", trigger=trigger)
        pose = pose_to_json(without.skeleton, there)
        targets.append(Target(shape, 1.0 if angle == end else angle / end, pose, report.to_json()))
    made = Remedy(Corrective(tuple(targets)), name, by=trigger.id, group=remedy.group)
    done = without.with_remedy(made, trigger)
    remains, at = _left(character, done, joint, number, axis, end)
    left = f"at most {1000 * remains:.1f} mm off on the way, at {math.degrees(at):.0f} degrees."
    told = f"Baked from “{remedy.name}”: {left}"
    # Where the strip marks what remains.
    last = replace(targets[-1], report={**targets[-1].report, "remains_m": remains, "remains_at_deg": math.degrees(at)})
    body = Corrective((*targets[:-1], last))
    return Baked(done.with_remedy(replace(made, body=body, notes=(told,))), made.id, remains, at)


def _without(character: Character, remedy: Remedy) -> Character:
    """The character without a remedy, and without the helper joint that only it drove and that we made."""
    left = character.with_rules(character.rules.without_remedy(remedy.id))
    joint = remedy.body.drives()
    if remedy.mask is None or joint is None or left.rules.holding(joint):
        return left
    draft = Draft(left)
    draft.remove(joint)
    return draft.finish()


def _left(
    character: Character, done: Character, joint: int, number: int, axis: Vector, end: float
) -> tuple[float, float]:
    before, after = Evaluator.of(character), Evaluator.of(done)

    def off(angle: float) -> float:
        def at(evaluator: Evaluator, which: int) -> Pose:
            return bent(evaluator.character.skeleton.rest_pose(), which, axis, angle)

        apart = before.pose(at(before, joint)).points - after.pose(at(after, number)).points
        return float(np.linalg.norm(apart, axis=1).max())

    found = [(off(a), a) for a in np.linspace(0, end, STEPS).tolist()]
    return max(found)
