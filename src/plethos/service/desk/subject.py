"""What a frame shows: a version in a pose, or what a person has in hand and has not stored.

Each subject is a function that says whether it is asked for; the first that is asked for is shown.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.evaluate import ALL, NONE, Acting, Evaluator, Posed
from plethos.core.joints.edit import with_joint_moved
from plethos.core.propose.made_helpers import pose_with_added_joints
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.reach import reached
from plethos.service.desk.desk import Desk
from plethos.service.desk.response_curves import drawn_curve
from plethos.service.library.stroke import ToolStroke
from plethos.service.library.version import Version
from plethos.service.schemas.want import Want

Floats = NDArray[np.float32]


@dataclass(frozen=True)
class Asked:
    """What is asked of a desk: a pose of a version, what a frame should hold, and the stroke that is seen meanwhile."""

    desk: Desk
    version: Version
    pose: Pose
    want: Want
    stroke: ToolStroke | None


@dataclass(frozen=True)
class Subject:
    """What is shown.

    Parameters
    ----------
    evaluator, pose
        What it is worked out by.
    character
        Whose weights, masks and regions are shown with it.
    bare
        Whether skin, joints or pose are not the version's, so that what is without remedies is its own too.
    told
        What the head of the frame says of it.
    fields
        What the frame holds of it beside the skin.
    """

    evaluator: Evaluator
    pose: Pose
    character: Character
    bare: bool = False
    told: dict[str, Any] = field(default_factory=dict)
    fields: dict[str, Floats] = field(default_factory=dict)

    def posed(self, asked: Asked) -> Posed:
        """It in its pose, all that are on acting, or the one remedy or group that is to be seen alone."""
        return self.evaluator.pose(self.pose, acting_in(asked.version, asked.want))

    def without(self, asked: Asked) -> Floats:
        """Its points ``(V, 3)`` with no remedy acting."""
        if self.bare:
            return self.evaluator.pose(self.pose, NONE).points
        return asked.desk.without(asked.version, self.pose)


def acting_in(version: Version, want: Want) -> Acting:
    """Which remedies act: all, or only one, or only those of a group."""
    return ALL if want.alone is None else Acting.these(*version.character.rules.members(want.alone))


def _sculpt(asked: Asked) -> Subject | None:
    held, version = asked.version.sculpt, asked.version
    return None if held is None else Subject(version.evaluator, held.pose, version.character)


def _stroke(asked: Asked) -> Subject | None:
    if asked.stroke is None:
        return None
    own, version = asked.stroke.evaluator(), asked.version
    return Subject(own or version.evaluator, asked.pose, version.character, own is not None)


def _trial(asked: Asked) -> Subject | None:
    kind, version = asked.want.trial, asked.version
    tried = asked.desk.opened.trials.of(asked.desk.page).evaluator(kind, version.evaluator) if kind else None
    if tried is None:
        return None
    pose = pose_with_added_joints(asked.pose, tried.character)
    return Subject(tried, pose, version.character, True, {"trial": kind})


def _reach(asked: Asked) -> Subject | None:
    """A limb's end has come to a place: the two joints above it are turned."""
    if asked.want.reach is None:
        return None
    version, pose, skeleton = asked.version, asked.pose, asked.version.character.skeleton
    turned = reached(skeleton, pose, skeleton.find(asked.want.reach.joint), np.array(asked.want.reach.at))
    for joint, rotation in turned.items():
        pose = pose.with_rotation(joint, rotation)
    told = {"reached": {skeleton.names[j]: q.tolist() for j, q in turned.items()}}
    return Subject(version.evaluator, pose, version.character, told=told)


def _moving(asked: Asked) -> Subject | None:
    moving, version = asked.want.moving, asked.version
    if moving is None:
        return None
    joint = version.character.skeleton.find(moving.joint)
    character = with_joint_moved(version.character, joint, moving.at, asked.pose, moving.mirror)
    return Subject(Evaluator.of(character, version.evaluator), asked.pose, character, True)


def _preview(asked: Asked) -> Subject | None:
    preview, version = asked.want.preview, asked.version
    if preview is None:
        return None
    evaluator, trigger = asked.desk.preview(version, preview.remedy_id, preview.plain())
    told, fields = {"response": preview.remedy_id}, {"curve": drawn_curve(trigger)}
    return Subject(evaluator, asked.pose, version.character, told=told, fields=fields)


def _body(asked: Asked) -> Subject | None:
    body, version = asked.want.body, asked.version
    if body is None:
        return None
    evaluator = asked.desk.preview_body(version, body.remedy_id, body.plain())
    return Subject(evaluator, asked.pose, version.character)


SUBJECTS: tuple[Callable[[Asked], Subject | None], ...] = (_sculpt, _stroke, _trial, _reach, _moving, _preview, _body)


def subject_of(asked: Asked) -> Subject:
    """The first subject that is asked for; a version in the pose when none is."""
    for subject in SUBJECTS:
        found = subject(asked)
        if found is not None:
            return found
    return Subject(asked.version.evaluator, asked.pose, asked.version.character)
