"""Correctives that the program solves: shown as a sculpt in progress, with a response that is fitted to them."""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.measure.travel import straight
from plethos.core.propose.between import with_between
from plethos.core.propose.first_mend import MOST_STRETCH, FirstMend
from plethos.core.propose.flat_mend import width_kept
from plethos.core.propose.response import Fitted, fitted_response
from plethos.core.propose.steps import told_as
from plethos.core.rules.remedies import Corrective
from plethos.core.rules.triggers import Trigger, trigger_from_document
from plethos.core.rules.triggers.hinge import HingeTrigger, hinge_of
from plethos.core.sculpt.solve import solve_corrective
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.pose_files import pose_to_json
from plethos.service.edits.rule_edits import in_step
from plethos.service.library.documents import SculptNote
from plethos.service.library.version import HeldSculpt, Version
from plethos.service.library.workbench import Workbench
from plethos.service.library.worked_out import put
from plethos.service.proposals.joint import joint_of
from plethos.service.sculpts.session import current


@dataclass(frozen=True)
class Mending:
    """How far a first mend has got: the share of it, and what was stored in the end."""

    share: float
    version: Version | None = None


def first_mend(
    workbench: Workbench,
    character_id: str,
    pose: Pose | None,
    joint: str | None = None,
    give_back: float = 1.0,
    most_stretch: float = MOST_STRETCH,
) -> Version:
    """Solve a corrective for the held pose and show it as a sculpt in progress: see `mending`."""
    *_, last = mending(workbench, character_id, pose, joint, give_back, most_stretch)
    assert last.version is not None
    return last.version


def mending(
    workbench: Workbench,
    character_id: str,
    pose: Pose | None,
    joint: str | None = None,
    give_back: float = 1.0,
    most_stretch: float = MOST_STRETCH,
) -> Iterator[Mending]:
    """Solve a corrective for the held pose and show it as a sculpt in progress; stored once it is through.

    Whoever stops asking before that stops it, and nothing is changed.

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
    number = joint_of(version, held.pose, joint)
    if version.character.mesh.is_flat:
        points = width_kept(version.character, number, held.pose, held.base.acting, give_back)
        note = dataclasses.replace(held.note, strokes=held.note.strokes + 1)
        made = put(workbench, opened, version, "Keep the width", version.character, held.after(note, points))
        yield Mending(1.0, made)
        return
    # The solve takes its time: nobody waits for it, and what is changed meanwhile is not overwritten.
    steps = FirstMend.of(version.character, number).solving(held.base, give_back, most_stretch)
    mend = yield from told_as(steps, Mending)
    # What is told is measured as the bend strip and the table measure it, contacts of the whole character too.
    site = version.measures.bend(number)
    before, after = (
        site.of_points(points[site.site.vertices].astype(np.float32)) for points in (held.base.points, mend.points)
    )
    counter = version.measures.contacts
    told = {
        "joint": version.character.skeleton.names[number],
        "strokes": held.note.strokes + 1,
        "give_back": give_back,
        "most_stretch": most_stretch,
        **{k: v for k, v in dataclasses.asdict(mend).items() if k != "points"},
        **({} if after.volume is None else {"volume_before": before.volume, "volume": after.volume}),
        "contacts_before": counter.count(held.base.points),
        "contacts": counter.count(mend.points.astype(np.float32)),
    }
    note = dataclasses.replace(held.note, strokes=held.note.strokes + 1, mend=told)
    sculpt = held.after(note, mend.points)
    yield Mending(1.0, put(workbench, opened, version, "Solve a first mend", version.character, sculpt))


def add_between(workbench: Workbench, character_id: str, remedy_id: str, angle_deg: float) -> Version:
    """Solve one more target of a corrective at an angle of its hinge, on both sides if it has a twin."""
    opened = workbench.open(character_id)
    opened.refuse_while_sculpting()
    version = opened.version
    rest = version.character.skeleton.rest_pose()
    made = with_between(version.character, remedy_id, math.radians(angle_deg), rest)
    return put(workbench, opened, version, f"Add a target at {angle_deg:.0f}°", in_step(made, remedy_id))


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
    body = remedy.shapes_or_refuse("is no corrective, so there is no response to be fitted.")
    trigger = _hinge(trigger_from_document(rule, character.skeleton) if rule else rules.trigger_of(remedy))
    others = character.with_rules(rules.without_remedy(remedy_id))
    return fitted_response(others, body, trigger, character.skeleton.rest_pose())


def _hinge(trigger: Trigger | None) -> HingeTrigger:
    hinge = hinge_of(trigger)
    if hinge is None:
        raise BadEditError("Only the response of a hinge trigger can be fitted: tie the corrective to a hinge first.")
    return hinge
