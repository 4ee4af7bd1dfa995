"""Live posing and sculpting: what a pose looks like, as one binary frame.

A frame is a length (uint32, little-endian), that many bytes of JSON, padding to 4, then float32 arrays in the order of
the JSON's ``fields``: ``with`` and ``without`` ``(V, 3)``, ``heat``, ``heat_without``, ``weights`` and ``region``
``(V,)``, ``mixed`` ``(V, 3)`` (the colours of all joints, mixed by weight), ``joints`` ``(J, 7)`` (place, then
quaternion x, y, z, w).
"""

from __future__ import annotations

import dataclasses
import json
import math
import struct
from dataclasses import dataclass
from typing import Any, cast

import numpy as np
from numpy.typing import NDArray

from plethos.core.bend import Measured
from plethos.core.character import Character
from plethos.core.errors import BadPoseError, PlethosError
from plethos.core.evaluate import Evaluator
from plethos.core.joints.edit import placed
from plethos.core.kinematics import frames
from plethos.core.rotations import Array
from plethos.core.skeleton import Pose, rotation_from_json
from plethos.core.triggers import Trigger, trigger_from_rule
from plethos.core.triggers.hinge import HingeTrigger
from plethos.core.weights.colours import mixed_colours
from plethos.service.open_character import OpenCharacter

Floats = NDArray[np.float32]


@dataclass(frozen=True)
class Preview:
    """A trigger as a rule, for a remedy, while someone drags its knots."""

    remedy_id: str
    trigger: dict[str, Any]


@dataclass(frozen=True)
class Moving:
    """A joint that is being dragged but not stored yet: where it is to be in the pose, and whether its twin follows."""

    joint: int
    at: tuple[float, float, float]
    mirror: bool


@dataclass(frozen=True)
class Wanted:
    """What a frame should hold.

    Parameters
    ----------
    alone
        The one remedy that acts; None = all that are on.
    measure
        A joint whose region is measured, or None.
    preview
        A trigger that is being changed but not stored yet.
    weights
        A joint whose weights are shown, or None.
    mixed
        The weights of all joints, as mixed colours.
    region
        What is picked, and its volume.
    moving
        A joint that is being dragged.
    """

    without: bool = False
    heat: bool = False
    alone: str | None = None
    measure: int | None = None
    preview: Preview | None = None
    weights: int | None = None
    mixed: bool = False
    region: bool = False
    moving: Moving | None = None


def pose_of(opened: OpenCharacter, message: dict[str, Any]) -> Pose:
    """The pose that a message asks for: ``joints`` as in a pose file, on top of a frame of ``clip`` if it has one.

    Raises
    ------
    BadPoseError
        For an unknown clip or joint, or broken numbers.
    """
    skeleton = opened.character.skeleton
    pose = skeleton.rest_pose()
    clip = message.get("clip")
    if isinstance(clip, dict):
        found = next((c for c in opened.character.clips if c.name == clip.get("name")), None)
        time = clip.get("time")
        if found is None or not isinstance(time, int | float):
            raise BadPoseError(f"There is no clip called “{clip.get('name')}”.")
        pose = found.pose_at(skeleton, float(time))
    joints = message.get("joints") or {}
    if not isinstance(joints, dict):
        raise BadPoseError("The joints of a pose have to be an object by name.")
    for name, value in joints.items():
        entry = value if isinstance(value, dict) else {"quaternion_xyzw": value}
        pose.rotations[skeleton.find(name)] = rotation_from_json(name, entry)
    return pose


def joint_frames(world: Array) -> Floats:
    """Places and orientations ``(J, 7)`` of all joints from their global matrices ``(J, 4, 4)``."""
    out = np.empty((len(world), 7), np.float32)
    frames(world, out)
    return out


def frame(opened: OpenCharacter, pose: Pose, wanted: Wanted, extra: dict[str, Any]) -> bytes:
    """One frame of the character in a pose, or of the sculpt in progress (then its own pose counts)."""
    with opened.lock:
        character, session, evaluator = opened.character, opened.sculpt, opened.evaluator
        if wanted.preview is not None and session is None:
            character, response = _previewed(character, wanted.preview)
            evaluator = Evaluator(character)
            extra = {**extra, "response": response}
        fields: dict[str, Floats] = {}
        if session is not None:
            pose = session.pose
        elif opened.painting is not None:
            evaluator = opened.painting.evaluator
        elif wanted.moving is not None:
            character = placed(character, wanted.moving.joint, wanted.moving.at, pose, wanted.moving.mirror)
            evaluator = evaluator.on_joints_of(character)
        world = character.skeleton.global_matrices(pose)
        if session is not None:
            fields["with"] = session.surface.points.astype(np.float32)
        else:
            acting = True if wanted.alone is None else [wanted.alone]
            fields["with"] = evaluator.evaluate(pose, acting, world=world)
            if opened.painting is not None:
                opened.painting.lay(pose, fields["with"])
        if wanted.without or wanted.measure is not None:
            fields["without"] = evaluator.evaluate(pose, remedies=False, world=world)
        fields["joints"] = joint_frames(world)
        if wanted.heat:
            places = fields["joints"][:, :3].astype(np.float64)
            fields["heat"] = opened.depth.change(fields["with"], places)
            if wanted.without:
                fields["heat_without"] = opened.depth.change(fields["without"], places)
        if wanted.weights is not None:
            if opened.painting is not None:
                fields["weights"] = opened.painting.weights.of_joint(wanted.weights)
            else:
                fields["weights"] = np.ascontiguousarray(character.joint_weights[:, wanted.weights])
        if wanted.mixed:
            dense = opened.painting.weights.dense if opened.painting is not None else character.joint_weights
            fields["mixed"] = mixed_colours(dense, character.skeleton)
        if wanted.region:
            picking = opened.picking
            fields["region"] = picking.shares.copy() if picking is not None else character.region()
            extra = {**extra, "region_volume": opened.patch.volume_percent(fields["with"])}
        head = {**extra, "version": opened.revision.number, "activations": _activations(character, pose)}
        if wanted.measure is not None:
            head["measures"] = _measures(opened, wanted.measure, fields)
        if not wanted.without:
            fields.pop("without", None)
    return pack_frame(head, fields)


def contacts(opened: OpenCharacter, message: dict[str, Any], alone: str | None) -> dict[str, int]:
    """How many triangles cross others and did not at rest, without remedies and with: slower than a frame."""
    with opened.lock:
        pose = pose_of(opened, message)
        evaluator, session, counter = opened.evaluator, opened.sculpt, opened.contacts
        if session is not None:
            pose = session.pose
            with_: NDArray[np.floating] = session.surface.points.copy()
        else:
            with_ = evaluator.evaluate(pose, True if alone is None else [alone])
        without = evaluator.evaluate(pose, remedies=False)
    return {"without": counter.count(without), "with": counter.count(with_)}


def _previewed(character: Character, preview: Preview) -> tuple[Character, dict[str, Any]]:
    """The character with the trigger that is being changed, and that trigger's response for the bend strip."""
    trigger = trigger_from_rule(preview.trigger, character.skeleton)
    changed: Any = dataclasses.replace(cast(Any, character.remedy(preview.remedy_id)), trigger=trigger)
    curve = response_curve(trigger)
    return character.with_remedy(changed), {"remedy_id": preview.remedy_id, "curve": curve}


def response_curve(trigger: Trigger) -> list[tuple[float, float]]:
    """The response of a hinge trigger as points (degrees, activation); empty for other kinds."""
    if not isinstance(trigger, HingeTrigger):
        return []
    knots = trigger.response.angles
    angles = np.unique(np.concatenate([np.linspace(knots[0], knots[-1], 49), knots]))
    values = trigger.response.at(angles)
    return [(round(math.degrees(a), 3), round(v, 4)) for a, v in zip(angles.tolist(), values.tolist(), strict=True)]


def _activations(character: Character, pose: Pose) -> dict[str, float]:
    triggers = [(r.id, r.trigger) for r in character.remedies]
    return {i: round(t.activation(pose), 4) if t else 0.0 for i, t in triggers}


def _measures(opened: OpenCharacter, joint: int, fields: dict[str, Floats]) -> dict[str, Any] | None:
    try:
        bend = opened.bend(joint)
        inside = bend.region.vertices
    except PlethosError:
        return None
    without, with_ = bend.of_points(fields["without"][inside]), bend.of_points(fields["with"][inside])
    return {"without": measured_json(without), "with": measured_json(with_)}


def measured_json(measured: Measured) -> dict[str, float | None]:
    """Percent of rest, to a hundredth."""
    girth = measured.girth
    return {"volume": round(measured.volume, 2), "girth": None if girth is None else round(girth, 2)}


def pack_frame(head: dict[str, Any], fields: dict[str, Floats]) -> bytes:
    """A header and arrays as one binary message."""
    text = json.dumps({**head, "fields": {k: v.size for k, v in fields.items()}}).encode()
    text += b" " * (-len(text) % 4)
    return b"".join(
        [struct.pack("<I", len(text)), text, *(np.ascontiguousarray(v).data.cast("B") for v in fields.values())]
    )
