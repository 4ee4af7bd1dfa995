"""Poses as files have them: joints by name, turned, moved and scaled; dials and shapes that are set."""

from __future__ import annotations

import json
import math
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from plethos.core.errors import BadPoseError
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import FARTHEST
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.skeleton import Skeleton


def pose_from_json(skeleton: Skeleton, text: str | bytes) -> Pose:
    """Read a pose file.

    ``{"joints": {NAME: {"euler_xyz_deg": [x, y, z]} | {"quaternion_xyzw": [...]}, also "translation" and "scale"},
    "dials": {NAME: x}, "shapes": {NUMBER: x}}``.

    Raises
    ------
    BadPoseError
        For text that is not JSON, unknown joints, numbers that are not finite, or joints that lie nowhere.
    """
    try:
        return pose_from_document(skeleton, json.loads(text))
    except (ValueError, RecursionError):
        raise BadPoseError('The pose is not of the form {"joints": {"NAME": {"euler_xyz_deg": [x, y, z]}}}.') from None


def pose_from_document(skeleton: Skeleton, document: object) -> Pose:
    """A pose file that is parsed already: see `pose_from_json`. In place of an entry may be a quaternion alone."""
    if not isinstance(document, Mapping) or not isinstance(document.get("joints", {}), Mapping):
        raise BadPoseError('The pose is not of the form {"joints": {"NAME": {"euler_xyz_deg": [x, y, z]}}}.')
    if "joints" not in document and "dials" not in document:
        raise BadPoseError('The pose is not of the form {"joints": {"NAME": {"euler_xyz_deg": [x, y, z]}}}.')
    turned = skeleton.rest_pose().rotations
    moved: Array | None = None
    scaled: Array | None = None
    for name, entry in document.get("joints", {}).items():
        j = skeleton.find(name)
        if isinstance(entry, tuple):  # of numbers, as every frame of a drag has it
            turned[j] = _unit(name, entry)
            continue
        if not isinstance(entry, Mapping):
            entry = {"quaternion_xyzw": entry} if isinstance(entry, list) else {}
        placed = "translation" in entry or "scale" in entry
        if not placed or "euler_xyz_deg" in entry or "quaternion_xyzw" in entry:
            turned[j] = rotation_from_json(name, entry)
        if not placed:
            continue
        if "translation" in entry:
            moved = np.zeros((len(skeleton), 3)) if moved is None else moved
            moved[j] = _numbers(entry, "translation", name, 3)
        if "scale" in entry:
            scaled = np.full((len(skeleton), 3), np.nan) if scaled is None else scaled
            scaled[j] = _numbers(entry, "scale", name, 3)
    pose = Pose(
        turned,
        translations=moved if moved is not None and moved.any() else None,
        scales=scaled,
        shape_weights={int(k): v for k, v in _named_numbers(document, "shapes").items()} or None,
        dials=_named_numbers(document, "dials") or None,
    )
    if moved is not None or scaled is not None:
        # Every pose that comes in passes here, and some are stored unseen. Turning alone takes no joint away.
        skeleton.global_matrices(pose)
    return pose


def _named_numbers(document: Mapping[str, Any], key: str) -> dict[str, float]:
    """The finite numbers by name under a key of a pose file."""
    given = document.get(key)
    if not given:
        return {}
    if not isinstance(given, Mapping):
        raise BadPoseError(f"The {key} of a pose have to be numbers by name.")
    out = {}
    for name, value in given.items():
        if isinstance(value, bool) or not isinstance(value, int | float) or not abs(value) < FARTHEST:
            raise BadPoseError(f"“{name}” among the {key} of a pose has to be a number, and no huge one.")
        if key == "shapes" and not str(name).isdecimal():
            raise BadPoseError("The shapes of a pose are named by their numbers.")
        out[str(name)] = float(value)
    return out


def _numbers(entry: Mapping[str, Any], key: str, name: str, count: int) -> list[float]:
    try:
        values = [float(v) for v in entry[key]]
    except (TypeError, ValueError, OverflowError):
        values = []
    if len(values) != count or not all(map(math.isfinite, values)):
        raise BadPoseError(f"The {key} of joint “{name}” has to be {count} finite numbers.")
    return values


def _unit(name: str, quaternion: Sequence[float]) -> tuple[float, float, float, float]:
    length = math.hypot(*quaternion)
    if len(quaternion) != 4 or not math.isfinite(length):
        raise BadPoseError(f"The quaternion of joint “{name}” has to be 4 finite numbers.")
    if length < 1e-6:
        raise BadPoseError(f"The quaternion of joint “{name}” has length zero.")
    x, y, z, w = quaternion
    return x / length, y / length, z / length, w / length


def rotation_from_json(name: str, rotation: object) -> Sequence[float]:
    """One joint's entry of a pose file as a quaternion of four numbers; `name` is for the sentence of an error."""
    if isinstance(rotation, Mapping):
        if "euler_xyz_deg" in rotation:
            return list(map(float, rotations.from_euler_xyz_deg(_numbers(rotation, "euler_xyz_deg", name, 3))))
        if "quaternion_xyzw" in rotation:
            return _unit(name, _numbers(rotation, "quaternion_xyzw", name, 4))
    raise BadPoseError(f"Joint “{name}” needs either euler_xyz_deg or quaternion_xyzw.")


def pose_to_json(skeleton: Skeleton, pose: Pose) -> dict[str, Any]:
    """What is turned, moved, scaled or set in a pose, in the form that `pose_from_json` reads."""
    joints: dict[str, Any] = {}
    turned = rotations.angle(pose.rotations) > 1e-9
    for j, name in enumerate(skeleton.names):
        entry: dict[str, Any] = {"quaternion_xyzw": pose.rotations[j].tolist()} if turned[j] else {}
        if pose.translations is not None and np.abs(pose.translations[j]).max() > 0:
            entry["translation"] = pose.translations[j].tolist()
        if pose.scales is not None and not np.isnan(pose.scales[j]).any():
            entry["scale"] = pose.scales[j].tolist()
        if entry:
            joints[name] = entry
    out: dict[str, Any] = {"joints": joints}
    if pose.shape_weights:
        out["shapes"] = {str(k): float(v) for k, v in pose.shape_weights.items()}
    if pose.dials:
        out["dials"] = dict(pose.dials)
    return out
