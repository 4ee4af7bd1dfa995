"""The hinge trigger: one joint, one axis, a response."""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.rules.moment import Moment, Places, Slot, Step
from plethos.core.rules.response import Response, packed_curves
from plethos.core.rules.triggers.trigger import Trigger
from plethos.core.skeleton import kinematics
from plethos.core.skeleton.mapping import IdMap, JointMap
from plethos.core.skeleton.names import new_id
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.skeleton import Skeleton

SNAP = math.radians(10)


@dataclass(frozen=True)
class HingeTrigger(Trigger):
    """Reads how far a joint is turned about an axis of its rest frame.

    Parameters
    ----------
    joint
        Joint index.
    axis
        Unit axis in the joint's rest frame.
    response
        From the twist angle about the axis (radians) to the activation, 0 to 1.
    """

    joint: int
    axis: tuple[float, float, float]
    response: Response
    name: str = ""
    id: str = field(default_factory=new_id)
    kind: ClassVar[str] = "hinge"

    def __post_init__(self) -> None:
        self.response.within(0, 1)

    def reads(self) -> frozenset[Slot]:
        return frozenset({self.joint})

    def writes(self) -> tuple[str, ...]:
        return (self.id,)

    def middle(self, skeleton: Skeleton) -> float:
        """The middle of the angles that it can tell apart, radians: see `Skeleton.cut_middle`.

        Raises
        ------
        BadEditError
            When they are a whole turn apart or more.
        """
        return skeleton.cut_middle(self.joint, self.axis, self.response.ends)

    def angle(self, pose: Pose, skeleton: Skeleton) -> float:
        """The joint's twist about the axis, radians, within half a turn of `middle`."""
        return float(rotations.twist_angle(pose.rotations[self.joint], self.axis, self.middle(skeleton)))

    def flipped(self) -> HingeTrigger:
        """The same trigger for the joint's other direction (the sign turned over)."""
        return replace(self, response=self.response.flipped())

    def mapped(self, joints: JointMap, ids: IdMap) -> HingeTrigger:
        there = joints.joint(self.joint)
        assert there is not None, "rules of joints that are gone are refused before"
        return replace(self, joint=there, axis=joints.axis(self.joint, self.axis), id=ids.get(self.id, self.id))

    def to_document(self, skeleton: Skeleton) -> dict[str, Any]:
        knots = zip(self.response.inputs, self.response.values, strict=True)
        return {
            "kind": self.kind,
            "id": self.id,
            "name": self.name,
            "joint": skeleton.names[self.joint],
            "axis": [float(c) for c in self.axis],
            "start_deg": math.degrees(self.response.start),
            "end_deg": math.degrees(self.response.end),
            "knots": [{"angle_deg": math.degrees(a), "value": v} for a, v in knots],
        }

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton) -> HingeTrigger:
        try:
            knots = [(math.radians(float(k["angle_deg"])), float(k["value"])) for k in document["knots"]]
            joint = str(document["joint"])
            axis = unit_axis([float(c) for c in document["axis"]])
        except (KeyError, TypeError, ValueError, OverflowError):
            raise BadEditError(
                "A hinge trigger needs a joint, an axis of three numbers and knots with angle_deg and value."
            ) from None
        name, own = str(document.get("name") or ""), str(document.get("id") or new_id())
        return cls(skeleton.find(joint), axis, Response.of_knots(knots), name, own)

    @staticmethod
    def packed(triggers: Sequence[HingeTrigger], places: Places) -> Step:
        """All hinge triggers of a level as one step."""
        offsets, knots = packed_curves([t.response for t in triggers])
        own = zip(triggers, itertools.pairwise(offsets.tolist()), strict=True)
        rows = [(t.joint, places.of(t.id), *t.axis, t.middle(places.skeleton), *ends) for t, ends in own]
        rows.sort(key=lambda row: (row[0], *row[2:6]))
        return Hinges(np.array(rows, np.float64).reshape(-1, 8), knots)


def hinge_of(trigger: object) -> HingeTrigger | None:
    """A trigger, if it follows how far one joint is turned about one axis; None for any other, and for none."""
    return trigger if isinstance(trigger, HingeTrigger) else None


@dataclass(frozen=True, eq=False)
class Hinges:
    """Hinge triggers as `kinematics.hinge_values` reads them."""

    rows: Array
    knots: Array

    def run(self, moment: Moment, gains: Array) -> None:
        kinematics.hinge_values(moment.rotations, self.rows, self.knots, moment.values)


def unit_axis(axis: Sequence[float]) -> tuple[float, float, float]:
    """An axis scaled to length 1.

    Raises
    ------
    BadEditError
        When it is not three finite numbers with some length.
    """
    values = [float(c) for c in axis]
    most = max(map(abs, values), default=0.0)
    if len(values) != 3 or not all(map(math.isfinite, values)) or most < 1e-6:
        raise BadEditError("An axis has to be three finite numbers that are not all zero.")
    x, y, z = (c / most for c in values)  # so that no length overflows
    length = math.hypot(x, y, z)
    return x / length, y / length, z / length


def snap_axis(axis: Array) -> Array:
    """The joint's own axis when `axis` is within 10 degrees of it, else the axis as it is."""
    k = int(np.argmax(np.abs(axis)))
    if abs(axis[k]) < math.cos(SNAP):
        return axis
    snapped = np.zeros(3)
    snapped[k] = 1.0 if axis[k] > 0 else -1.0
    return snapped


def guess_hinge(skeleton: Skeleton, pose: Pose, joint: int, preset: str = "late") -> HingeTrigger:
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
    unit = unit_axis(axis.tolist())
    low, high = skeleton.range_about(joint, unit)
    end = float(rotations.twist_angle(pose.rotations[joint], axis, 0.5 * (min(low, 0) + max(high, 0))))
    return HingeTrigger(joint, unit, Response.preset(preset, 0.0, end))
