"""What is wrong with the hinge that a remedy is tied to: unit, joint, axis, sign, reach, and what it does at rest."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from plethos.core.character import Character
from plethos.core.findings.finding import Finding
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.rules.remedies import Remedy
from plethos.core.rules.response import Response
from plethos.core.rules.triggers.hinge import HingeTrigger, guess_hinge
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.skeleton import Skeleton

AS_RADIANS = math.radians(4)  # knots within this were most likely typed in radians
WIDE = math.radians(15)  # of a range that such knots would hardly use
TURNED = math.radians(2)  # from which a joint counts as turned in a pose
OFF, ON = 0.05, 0.5  # activations
SLACK = 0.01
MOSTLY = 0.7  # of a turn that has to be about an axis for that to be its axis


def hinge_finding(character: Character, remedy: Remedy, trigger: HingeTrigger) -> Finding | None:
    """The first thing that is wrong with a remedy's hinge: one at a time, since each hides the next."""
    skeleton = character.skeleton
    pose = remedy.sculpted.targets[-1].made_in(skeleton) if remedy.sculpted is not None else None
    for look in (_unit, _joint, _axis, _sign, _rest, _reach):
        found = look(skeleton, trigger, pose)
        if found is not None:
            return found
    return None


def _name(skeleton: Skeleton, joint: int) -> str:
    return f"“{skeleton.names[joint]}”"


def _degrees(angle: float) -> str:
    return f"{math.degrees(angle):.4g}°"


def _unit(skeleton: Skeleton, trigger: HingeTrigger, pose: Pose | None) -> Finding | None:
    inputs = trigger.response.inputs
    low, high = skeleton.range_about(trigger.joint, trigger.axis)
    if max(abs(i) for i in inputs) > AS_RADIANS or high - low < WIDE:
        return None
    meant = tuple(math.degrees(i) for i in inputs)
    furthest = max(meant, key=abs)
    if abs(furthest) > math.pi:
        return None
    mended = replace(trigger, response=replace(trigger.response, inputs=meant))
    text = (
        f"Its knots lie within {_degrees(max(inputs, key=abs))}: that looks like radians; they would be degrees "
        f"up to {_degrees(furthest)}."
    )
    return Finding("unit", text, "Read them as radians", mended)


def _turns(pose: Pose, joint: int) -> float:
    return float(rotations.angle(pose.rotations[joint]))


def _joint(skeleton: Skeleton, trigger: HingeTrigger, pose: Pose | None) -> Finding | None:
    if pose is None or _turns(pose, trigger.joint) > TURNED:
        return None
    other = int(np.argmax(rotations.angle(pose.rotations)))
    if _turns(pose, other) <= TURNED:
        return None
    text = (
        f"{_name(skeleton, trigger.joint)} is not turned in the pose that it was sculpted in; "
        f"{_name(skeleton, other)} is."
    )
    guess = guess_hinge(skeleton, pose, other)
    return Finding("joint", text, f"Follow {skeleton.names[other]}", _like(trigger, guess))


def _like(trigger: HingeTrigger, guess: HingeTrigger) -> HingeTrigger:
    """A guessed trigger that goes on under the name and the id of the one that is there."""
    return replace(guess, id=trigger.id, name=trigger.name)


def _axis(skeleton: Skeleton, trigger: HingeTrigger, pose: Pose | None) -> Finding | None:
    if pose is None or _turns(pose, trigger.joint) < math.radians(10):
        return None
    angle = trigger.angle(pose, skeleton)
    if trigger.response.at(angle) > ON or abs(angle) > MOSTLY * _turns(pose, trigger.joint):
        return None
    guess = guess_hinge(skeleton, pose, trigger.joint)
    if guess.response.at(guess.angle(pose, skeleton)) < 1 - OFF:
        return None
    text = (
        f"It was sculpted with {_name(skeleton, trigger.joint)} turned by {_degrees(_turns(pose, trigger.joint))}, but "
        f"hardly about this axis: {_degrees(angle)}."
    )
    return Finding("axis", text, f"Follow {_axis_name(guess.axis)}", _like(trigger, guess))


def _axis_name(axis: tuple[float, float, float]) -> str:
    k = int(np.argmax(np.abs(axis)))
    own = abs(axis[k]) > 1 - 1e-4
    return f"the axis {'XYZ'[k]}" if own else "the axis it was turned about"


def _sign(skeleton: Skeleton, trigger: HingeTrigger, pose: Pose | None) -> Finding | None:
    response = trigger.response
    if pose is not None and abs(angle := trigger.angle(pose, skeleton)) > TURNED:
        if response.at(angle) <= OFF and response.at(-angle) >= ON:
            where, other = _degrees(angle), _degrees(-angle)
            text = f"The sign is wrong: it is off at {where}, where it was sculpted, and on at {other}."
            return Finding("sign", text, "Flip the sign", trigger.flipped())
        return None
    low, high = skeleton.range_about(trigger.joint, trigger.axis)
    inside: Array = np.linspace(low, high, 73)
    if pose is None and response.at(inside).max() <= OFF and response.flipped().at(inside).max() >= ON:
        text = f"It is only on where {_name(skeleton, trigger.joint)} never goes; turned round it would be on."
        return Finding("sign", text, "Flip the sign", trigger.flipped())
    return None


def _rest(skeleton: Skeleton, trigger: HingeTrigger, pose: Pose | None) -> Finding | None:
    response = trigger.response
    on = float(response.at(0.0))
    if on <= SLACK:
        return None
    end = response.end
    text = f"It is {100 * on:.0f} % on at rest: the character does not look as it came."
    if abs(end) < TURNED:
        return Finding("rest", text)
    side = [(i, v) for i, v in zip(response.inputs, response.values, strict=True) if i * end > 0 and v > SLACK]
    knots = sorted([(0.0, 0.0), *(k for k in side if abs(k[0]) > 1e-3)])
    mended = replace(trigger, response=Response.of_knots(knots)) if len(knots) >= 2 else None
    return Finding("rest", text, "Start at rest" if mended else "", mended)


def _reach(skeleton: Skeleton, trigger: HingeTrigger, pose: Pose | None) -> Finding | None:
    low, high = skeleton.range_about(trigger.joint, trigger.axis)
    if pose is not None:
        angle = trigger.angle(pose, skeleton)
        low, high = min(low, angle), max(high, angle)
    inside = np.linspace(low, high, 181)
    response = trigger.response
    values = response.at(np.concatenate([inside, [i for i in response.inputs if low <= i <= high]]))
    most = float(values.max())
    if most >= 1 - SLACK:
        return None
    text = (
        f"It is {100 * most:.0f} % on at most: {_name(skeleton, trigger.joint)} goes from {_degrees(low)} "
        f"to {_degrees(high)} about this axis."
    )
    peak = int(np.argmax(response.values))
    far = response.inputs[peak]
    end = high if far > high else low if far < low else None
    if (
        end is None
        or end * far <= 0
        or abs(end) < TURNED
        or response.values[int(np.argmax(response.values))] < 1 - SLACK
    ):
        return Finding("reach", text)
    shrunk = replace(response, inputs=tuple(i * end / far for i in response.inputs))
    return Finding("reach", text, f"Fully on at {_degrees(end)}", replace(trigger, response=shrunk))
