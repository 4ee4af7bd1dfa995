"""The pose set: closeness to stored poses of one or more joints, solved together.

A rotation is turned into a point, so that the system can always be solved: where an axis goes (swing), cosine and
sine of the twist about it (fading to none near a swing by half a turn, where it jumps), or the rotation matrix over
root 2 (both). Rotations t apart are ``2 sin(t / 2)`` apart in each.

References
----------
Lewis, Cordner, Fong, "Pose space deformation", SIGGRAPH 2000 (title from memory). For a set of one kind the weights
are those of `scipy.interpolate.RBFInterpolator` with a Gaussian kernel, epsilon = 1 / radius and degree -1.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadEditError
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array, normalize
from plethos.core.rules.moment import Moment, Places, Slot, Step
from plethos.core.rules.triggers import kernels
from plethos.core.rules.triggers.hinge import unit_axis
from plethos.core.rules.triggers.steepness import steepest_change
from plethos.core.rules.triggers.stored_pose import StoredPose, quaternion_of, stored_as_held
from plethos.core.rules.triggers.trigger import Trigger
from plethos.core.skeleton.mapping import IdMap, JointMap, Vector
from plethos.core.skeleton.names import new_id
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.skeleton import Skeleton

KINDS = {"swing": kernels.SWING, "twist": kernels.TWIST, "both": kernels.BOTH}
WORST_CONDITION = 1e6
MOST_STEP = 0.05  # the most that a weight may change when a joint turns by a tenth of a degree
LEAST_RADIUS, MOST_RADIUS = math.radians(15), math.radians(60)  # of a set that begins


@dataclass(frozen=True)
class PoseSet(Trigger):
    """Stored poses of some joints; the rest pose is always among them.

    Parameters
    ----------
    joints
        Joint indices.
    axes
        For each joint the unit axis of its rest frame that swings and that it twists about: its bone.
    poses
        What is stored, besides rest.
    radius
        Of the Gaussian, radians.
    """

    joints: tuple[int, ...]
    axes: tuple[Vector, ...]
    poses: tuple[StoredPose, ...]
    radius: float
    name: str = ""
    id: str = field(default_factory=new_id)
    kind: ClassVar[str] = "pose_set"

    def __post_init__(self) -> None:
        if not self.joints or len(self.joints) != len(self.axes) or len(set(self.joints)) != len(self.joints):
            raise BadEditError("A pose set needs one or more joints, each once and with an axis.")
        if not self.poses or any(len(p.rotations) != len(self.joints) or p.by not in KINDS for p in self.poses):
            raise BadEditError("A pose set needs one or more poses, each by swing, twist or both, of all its joints.")
        if not 0.01 <= self.radius <= math.pi:
            raise BadEditError("The radius of a pose set has to lie between 0.6 and 180 degrees.")
        _ = self.inverse

    @classmethod
    def of_held(
        cls, skeleton: Skeleton, joints: Sequence[int], pose: Pose, by: str, name: str = "", radius: float | None = None
    ) -> PoseSet:
        """A set of one pose, as joints are held in it.

        Parameters
        ----------
        radius
            Radians; None = half of the furthest turn, so that the pose has faded at rest.

        Raises
        ------
        BadEditError
            When the joints are at rest in what counts.
        """
        turned = max((float(rotations.angle(pose.rotations[j])) for j in joints), default=0.0)
        reach = min(max(0.5 * turned, LEAST_RADIUS), MOST_RADIUS) if radius is None else radius
        axes = tuple(skeleton.bone_axis(j) for j in joints)
        return cls(tuple(joints), axes, (stored_as_held(joints, pose, by, name),), reach).refuse_jumps()

    def with_held(self, pose: Pose, by: str, name: str = "") -> PoseSet:
        """With one more pose, as its joints are held in it.

        Raises
        ------
        BadEditError
            When it is too close to another, which is named: see `refuse_jumps`.
        """
        return replace(self, poses=(*self.poses, stored_as_held(self.joints, pose, by, name))).refuse_jumps()

    @property
    def _rest(self) -> StoredPose:
        kinds = {p.by for p in self.poses}
        turns = tuple((0.0, 0.0, 0.0, 1.0) for _ in self.joints)
        return StoredPose(turns, kinds.pop() if len(kinds) == 1 else "both", "rest", "")

    @property
    def all_poses(self) -> tuple[StoredPose, ...]:
        """Rest, then the stored poses."""
        return (self._rest, *self.poses)

    @property
    def distance(self) -> float:
        """The radius as a distance between points."""
        return 2 * math.sin(self.radius / 2)

    def _seen(self, kinds: Sequence[str]) -> Array:
        """The points ``(P, M, 9)`` of all poses, each by what counts for it."""
        turned = normalize([q for p in self.all_poses for q in p.rotations])
        axes = np.tile(np.array(self.axes, dtype=np.float64), (len(kinds), 1))
        by = np.repeat([KINDS[k] for k in kinds], len(self.joints)).astype(np.int32)
        out = np.empty((len(turned), 9))
        kernels.pose_points(turned, np.arange(len(turned), dtype=np.int32), axes, by, out)
        return out.reshape(len(kinds), len(self.joints), 9)

    @cached_property
    def points(self) -> Array:
        """The points ``(P, M, 9)`` of all poses, joint by joint."""
        return self._seen([p.by for p in self.all_poses])

    @cached_property
    def inverse(self) -> Array:
        """What turns closeness to each pose into weights ``(P, P)``: each pose gives 1 for itself and 0 for the others.

        Raises
        ------
        BadEditError
            When two poses are too close to be told apart; they are named.
        """
        poses = self.all_poses
        apart = np.empty((len(poses), len(poses)))
        for p, pose in enumerate(poses):
            # How far every pose is from this one, in what this one counts by.
            seen = self._seen([pose.by] * len(poses))
            apart[:, p] = np.sqrt(((seen - self.points[p]) ** 2).sum(axis=(1, 2)))
        closeness = np.exp(-((apart / self.distance) ** 2))
        if np.linalg.cond(closeness) > WORST_CONDITION:
            raise BadEditError(
                f"{self._closest(apart)} are too close to be told apart: leave one out, or make the radius smaller."
            )
        return np.asarray(np.linalg.inv(closeness))

    def _closest(self, apart: Array) -> str:
        """The names of the two poses that are the least apart ``(P, P)``."""
        both = apart + apart.T + np.diag(np.full(len(apart), np.inf))
        a, b = np.unravel_index(int(both.argmin()), both.shape)
        one, other = (self.all_poses[int(min(a, b))], self.all_poses[int(max(a, b))])
        return f"“{one.name or 'A pose'}” and “{other.name or 'another pose'}”"

    @cached_property
    def steepest(self) -> float:
        """The most that a weight changes when one joint turns by a tenth of a degree: see `steepest_change`."""
        return steepest_change(self.weights, np.array([p.rotations for p in self.all_poses]), self.axes)

    def refuse_jumps(self) -> PoseSet:
        """The same set, when its weights go smoothly.

        Raises
        ------
        BadEditError
            When a tenth of a degree changes one by more than `MOST_STEP`; the two closest poses are named.
        """
        if self.steepest > MOST_STEP:
            apart = np.sqrt(((self.points[:, None] - self.points[None]) ** 2).sum(axis=(2, 3)))
            raise BadEditError(
                f"{self._closest(apart)} are so close for this radius that a tenth of a degree would change a weight "
                f"by {self.steepest:.2f}: leave one out, or make the radius smaller."
            )
        return self

    def weights(self, turned: Array) -> Array:
        """The values ``(N, P)`` of the stored poses for rotations ``(N, M, 4)`` of the joints, as `kernels.set_values`
        gives them one by one."""
        count = len(turned)
        flat = np.ascontiguousarray(turned, np.float64).reshape(-1, 4)
        axes = np.tile(np.array(self.axes, np.float64), (count, 1))
        closeness = np.empty((count, len(self.all_poses)))
        seen: dict[str, Array] = {}
        for p, pose in enumerate(self.all_poses):
            if pose.by not in seen:
                out = np.empty((len(flat), 9))
                kinds = np.full(len(flat), KINDS[pose.by], np.int32)
                kernels.pose_points(flat, np.arange(len(flat), dtype=np.int32), axes, kinds, out)
                seen[pose.by] = out.reshape(count, len(self.joints), 9)
            apart = ((seen[pose.by] - self.points[p]) ** 2).sum(axis=(1, 2))
            closeness[:, p] = np.exp(-apart / self.distance**2)
        found = np.clip(closeness @ self.inverse, 0, 1)[:, 1:]
        return np.asarray(found / np.maximum(found.sum(axis=1, keepdims=True), 1))

    def without_pose(self, pose_id: str) -> PoseSet | None:
        """Without one of its poses; None when it was the last.

        Raises
        ------
        BadEditError
            When it has none of that id.
        """
        left = tuple(p for p in self.poses if p.id != pose_id)
        if len(left) == len(self.poses):
            raise BadEditError("That pose is not stored any more; it may have been deleted or undone.")
        return replace(self, poses=left) if left else None

    def reads(self) -> frozenset[Slot]:
        return frozenset(self.joints)

    def writes(self) -> tuple[str, ...]:
        return tuple(p.id for p in self.poses)

    def named(self) -> Mapping[str, str]:
        return {p.id: p.name for p in self.poses}

    def mapped(self, joints: JointMap, ids: IdMap) -> PoseSet:
        there = [joints.joint(j) for j in self.joints]
        assert None not in there, "rules of joints that are gone are refused before"
        poses = tuple(
            replace(
                p,
                id=ids.get(p.id, p.id),
                rotations=tuple(
                    quaternion_of(joints.rotation(j, np.array(q)))
                    for j, q in zip(self.joints, p.rotations, strict=True)
                ),
            )
            for p in self.poses
        )
        axes = tuple(joints.offset(j, a) for j, a in zip(self.joints, self.axes, strict=True))
        return replace(
            self,
            joints=tuple(j for j in there if j is not None),
            axes=tuple(unit_axis(a) for a in axes),
            poses=poses,
            id=ids.get(self.id, self.id),
        )

    def to_document(self, skeleton: Skeleton) -> dict[str, Any]:
        return {
            "kind": self.kind,
            "id": self.id,
            "name": self.name,
            "joints": [
                {"joint": skeleton.names[j], "axis": list(a)} for j, a in zip(self.joints, self.axes, strict=True)
            ],
            "radius_deg": math.degrees(self.radius),
            "poses": [
                {"id": p.id, "name": p.name, "by": p.by, "rotations": [list(q) for q in p.rotations]}
                for p in self.poses
            ],
        }

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton) -> PoseSet:
        try:
            joints = tuple(skeleton.find(str(j["joint"])) for j in document["joints"])
            axes = tuple(unit_axis([float(c) for c in j["axis"]]) for j in document["joints"])
            radius = math.radians(float(document["radius_deg"]))
            poses = tuple(
                StoredPose(
                    tuple(quaternion_of(np.array(q, dtype=np.float64)) for q in p["rotations"]),
                    str(p["by"]),
                    str(p.get("name") or ""),
                    str(p.get("id") or new_id()),
                )
                for p in document["poses"]
            )
        except (KeyError, TypeError, ValueError, OverflowError):
            raise BadEditError("A pose set needs joints with axes, a radius in degrees, and poses.") from None
        name, own = str(document.get("name") or ""), str(document.get("id") or new_id())
        return cls(joints, axes, poses, radius, name, own)

    @staticmethod
    def packed(sets: Sequence[PoseSet], places: Places) -> Step:
        """All pose sets of a level as one step."""
        most = max(len(s.joints) for s in sets)
        rows: dict[tuple[int, Vector, int], int] = {}
        row, stored, to = [], [], []
        for one in sets:
            for pose, points in zip(one.all_poses, one.points, strict=True):
                keys = [(j, a, KINDS[pose.by]) for j, a in zip(one.joints, one.axes, strict=True)]
                known = [rows.setdefault(k, len(rows)) for k in keys]
                row.append(known + [0] * (most - len(known)))
                stored.append(np.pad(points, ((0, most - len(points)), (0, 0))))
                to.append(places.of(pose.id or None))
        inverses = [one.inverse.ravel() for one in sets]
        return _Sets(
            first=np.cumsum([0, *(len(s.all_poses) for s in sets)]).astype(np.int32),
            joints=np.array([len(s.joints) for s in sets], np.int32),
            row=np.array(row, np.int32).reshape(-1, most),
            stored=np.concatenate(stored),
            radius=np.array([s.distance for s in sets]),
            inverse_at=np.cumsum([0, *(len(i) for i in inverses)])[:-1].astype(np.int32),
            inverse=np.concatenate(inverses),
            to=np.array(to, np.int32),
            joint=np.array([k[0] for k in rows], np.int32),
            axis=np.array([k[1] for k in rows], np.float64),
            kind=np.array([k[2] for k in rows], np.int32),
        )


@dataclass(frozen=True, eq=False)
class _Sets:
    first: NDArray[np.int32]
    joints: NDArray[np.int32]
    row: NDArray[np.int32]
    stored: Array
    radius: Array
    inverse_at: NDArray[np.int32]
    inverse: Array
    to: NDArray[np.int32]
    joint: NDArray[np.int32]
    axis: Array
    kind: NDArray[np.int32]

    def run(self, moment: Moment, gains: Array) -> None:
        here = np.empty((len(self.joint), 9))
        kernels.pose_points(moment.rotations, self.joint, self.axis, self.kind, here)
        kernels.set_values(
            self.first, self.joints, self.row, self.stored, here, self.radius, self.inverse_at, self.inverse,
            self.to, np.empty(len(self.to)), moment.values,
        )  # fmt: skip
