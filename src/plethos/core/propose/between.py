"""One more target, solved: an in-between where one shape cannot keep the volume on the way, or one further on."""

from __future__ import annotations

import math
from dataclasses import replace

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import Acting, Evaluator
from plethos.core.measure.travel import bent
from plethos.core.propose.first_mend import FirstMend
from plethos.core.propose.flat_mend import width_kept
from plethos.core.propose.held import Held
from plethos.core.propose.kinds import LEAST_WORTH, Judge
from plethos.core.rules.remedies import Remedy, Target
from plethos.core.rules.response import Response
from plethos.core.rules.rules import Rules
from plethos.core.rules.triggers.hinge import hinge_of
from plethos.core.sculpt.solve import solve_corrective
from plethos.core.skeleton.names import new_id
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.pose_files import pose_to_json

LEAST = 0.05  # of the activation: an in-between nearer to rest or to the full target is none
STRETCH = 1.6


def with_between(character: Character, remedy_id: str, angle: float, pose: Pose) -> Character:
    """The character with one more target of a corrective, solved for an angle on its way.

    Beyond where the corrective is fully on, its way is led on to there: up to its old end nothing changes.

    Parameters
    ----------
    angle
        Of the hinge that the corrective is tied to, radians.
    pose
        What else is held.

    Raises
    ------
    BadEditError
        For what is no corrective tied to a hinge, or where it is hardly on, or fully on and not well beyond its end;
        when the joint would be worse off.
    """
    rules = character.rules
    remedy, trigger = rules.remedy(remedy_id), hinge_of(rules.trigger_of(rules.remedy(remedy_id)))
    body = remedy.sculpted
    if body is None or trigger is None:
        raise BadEditError(f"An in-between needs a corrective that is tied to a hinge; “{remedy.name}” is none.")
    at, longer = float(trigger.response.at(angle)), trigger.response.furthered(angle)
    if longer is None and not LEAST <= at <= 1 - LEAST:
        raise BadEditError(
            f"“{remedy.name}” is {100 * at:.0f} % on at {math.degrees(angle):.0f} degrees: one more target has to lie "
            "on the way, between rest and where it is fully on, or well beyond."
        )
    there = bent(pose, trigger.joint, trigger.axis, angle)
    others = Acting.these(*(r.id for r in rules.on if r.id != remedy_id))
    base = Evaluator.of(character).pose(there, others)
    if character.mesh.is_flat:
        points = width_kept(character, trigger.joint, there, others)
    else:
        points = FirstMend.of(character, trigger.joint).solved(base, 1.0, STRETCH).points
    name = remedy.name if longer else f"{remedy.name} {math.degrees(angle):.0f}"
    shape, report = solve_corrective(base, points, name, remedy.amount, trigger)
    target = Target(shape, 1.0 if longer else round(at, 6), pose_to_json(character.skeleton, there), report.to_json())
    if longer is not None:
        made = character.with_rules(led_on(rules, remedy, longer, target))
    else:
        near = tuple(t for t in body.targets if t.at == 1 or abs(t.at - target.at) > LEAST)
        fresh = replace(body, targets=near).with_target(target)
        made = character.with_rules(rules.with_remedy(replace(remedy, body=fresh, notes=())))
    if not character.mesh.is_flat:
        refuse_worse(character, made, trigger.joint, there)
    return made


def refuse_worse(before: Character, after: Character, joint: int, pose: Pose) -> None:
    """Raise `BadEditError` where a joint is worse off after an edit than before, in a pose and on the way to it."""
    judge = Judge.of(Held.of(before, joint, pose))
    if judge.tried("", after).rank > judge.tried("", before).rank + LEAST_WORTH:
        raise BadEditError(
            "What is there already keeps more here than one more target would: nothing was changed."
        )  # fmt: skip


def further_on(character: Character, remedy: Remedy, pose: Pose) -> tuple[Response, float] | None:
    """The response of a corrective led on to a pose; None where that does not lie well beyond its end."""
    trigger = hinge_of(character.rules.trigger_of(remedy))
    if trigger is None:
        return None
    return trigger.response.furthered(trigger.angle(pose, character.skeleton))


def led_on(rules: Rules, remedy: Remedy, longer: tuple[Response, float], target: Target) -> Rules:
    """The rules with a target of a corrective beyond the others, and its trigger, a hinge, led on to there.

    Parameters
    ----------
    longer
        Of `Response.furthered`.
    """
    trigger, body = hinge_of(rules.trigger_of(remedy)), remedy.shapes_or_refuse("has no shapes.")
    assert trigger is not None, "of `further_on`"
    response, share = longer
    further = replace(trigger, response=response)
    if trigger.name or len(rules.readers(trigger.id)) > 1:  # what else reads it goes on as it did
        further = replace(further, id=new_id(), name="")
    body = body.furthered(share, target)
    return rules.with_remedy(replace(remedy, body=body, notes=())).tied(remedy.id, further)
