"""Grow: a helper gets larger by a response of an angle."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, ClassVar

from plethos.core.errors import BadEditError
from plethos.core.rules.moment import Places, Slot
from plethos.core.rules.remedies import helper_kernels as kernels
from plethos.core.rules.remedies.helper_rules.rule import (
    Operation,
    middle_of,
    read_knots,
    there,
    told_knots,
)
from plethos.core.rules.response import Response
from plethos.core.rules.triggers.hinge import unit_axis
from plethos.core.skeleton.mapping import IdMap, JointMap, Vector
from plethos.core.skeleton.skeleton import Skeleton

MOST_GROWTH = 100.0


@dataclass(frozen=True)
class Grow:
    """Gets larger by a response of another joint's angle.

    Parameters
    ----------
    joint, axis
        Whose angle, about a unit axis in its rest frame.
    response
        From radians to a factor on the helper's size.
    """

    joint: int
    axis: Vector
    response: Response
    kind: ClassVar[str] = "grow"

    def __post_init__(self) -> None:
        self.response.within(1 / MOST_GROWTH, MOST_GROWTH)

    def reads(self) -> frozenset[Slot]:
        return frozenset({self.joint})

    def mapped(self, joints: JointMap, ids: IdMap, helper: int) -> Grow:
        return replace(self, joint=there(joints, self.joint), axis=unit_axis(joints.axis(self.joint, self.axis)))

    def to_document(self, skeleton: Skeleton) -> dict[str, Any]:
        return {
            "kind": self.kind, "joint": skeleton.names[self.joint], "axis": list(self.axis),
            "knots": told_knots(self.response, "factor"),
        }  # fmt: skip

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, helper: int) -> Grow:
        try:
            joint, axis = skeleton.find(str(document["joint"])), unit_axis([float(c) for c in document["axis"]])
            return cls(joint, axis, read_knots(document["knots"], "factor"))
        except (KeyError, TypeError, ValueError, OverflowError):
            raise BadEditError("A growth needs a joint, an axis and knots with angle_deg and factor.") from None

    def operation(self, places: Places, helper: int) -> Operation:
        middle = middle_of(places.skeleton, self.joint, self.axis, self.response)
        return Operation(kernels.GROW, self.joint, kernels.TWIST, self.axis, middle, curve=self.response)
