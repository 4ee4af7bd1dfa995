"""All that is wrong with a character's remedies."""

from __future__ import annotations

from plethos.core.evaluate import Evaluator
from plethos.core.findings.finding import Finding
from plethos.core.findings.of_order import order_finding
from plethos.core.findings.of_shapes import twice_finding
from plethos.core.findings.of_triggers import hinge_finding
from plethos.core.geometry.rotations import from_axis_angle
from plethos.core.rules.remedies import Remedy
from plethos.core.rules.triggers.hinge import hinge_of
from plethos.core.skeleton.pose import Pose

MOST = 1.0 + 1e-6


def findings_of(evaluator: Evaluator, remedy: Remedy) -> list[Finding]:
    """What is wrong with one remedy, whatever the pose.

    Parameters
    ----------
    evaluator
        Of its character.
    """
    character = evaluator.character
    rules, found = character.rules, list[Finding | None]()
    found.append(order_finding(evaluator, remedy))
    hinge = hinge_of(rules.trigger_of(remedy))
    if hinge is not None:
        found.append(hinge_finding(character, remedy, hinge))
        rest = character.skeleton.rest_pose()
        turned = from_axis_angle(hinge.axis, hinge.response.end)
        found.append(twice_finding(evaluator, remedy, rest.with_rotation(hinge.joint, turned)))
    elif remedy.by is not None and remedy.sculpted is not None:
        found.append(_at_rest(evaluator, remedy))
    group = next((g for g in rules.groups if g.id == remedy.group), None)
    acts = remedy.amount * (group.factor if group is not None and group.on else 1.0)
    if acts > MOST and remedy.on:
        found.append(Finding("amount", f"It acts at up to {100 * acts:.0f} %: more than it was made to."))
    return [f for f in found if f is not None]


def _at_rest(evaluator: Evaluator, remedy: Remedy) -> Finding | None:
    on = evaluator.pose(evaluator.character.skeleton.rest_pose()).activation(remedy.id)
    if on <= 0.01 or not remedy.on:
        return None
    return Finding("rest", f"It is {100 * on:.0f} % on at rest: the character does not look as it came.")


def twice_in(evaluator: Evaluator, pose: Pose) -> list[tuple[Remedy, Finding]]:
    """The correctives that a pose applies twice: they are on, and the pose does by itself what their shapes do.

    Only those that are driven by something else than a bend of the pose: a kept movement on its dial.
    """
    rules = evaluator.character.rules
    posed = evaluator.pose(pose)
    out = []
    for remedy, body in rules.correctives:
        if not remedy.on or hinge_of(rules.trigger_of(remedy)) is not None or posed.activation(remedy.id) < 0.5:
            continue
        found = twice_finding(evaluator, remedy, pose) if body.targets else None
        if found is not None:
            out.append((remedy, found))
    return out
