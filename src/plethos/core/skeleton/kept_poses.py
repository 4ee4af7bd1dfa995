"""Poses that are kept under a name."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from plethos.core.skeleton.mapping import JointMap, mapped_pose
from plethos.core.skeleton.names import other_side_name
from plethos.core.skeleton.skeleton import Skeleton


@dataclass(frozen=True)
class KeptPose:
    """A pose under a name.

    Parameters
    ----------
    pose
        As in a pose file.
    """

    name: str
    pose: Mapping[str, Any]

    def carried(self, joints: JointMap, skeleton: Skeleton) -> KeptPose:
        """The same pose on a changed skeleton; `skeleton` is the one of before."""
        return replace(self, pose=mapped_pose(self.pose, joints, skeleton))

    def to_document(self) -> dict[str, Any]:
        """The pose as plain data."""
        return {"name": self.name, "pose": dict(self.pose)}


def mirrored_pose(pose: Mapping[str, Any], mirror: JointMap, skeleton: Skeleton) -> dict[str, Any]:
    """The mirror image of a pose as in a pose file; dials of one side go to the other's of that name."""
    out = mapped_pose(pose, mirror, skeleton)
    dials = pose.get("dials") or {}
    if dials:
        other = {name: other_side_name(name) for name in dials}
        out["dials"] = {(o if (o := other[name]) in dials and o else name): v for name, v in dials.items()}
    return out
