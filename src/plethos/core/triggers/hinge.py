"""The hinge trigger: one joint, one axis, a response."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any, ClassVar

import numpy as np

from plethos.core import rotations
from plethos.core.errors import BadEditError
from plethos.core.rotations import Array
from plethos.core.skeleton import Pose, Skeleton
from plethos.core.triggers.response import Response

if TYPE_CHECKING:
    from plethos.core.joints.carry import JointChange

SNAP = math.radians(10)


@dataclass(frozen=True)
class HingeTrigger:
    """Reads how far a joint is turned about an axis of its rest frame.

    Parameters
    ----------
    joint
        Joint index.
    axis
        Unit axis in the joint's rest frame.
    response
        From the twist angle about the axis (radians) to the activation.
    """

    joint: int
    axis: tuple[float, float, float]
    response: Response
    kind: ClassVar[str] = "hinge"

    @property
    def joints(self) -> tuple[int, ...]:
        return (self.joint,)

    def angle(self, pose: Pose) -> float:
        """The joint's twist about the axis, radians in (-pi, pi]."""
        x, y, z, w = pose.rotations[self.joint].tolist()
        along = x * self.axis[0] + y * self.axis[1] + z * self.axis[2]
        if w < 0:
            along, w = -along, -w
        # As `rotations.twist_angle`, for one quaternion: at a swing of 180 degrees the twist is taken to be 0.
        return 2 * math.atan2(along, w) if math.hypot(along, w) >= 1e-9 else 0.0

    def activation(self, pose: Pose) -> float:
        return self.response.value(self.angle(pose))

    def flipped(self) -> HingeTrigger:
        """The same trigger for the joint's other direction (the sign turned over)."""
        return replace(self, response=self.response.flipped())

    def carried(self, change: JointChange) -> HingeTrigger:
        return replace(self, joint=int(change.place[self.joint]), axis=change.axis(self.joint, self.axis))

    def to_rule(self, skeleton: Skeleton) -> dict[str, Any]:
        knots = zip(self.response.angles, self.response.values, strict=True)
        return {
            "kind": self.kind,
            "joint": skeleton.names[self.joint],
            "axis": [float(c) for c in self.axis],
            "start_deg": math.degrees(self.response.start),
            "end_deg": math.degrees(self.response.end),
            "knots": [{"angle_deg": math.degrees(a), "value": v} for a, v in knots],
        }

    @classmethod
    def from_rule(cls, rule: Mapping[str, Any], skeleton: Skeleton) -> HingeTrigger:
        try:
            knots = sorted((math.radians(float(k["angle_deg"])), float(k["value"])) for k in rule["knots"])
            joint = str(rule["joint"])
            axis = unit_axis([float(c) for c in rule["axis"]])
        except (KeyError, TypeError, ValueError):
            raise BadEditError(
                "A hinge trigger needs a joint, an axis of three numbers and knots with angle_deg and value."
            ) from None
        response = Response(tuple(a for a, _ in knots), tuple(v for _, v in knots))
        return cls(skeleton.find(joint), axis, response)


def unit_axis(axis: Sequence[float]) -> tuple[float, float, float]:
    """An axis scaled to length 1.

    Raises
    ------
    BadEditError
        When it is not three finite numbers with some length.
    """
    values = np.asarray(axis, dtype=np.float64)
    if values.shape != (3,) or not np.isfinite(values).all() or np.linalg.norm(values) < 1e-6:
        raise BadEditError("An axis has to be three finite numbers that are not all zero.")
    x, y, z = (values / np.linalg.norm(values)).tolist()
    return (x, y, z)


def snap_axis(axis: Array) -> Array:
    """The joint's own axis when `axis` is within 10 degrees of it, else the axis as it is."""
    k = int(np.argmax(np.abs(axis)))
    if abs(axis[k]) < math.cos(SNAP):
        return axis
    snapped = np.zeros(3)
    snapped[k] = 1.0 if axis[k] > 0 else -1.0
    return snapped


def guess_hinge(pose: Pose, joint: int, preset: str = "late") -> HingeTrigger:
    """The hinge trigger that is 0 at rest and 1 in this pose.

    The axis is the axis of the joint's rotation from rest, snapped to the nearest joint axis when within 10
    degrees. It points along the positive joint axis, so that the end angle carries the sign.

    Raises
    ------
    BadEditError
        When the joint is at rest.
    """
    axis, turned = rotations.axis_and_angle(pose.rotations[joint])
    if turned < math.radians(1):
        raise BadEditError("The joint is at rest in this pose, so nothing can trigger the shape: bend it first.")
    axis = snap_axis(axis)
    if axis[int(np.argmax(np.abs(axis)))] < 0:
        axis = -axis
    end = float(rotations.twist_angle(pose.rotations[joint], axis))
    return HingeTrigger(joint, unit_axis(axis.tolist()), Response.preset(preset, 0.0, end))
