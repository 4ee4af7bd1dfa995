"""Joints, poses and forward kinematics."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property, partial
from typing import Any

import numpy as np

from plethos.core.errors import BadEditError, BadPoseError
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.skeleton.hinge import Hinge, guessed_hinge
from plethos.core.skeleton.kinematics import forward
from plethos.core.skeleton.pose import _NONE, Pose, refuse_nowhere


@dataclass(frozen=True)
class Skeleton:
    """The joints of a character and the plain nodes above them, parents before children.

    A local transform is ``T(rest_translation) * rest_rotation * R * rest_stretch``, with R from the pose. The
    stretch is the node's scale (a diagonal), or whatever else of a matrix is not a rotation. Helper joints that we made
    are plain nodes to everyone but their remedies: they are not posed, and nothing but their masks binds skin to them.

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
    keys
        ``(J,)`` who each joint is, whatever it is called and wherever it stands in the list; () = as in the file.
    """

    names: tuple[str, ...]
    parents: np.ndarray[Any, np.dtype[np.int32]]
    rest_translation: Array
    rest_rotation: Array
    rest_stretch: Array
    is_joint: np.ndarray[Any, np.dtype[np.bool_]]
    nodes: np.ndarray[Any, np.dtype[np.int32]]
    hinges: tuple[Hinge | None, ...] = ()
    keys: tuple[int, ...] = ()

    def __len__(self) -> int:
        return len(self.names)

    @cached_property
    def index_of(self) -> dict[str, int]:
        """Joint index by name."""
        return {name: i for i, name in enumerate(self.names)}

    @cached_property
    def rows(self) -> Array:
        """The joints ``(J, 17)`` as `kinematics.forward` reads them."""
        stretch = self.rest_stretch.reshape(-1, 9)
        return np.hstack([self.parents[:, None], self.rest_translation, self.rest_rotation, stretch]).astype(np.float64)

    @cached_property
    def joint_keys(self) -> tuple[int, ...]:
        """Who each joint is ``(J,)``: edits keep that."""
        return self.keys or tuple(range(len(self)))

    def came_from(self, before: Skeleton) -> np.ndarray[Any, np.dtype[np.int32]]:
        """Which joint of another version of this skeleton each is ``(J,)``, -1 for new ones."""
        number = {key: j for j, key in enumerate(before.joint_keys)}
        return np.array([number.get(key, -1) for key in self.joint_keys], dtype=np.int32)

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
        return list(self._below.get(joint, ()))

    @cached_property
    def _below(self) -> dict[int, list[int]]:
        below: dict[int, list[int]] = {}
        for j, parent in enumerate(self.joint_parents):
            if self.is_joint[j]:
                below.setdefault(parent, []).append(j)
        return below

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
        """The joint's hinge as the file says it, or a guess: see `guessed_hinge`."""
        known = self.known_hinge(joint)
        if known is not None:
            return known
        return guessed_hinge(self.rest_global[joint, :3, :3], *self.bones_at(joint))

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
        return Pose(self._unturned.copy())

    @cached_property
    def _unturned(self) -> Array:
        return np.tile([0.0, 0.0, 0.0, 1.0], (len(self), 1))

    def check_pose(self, pose: Pose) -> None:
        """Refuse a pose of another skeleton: compiled loops trust their sizes.

        Raises
        ------
        BadPoseError
            When it has another number of joints.
        """
        if any(a is not None and len(a) != len(self) for a in (pose.rotations, pose.translations, pose.scales)):
            raise BadPoseError("The pose is one of another skeleton: the joints were changed meanwhile.")

    def global_matrices(self, pose: Pose) -> Array:
        """World transforms ``(J, 4, 4)`` of all joints: forward kinematics.

        Raises
        ------
        BadPoseError
            When the pose is one of another skeleton, or a joint lies nowhere in it.
        """
        self.check_pose(pose)
        added, scales = (_NONE if a is None else np.ascontiguousarray(a) for a in (pose.translations, pose.scales))
        return self.world(np.ascontiguousarray(pose.rotations, dtype=np.float64), added, scales)

    def world(self, turned: Array, added: Array, scales: Array) -> Array:
        """World transforms ``(J, 4, 4)`` of a pose's arrays as `Moment` has them: contiguous, ``(0, 3)`` for none.

        Raises
        ------
        BadPoseError
            When a joint lies nowhere.
        """
        out = np.empty((len(self), 4, 4))
        refuse_nowhere(forward(self.rows, turned, added, scales, out))
        return out

    def turned_in_world(self, pose_rotations: Array) -> Array:
        """How all joints are turned in the world ``(J, 4)``: the turns along the way to each, whatever is scaled there.

        Under a joint that is scaled unevenly or mirrored a world matrix holds no rotation of the joints below.
        """
        out = rotations.multiply(self.rest_rotation, pose_rotations)
        for j, parent in enumerate(self.parents):
            if parent >= 0:
                out[j] = rotations.multiply(out[parent], out[j])
        return rotations.normalize(out)

    def pose_frame(self, joint: int) -> Array:
        """The frame ``(3, 3)`` that a joint's rotations are said in, at rest in the world: without its stretch."""
        return np.asarray(self._pose_frames[joint])

    @cached_property
    def _pose_frames(self) -> Array:
        # Every edit compiles rules, which ask for the frames of all that they read.
        above = np.where(self.parents[:, None, None] >= 0, self.rest_global[self.parents, :3, :3], np.eye(3))
        frames: Array = above @ rotations.to_matrix(self.rest_rotation)
        frames.setflags(write=False)
        return frames

    def range_about(self, joint: int, axis: tuple[float, float, float]) -> tuple[float, float]:
        """How far a joint turns about an axis of its rest frame, radians; half a turn each way if nobody says."""
        return self.hinge(joint).range_about(axis, partial(self.across, joint)) or (-np.pi, np.pi)

    def known_range(self, joint: int, axis: tuple[float, float, float]) -> tuple[float, float] | None:
        """The same where the file or an edit says it; None where it is a guess."""
        hinge = self.known_hinge(joint)
        return None if hinge is None else hinge.range_about(axis, partial(self.across, joint))

    def cut_middle(
        self, joint: int, axis: tuple[float, float, float], read: tuple[float, float] | None = None
    ) -> float:
        """The middle of the angles (radians) that can be told apart about an axis: their cut lies half a turn away.

        That of the joint's range; where none is known, of what is read.

        Parameters
        ----------
        read
            The first and the last angle that a response has knots at; None = there is no response.

        Raises
        ------
        BadEditError
            When range and knots together are more than a whole turn.
        """
        known = self.known_range(joint, axis)
        told = [span for span in (known, read) if span is not None] or [self.range_about(joint, axis)]
        low, high = min(span[0] for span in told), max(span[1] for span in told)
        if high - low > 2 * np.pi + 1e-9:
            raise BadEditError(
                f"“{self.names[joint]}” would have to tell {np.degrees(low):.0f} from {np.degrees(high):.0f} degrees, "
                "more than a whole turn: narrow the range of motion or the response."
            )
        return 0.5 * (low + high)

    def angle_about(self, joint: int, rotation: Array, axis: tuple[float, float, float]) -> float:
        """How far a joint of a pose is turned about a unit axis of its rest frame, radians, as its range is told."""
        return float(rotations.twist_angle(rotation, axis, self.cut_middle(joint, axis)))

    def across(self, joint: int, hinge: tuple[float, float, float] | None = None) -> tuple[Array, Array]:
        """The axes that `Hinge.others` are about: across the hinge, first the one nearest to the bone.

        Parameters
        ----------
        hinge
            Its axis; None = as the file says or as it is guessed.
        """
        axis = np.array(self.hinge(joint).axis if hinge is None else hinge)
        own = np.linalg.solve(self.pose_frame(joint), self.bone_way(joint))
        bone = own - axis * (own @ axis)
        if np.linalg.norm(bone) < 1e-9:
            bone = np.eye(3)[(int(np.argmax(np.abs(axis))) + 1) % 3]
            bone = bone - axis * (bone @ axis)
        bone = bone / np.linalg.norm(bone)
        return bone, np.cross(axis, bone)

    def bone_axis(self, joint: int) -> tuple[float, float, float]:
        """The unit axis of a joint's rest frame that lies along its bone; Y where there is no bone."""
        own = np.linalg.solve(self.pose_frame(joint), self.bone_way(joint))
        length = float(np.linalg.norm(own))
        x, y, z = (own / length).tolist() if length > 1e-9 else (0.0, 1.0, 0.0)
        return (x, y, z)

    def bone_way(self, joint: int) -> Array:
        """The way that a joint's bone goes at rest in the world; that of the bone before it for an end."""
        before, after = self.bones_at(joint)
        return after if np.linalg.norm(after) > 1e-9 else before

    def bones_at(self, joint: int) -> tuple[Array, Array]:
        """The bones that end and begin at a joint, at rest in the world; 0 where there is none."""
        at, below, parent = self.rest_global[:, :3, 3], self.main_child(joint), self.joint_parents[joint]
        before: Array = at[joint] - at[parent] if parent >= 0 else np.zeros(3)
        after: Array = at[below] - at[joint] if below is not None else np.zeros(3)
        return before, after

    @cached_property
    def rest_global(self) -> Array:
        """World transforms ``(J, 4, 4)`` at rest."""
        return self.global_matrices(self.rest_pose())
