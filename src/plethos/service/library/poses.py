"""Poses as messages name them: a pose file, on top of a frame of a clip."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from plethos.core.errors import BadPoseError
from plethos.core.skeleton.clips import Clip
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.pose_files import pose_from_document
from plethos.core.skeleton.skeleton import Skeleton
from plethos.service.library.version import Version


def pose_of(version: Version, message: Mapping[str, Any]) -> Pose:
    """The pose that a message asks for: a pose file, on top of a frame of ``clip`` if it has one.

    Joints may be given as quaternions alone.

    Raises
    ------
    BadPoseError
        For an unknown clip, joint or dial, or broken numbers.
    """
    character = version.character
    skeleton = character.skeleton
    clip = message.get("clip")
    base = None
    if isinstance(clip, Mapping):
        time = clip.get("time")
        if not isinstance(time, int | float) or not math.isfinite(time):
            raise BadPoseError("The time of a clip has to be a number of seconds.")
        base = clip_named(version, str(clip.get("name"))).pose_at(skeleton, float(time))
    joints = message.get("joints") or {}
    if not isinstance(joints, Mapping):
        raise BadPoseError("The joints of a pose have to be an object by name.")
    given = pose_from_document(skeleton, {**message, "joints": joints})
    for name in given.dials or ():
        character.rules.dial(name)
    return given if base is None else _over(base, given, skeleton, joints)


def clip_named(version: Version, name: str) -> Clip:
    """The clip of that name.

    Raises
    ------
    BadPoseError
        When there is none.
    """
    for clip in version.character.all_clips:
        if clip.name == name:
            return clip
    raise BadPoseError(f"There is no clip called “{name}”.")


def _over(base: Pose, given: Pose, skeleton: Skeleton, entries: Mapping[str, Any]) -> Pose:
    """A pose of a clip with what is given in place of the clip's."""
    turned = base.rotations.copy()
    for name in entries:
        turned[skeleton.find(name)] = given.rotations[skeleton.find(name)]
    return replace(
        base,
        rotations=turned,
        shape_weights={**(base.shape_weights or {}), **(given.shape_weights or {})} or None,
        dials={**(base.dials or {}), **(given.dials or {})} or None,
    )
