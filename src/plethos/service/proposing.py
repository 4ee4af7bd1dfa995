"""What the program proposes, put into a person's hands: previewed in a sculpt session, kept like anything else."""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from plethos.core import rotations
from plethos.core.bend import straight
from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.measure.region import joint_region
from plethos.core.propose.between import with_between
from plethos.core.propose.first_mend import MOST_STRETCH, FirstMend
from plethos.core.propose.held import Held
from plethos.core.propose.helpers import started
from plethos.core.propose.kinds import TRIALS, Judge, Tried, proposed, reason, waterfall
from plethos.core.propose.response import Fitted, fitted_response
from plethos.core.propose.roll import Limb, measured_roll
from plethos.core.remedies import Corrective, Remedy
from plethos.core.sculpt.solve import solve_corrective
from plethos.core.skeleton import Pose, pose_to_json
from plethos.core.triggers import Trigger, trigger_from_document
from plethos.core.triggers.hinge import HingeTrigger
from plethos.service.documents import SculptNote
from plethos.service.edits import in_step
from plethos.service.open_character import OpenCharacter
from plethos.service.sculpting import TURNED, current
from plethos.service.version import HeldSculpt, OvertakenError, Version
from plethos.service.workbench import Workbench

LEAST_ROLL = 5.0  # degrees: less is not worth a graph


def first_mend(
    workbench: Workbench,
    character_id: str,
    pose: Pose | None,
    joint: str | None = None,
    give_back: float = 1.0,
    most_stretch: float = MOST_STRETCH,
) -> Version:
    """Solve a corrective for the held pose and show it as a sculpt in progress.

    Parameters
    ----------
    pose
        Held from now on when no sculpt is in progress.
    joint
        Whose skin is mended; None = the one that is turned furthest.
    give_back, most_stretch
        See `FirstMend.solved`.

    Raises
    ------
    BadEditError
        When nothing is lost there, or the skin encloses nothing.
    """
    opened = workbench.open(character_id)
    version = opened.version
    held = version.sculpt
    if held is None:
        if pose is None:
            raise BadEditError("Say which pose is to be mended.")
        note = SculptNote(None, pose_to_json(version.character.skeleton, pose))
        held = HeldSculpt.of(note, version.evaluator, None)
    number = _turned(version, held.pose) if joint is None else version.character.skeleton.find(joint)
    # The solve takes its time: nobody waits for it, and what is changed meanwhile is not overwritten.
    mend = FirstMend.of(version.character, number).solved(held.base, give_back, most_stretch)
    # What is told is measured as the bend strip and the table measure it.
    site = version.measures.bend(number)
    before, after = (
        site.of_points(points[site.site.region.vertices].astype(np.float32))
        for points in (held.base.points, mend.points)
    )
    told = {
        "joint": version.character.skeleton.names[number],
        "strokes": held.note.strokes + 1,
        "give_back": give_back,
        "most_stretch": most_stretch,
        **{k: v for k, v in dataclasses.asdict(mend).items() if k != "points"},
        **({} if after.volume is None else {"volume_before": before.volume, "volume": after.volume}),
    }
    note = dataclasses.replace(held.note, strokes=held.note.strokes + 1, mend=told)
    sculpt = held.after(note, mend.points)
    return _put(workbench, opened, version, "Solve a first mend", version.character, sculpt)


def _put(
    workbench: Workbench,
    opened: OpenCharacter,
    version: Version,
    label: str,
    character: Character,
    sculpt: HeldSculpt | None = None,
) -> Version:
    """Store what was worked out of a version, if that is still the current one."""
    with opened.editing:
        now = opened.version
        if now.character is not version.character or now.sculpt is not version.sculpt:
            raise OvertakenError
        return workbench.commit(opened, label, character, sculpt)


@dataclass(frozen=True)
class Kind:
    """A kind of remedy as it was tried.

    Parameters
    ----------
    tried
        None where it cannot be made here.
    why
        What speaks for it, or why it cannot be made.
    """

    kind: str
    tried: Tried | None
    why: str


@dataclass(frozen=True)
class Kinds:
    """What was tried at a joint, the kind that suits, and what there is now."""

    now: Tried
    kinds: list[Kind]
    proposed: str | None


def which_kind(version: Version, pose: Pose, joint: str | None) -> Kinds:
    """Try each kind of remedy for a joint in a pose, and measure it; nothing is stored."""
    judge = _judge(version, pose, joint)
    now = judge.tried("", version.character)
    found, not_here = judge.of_trials()
    made = {t.kind: Kind(t.kind, t, reason(t, now)) for t in found}
    kinds = [made[kind] if kind in made else Kind(kind, None, not_here[kind]) for kind in TRIALS]
    best = proposed(found, now)
    return Kinds(now, kinds, None if best is None else best.kind)


def take_kind(workbench: Workbench, character_id: str, kind: str, pose: Pose, joint: str | None) -> Version:
    """Make the remedy of a kind that was proposed; a corrective is shown as a sculpt first.

    Raises
    ------
    BadEditError
        When it cannot be made here.
    """
    if kind == "corrective":
        return first_mend(workbench, character_id, pose, joint)
    opened = workbench.open(character_id)
    opened.refuse_while_sculpting()
    version = opened.version
    made = _judge(version, pose, joint).of_trial(kind).character
    names = [r.name for r in made.rules.remedies[len(version.character.rules.remedies) :]]
    label = f"Add “{names[0]}”" if len(names) == 1 else f"Add {len(names)} twist joints’ shares"
    return _put(workbench, opened, version, label, made)


def add_between(workbench: Workbench, character_id: str, remedy_id: str, angle_deg: float) -> Version:
    """Solve an in-between of a corrective at an angle of its hinge, on both sides if it has a twin."""
    opened = workbench.open(character_id)
    opened.refuse_while_sculpting()
    version = opened.version
    rest = version.character.skeleton.rest_pose()
    made = with_between(version.character, remedy_id, math.radians(angle_deg), rest)
    return _put(workbench, opened, version, f"Add an in-between at {angle_deg:.0f}°", in_step(made, remedy_id))


def start_helper(workbench: Workbench, character_id: str, how: str, pose: Pose, joint: str | None) -> Version:
    """Make a helper joint at the held bend: see `started`."""
    opened = workbench.open(character_id)
    opened.refuse_while_sculpting()
    version = opened.version
    number = _turned(version, pose) if joint is None else version.character.skeleton.find(joint)
    made = started(Held.of(version.character, number, pose), how)
    return _put(workbench, opened, version, f"Make the helper {made.rules.remedies[-1].name}", made)


def _judge(version: Version, pose: Pose, joint: str | None) -> Judge:
    number = _turned(version, pose) if joint is None else version.character.skeleton.find(joint)
    return Judge.of(Held.of(version.character, number, pose))


def roll(version: Version, pose: Pose, joint: str) -> dict[str, Any] | None:
    """How the skin turns along the limb of a rolled joint, degrees, and how it should; None where nothing rolls."""
    number = version.character.skeleton.find(joint)
    try:
        limb = Limb.of(version.character, number)
    except BadEditError:
        return None
    turned = math.degrees(float(rotations.twist_angle(pose.rotations[number], limb.axis, 0.0)))
    if abs(turned) < LEAST_ROLL:
        return None
    places, present = measured_roll(version.evaluator.pose(pose), limb)
    return {
        "roll_deg": turned,
        "places": places.tolist(),
        "present_deg": [None if np.isnan(r) else math.degrees(float(r)) for r in present],
        "ideal_deg": (turned * limb.ideal(places)).tolist(),
    }


def bars(version: Version, pose: Pose, joint: str) -> list[tuple[Remedy, float]]:
    """What each remedy gives back of a joint's volume in a pose: see `waterfall`."""
    rules, number = version.character.rules, version.character.skeleton.find(joint)
    return [(rules.remedy(i), volume) for i, volume in waterfall(version.character, number, pose)]


def fit(version: Version, rule: Mapping[str, Any]) -> Fitted:
    """The response that suits the sculpt in progress, for a hinge trigger given as plain data.

    Raises
    ------
    BadEditError
        When nothing was sculpted, or the joint's skin encloses no volume.
    """
    held, character = current(version), version.character
    trigger = _hinge(trigger_from_document(rule, character.skeleton))
    shape, _ = solve_corrective(held.base, held.points, "fitted", trigger=trigger)
    if held.note.remedy_id is not None:
        character = character.with_rules(character.rules.without_remedy(held.note.remedy_id))
    return fitted_response(character, Corrective.of(shape), trigger, straight(held.pose, trigger.joint, trigger.axis))


def fit_remedy(version: Version, remedy_id: str, rule: Mapping[str, Any] | None) -> Fitted:
    """The response that suits a corrective, for its own trigger or another hinge.

    Raises
    ------
    BadEditError
        When it is no corrective, or is not tied to a hinge.
    """
    rules, character = version.character.rules, version.character
    remedy = rules.remedy(remedy_id)
    if not isinstance(remedy.body, Corrective):
        raise BadEditError(f"“{remedy.name}” is no corrective, so there is no response to be fitted.")
    trigger = _hinge(trigger_from_document(rule, character.skeleton) if rule else rules.trigger_of(remedy))
    others = character.with_rules(rules.without_remedy(remedy_id))
    return fitted_response(others, remedy.body, trigger, character.skeleton.rest_pose())


def _hinge(trigger: Trigger | None) -> HingeTrigger:
    if not isinstance(trigger, HingeTrigger):
        raise BadEditError("Only the response of a hinge trigger can be fitted: tie the corrective to a hinge first.")
    return trigger


def _turned(version: Version, pose: Pose) -> int:
    """The joint that is turned furthest and bends skin."""
    skeleton = version.character.skeleton
    angle = np.where(skeleton.is_joint, rotations.angle(pose.rotations), 0)
    for joint in np.argsort(-angle, kind="stable").tolist():
        if angle[joint] <= TURNED:
            break
        try:
            joint_region(version.character, joint, version.rest)
        except BadEditError:
            continue
        return int(joint)
    raise BadEditError("No joint that bends skin has left rest in this pose: bend one first.")
