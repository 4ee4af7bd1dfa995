"""Joints, poses and forward kinematics."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from plethos.core import rotations
from plethos.core.errors import BadPoseError
from plethos.core.rotations import Array

_NONE_ADDED: Array = np.zeros((0, 3))


@dataclass(frozen=True)
class Pose:
    """What is turned away from rest.

    Parameters
    ----------
    rotations
        Quaternions ``(J, 4)`` on top of each joint's rest rotation, in its rest frame: local = rest * R.
    translations
        Metres ``(J, 3)`` added to the rest translation, in the parent's frame; None = none.
    scales
        Absolute joint scales ``(J, 3)`` that replace the rest stretch; NaN rows keep it; None = none.
    shape_weights
        Values ``{shape index: weight}`` that a clip gives to the shapes that came with the file.
    """

    rotations: Array
    translations: Array | None = None
    scales: Array | None = None
    shape_weights: Mapping[int, float] | None = None

    def with_rotation(self, joint: int, rotation: Array) -> Pose:
        """The same pose with one joint's rotation replaced."""
        turned = self.rotations.copy()
        turned[joint] = rotation
        return Pose(turned, self.translations, self.scales, self.shape_weights)


@dataclass(frozen=True)
class Hinge:
    """The axis a joint mainly bends about, and how far it goes.

    Parameters
    ----------
    axis
        Unit axis in the joint's rest frame.
    low, high
        Range of motion about it, radians.
    """

    axis: tuple[float, float, float]
    low: float
    high: float


@dataclass(frozen=True)
class Skeleton:
    """The joints of a character and the plain nodes above them, parents before children.

    A local transform is ``T(rest_translation) * rest_rotation * R * rest_stretch``, with R from the pose. The
    stretch is the node's scale (a diagonal), or whatever else of a matrix is not a rotation.

    Parameters
    ----------
    names
        One unique name a joint.
    parents
        Index ``(J,)`` of each joint's parent, -1 for none; always smaller than the joint's own.
    rest_translation, rest_rotation, rest_stretch
        ``(J, 3)`` metres, ``(J, 4)`` quaternions, ``(J, 3, 3)`` matrices.
    is_joint
        ``(J,)`` False for nodes that only carry a transform and that nobody poses.
    nodes
        ``(J,)`` the index of the node in the file it came from.
    hinges
        What the file says of each joint's hinge; None where it says nothing.
    """

    names: tuple[str, ...]
    parents: np.ndarray[Any, np.dtype[np.int32]]
    rest_translation: Array
    rest_rotation: Array
    rest_stretch: Array
    is_joint: np.ndarray[Any, np.dtype[np.bool_]]
    nodes: np.ndarray[Any, np.dtype[np.int32]]
    hinges: tuple[Hinge | None, ...] = ()

    def __len__(self) -> int:
        return len(self.names)

    @cached_property
    def index_of(self) -> dict[str, int]:
        """Joint index by name."""
        return {name: i for i, name in enumerate(self.names)}

    @cached_property
    def joint_parents(self) -> tuple[int, ...]:
        """For each joint its nearest ancestor that is a joint itself, -1 for none."""
        found: list[int] = []
        for parent in self.parents:
            up = int(parent)
            while up >= 0 and not self.is_joint[up]:
                up = int(self.parents[up])
            found.append(up)
        return tuple(found)

    def children(self, joint: int) -> list[int]:
        """The joints whose nearest joint ancestor is `joint`."""
        return [j for j, p in enumerate(self.joint_parents) if p == joint and self.is_joint[j]]

    def subtree(self, joint: int) -> np.ndarray[Any, np.dtype[np.bool_]]:
        """Mask ``(J,)`` of `joint` and all below it."""
        inside = np.zeros(len(self), dtype=bool)
        inside[joint] = True
        for j in range(joint + 1, len(self)):
            if self.parents[j] >= 0:
                inside[j] |= inside[self.parents[j]]
        return inside

    def main_child(self, joint: int) -> int | None:
        """The child that a joint's bone ends at: the one furthest away; None when there is none apart from it."""
        at = self.rest_global[:, :3, 3]
        below = [(float(np.linalg.norm(at[c] - at[joint])), c) for c in self.children(joint)]
        length, child = max(below, key=lambda found: found[0], default=(0.0, -1))
        return child if length > 1e-9 else None

    def mask(self, names: Iterable[str]) -> np.ndarray[Any, np.dtype[np.bool_]]:
        """Mask ``(J,)`` of the joints of these names.

        Raises
        ------
        BadPoseError
            When there is no joint of some name.
        """
        inside = np.zeros(len(self), dtype=bool)
        inside[[self.find(name) for name in names]] = True
        return inside

    def known_hinge(self, joint: int) -> Hinge | None:
        """The joint's hinge as the file or an edit says it; None where nothing does."""
        return self.hinges[joint] if self.hinges else None

    def hinge(self, joint: int) -> Hinge:
        """The joint's hinge as the file says it, or a guess.

        The guess is the joint's own axis that lies best along the bend which the bones already have at rest, and
        never the one along the bone; its range is generous, since nothing is known.
        """
        known = self.known_hinge(joint)
        if known is not None:
            return known
        at, frame = self.rest_global[:, :3, 3], self.rest_global[joint, :3, :3]
        frame = frame / np.maximum(np.linalg.norm(frame, axis=0), 1e-12)
        below = self.main_child(joint)
        parent = self.joint_parents[joint]
        after = at[below] - at[joint] if below is not None else np.zeros(3)
        before = at[joint] - at[parent] if parent >= 0 else np.zeros(3)
        bone = after if np.linalg.norm(after) > 1e-9 else before
        bone = bone / max(float(np.linalg.norm(bone)), 1e-12)
        across = np.abs(np.cross(before, after) @ frame)
        across = across / max(float(across.max()), 1e-12)
        # Without a bend at rest all axes across the bone are as good; the last wins.
        score = across * 0.5 + np.where(np.abs(bone @ frame) > 0.7, -10.0, 0.0) + np.array([0.0, 0.01, 0.02])
        axis = [0.0, 0.0, 0.0]
        axis[int(np.argmax(score))] = 1.0
        return Hinge((axis[0], axis[1], axis[2]), -np.pi / 2, 5 * np.pi / 6)

    def find(self, name: str) -> int:
        """Index of the joint called `name`.

        Raises
        ------
        BadPoseError
            When there is none.
        """
        index = self.index_of.get(name)
        if index is None:
            raise BadPoseError(f"There is no joint called “{name}” in this character.")
        return index

    def rest_pose(self) -> Pose:
        """The pose in which nothing is turned."""
        return Pose(np.tile(rotations.IDENTITY, (len(self), 1)))

    def global_matrices(self, pose: Pose) -> Array:
        """World transforms ``(J, 4, 4)`` of all joints: forward kinematics.

        Raises
        ------
        BadPoseError
            When the pose is one of another skeleton.
        """
        from plethos.core.kinematics import forward

        # The compiled kernel trusts its sizes.
        if len(pose.rotations) != len(self):
            raise BadPoseError("The pose is one of another skeleton: the joints were changed meanwhile.")

        stretch = self.rest_stretch
        if pose.scales is not None:
            scaled = ~np.isnan(pose.scales).any(axis=1)
            stretch = stretch.copy()
            stretch[scaled] = np.eye(3) * pose.scales[scaled][:, None, :]
        out = np.empty((len(self), 4, 4))
        added = _NONE_ADDED if pose.translations is None else pose.translations
        turned = np.ascontiguousarray(pose.rotations, dtype=np.float64)
        forward(self.parents, self.rest_translation, self.rest_rotation, stretch, turned, added, out)
        return out

    @cached_property
    def rest_global(self) -> Array:
        """World transforms ``(J, 4, 4)`` at rest."""
        return self.global_matrices(self.rest_pose())


def pose_from_json(skeleton: Skeleton, text: str | bytes) -> Pose:
    """Read a pose file: ``{"joints": {NAME: {"euler_xyz_deg": [x, y, z]} | {"quaternion_xyzw": [...]}}}``.

    Raises
    ------
    BadPoseError
        For text that is not JSON, unknown joints, or rotations that are not finite numbers.
    """
    try:
        joints = json.loads(text)["joints"]
        entries = list(joints.items())
    except (ValueError, KeyError, TypeError, AttributeError):
        raise BadPoseError('The pose is not of the form {"joints": {"NAME": {"euler_xyz_deg": [x, y, z]}}}.') from None
    pose = skeleton.rest_pose()
    for name, rotation in entries:
        pose.rotations[skeleton.find(name)] = rotation_from_json(name, rotation)
    return pose


def rotation_from_json(name: str, rotation: object) -> Array:
    """One joint's entry of a pose file as a quaternion ``(4,)``; `name` is for the sentence of an error."""
    if isinstance(rotation, Mapping):
        for key, count in (("euler_xyz_deg", 3), ("quaternion_xyzw", 4)):
            if key not in rotation:
                continue
            try:
                values = np.asarray(rotation[key], dtype=np.float64)
            except (TypeError, ValueError):
                values = np.array([np.nan])
            if values.shape != (count,) or not np.isfinite(values).all():
                raise BadPoseError(f"The {key} of joint “{name}” has to be {count} finite numbers.")
            if count == 3:
                return rotations.from_euler_xyz_deg(values)
            if np.linalg.norm(values) < 1e-6:
                raise BadPoseError(f"The quaternion of joint “{name}” has length zero.")
            return rotations.normalize(values)
    raise BadPoseError(f"Joint “{name}” needs either euler_xyz_deg or quaternion_xyzw.")


def pose_to_json(skeleton: Skeleton, pose: Pose) -> dict[str, Any]:
    """The turned joints of a pose in the form that `pose_from_json` reads."""
    turned = np.flatnonzero(rotations.angle(pose.rotations) > 1e-9)
    return {"joints": {skeleton.names[j]: {"quaternion_xyzw": pose.rotations[j].tolist()} for j in turned}}
