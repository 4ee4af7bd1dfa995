"""Slide: a helper moves along a way by a response of an angle."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, ClassVar

from plethos.core.errors import BadEditError
from plethos.core.rules.moment import Places, Slot
from plethos.core.rules.remedies import helper_kernels as kernels
from plethos.core.rules.remedies.helper_rules.rule import (
    Operation,
    as_unit,
    middle_of,
    read_knots,
    there,
    told_knots,
    way_of,
)
from plethos.core.rules.response import Response
from plethos.core.rules.triggers.hinge import unit_axis
from plethos.core.skeleton.mapping import IdMap, JointMap, Vector
from plethos.core.skeleton.skeleton import Skeleton


@dataclass(frozen=True)
class Slide:
    """Moves along a way by a response of another joint's angle.

    Parameters
    ----------
    joint, axis
        Whose angle, about a unit axis in its rest frame.
    along
        Unit vector in the helper's rest frame.
    response
        From radians to metres; flat beyond its knots, which are the stops.
    """

    joint: int
    axis: Vector
    along: Vector
    response: Response
    kind: ClassVar[str] = "slide"

    def reads(self) -> frozenset[Slot]:
        return frozenset({self.joint})

    def mapped(self, joints: JointMap, ids: IdMap, helper: int) -> Slide:
        axis = unit_axis(joints.axis(self.joint, self.axis))
        return replace(
            self, joint=there(joints, self.joint), axis=axis, along=as_unit(joints.offset(helper, self.along))
        )

    def to_document(self, skeleton: Skeleton) -> dict[str, Any]:
        return {
            "kind": self.kind, "joint": skeleton.names[self.joint], "axis": list(self.axis),
            "along": list(self.along), "knots": told_knots(self.response, "metres"),
        }  # fmt: skip

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, helper: int) -> Slide:
        try:
            joint, axis = skeleton.find(str(document["joint"])), unit_axis([float(c) for c in document["axis"]])
            along = unit_axis([float(c) for c in document["along"]])
            return cls(joint, axis, along, read_knots(document["knots"], "metres"))
        except (KeyError, TypeError, ValueError, OverflowError):
            raise BadEditError("A slide needs a joint, an axis, a way and knots with angle_deg and metres.") from None

    def operation(self, places: Places, helper: int) -> Operation:
        skeleton = places.skeleton
        middle = middle_of(skeleton, self.joint, self.axis, self.response)
        return Operation(
            kernels.SLIDE, self.joint, kernels.TWIST, self.axis, middle,
            along=way_of(skeleton, helper, self.along), curve=self.response,
        )  # fmt: skip
