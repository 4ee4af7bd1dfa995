"""Share: a helper takes a fraction of another joint's rotation."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, ClassVar

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.rules.moment import Places, Slot
from plethos.core.rules.remedies import helper_kernels as kernels
from plethos.core.rules.remedies.helper_rules.rule import (
    Operation,
    Y,
    between_frames,
    middle_of,
    there,
)
from plethos.core.rules.triggers.hinge import unit_axis
from plethos.core.skeleton.mapping import IdMap, JointMap, Vector, vector
from plethos.core.skeleton.skeleton import Skeleton

PARTS = {"all": kernels.ALL, "swing": kernels.SWING, "twist": kernels.TWIST, "axes": kernels.ALONG}
SQUARE = 1e-6  # the cosine under which two axes count as square to each other
MOST_SHARE = 4.0


@dataclass(frozen=True)
class Share:
    """Takes a fraction of another joint's rotation from rest.

    Parameters
    ----------
    joint
        Whose rotation.
    share
        How much of it; below 0 turns the other way.
    part
        ``all``, ``swing``, ``twist``, or ``axes``: the turn's components about `axes` alone.
    axis
        What a twist is about: a unit axis in the rest frame of `joint`.
    axes
        One unit axis there, or two that are square to each other.
    """

    joint: int
    share: float
    part: str = "all"
    axis: Vector = Y
    axes: tuple[Vector, ...] = ()
    kind: ClassVar[str] = "share"

    def __post_init__(self) -> None:
        if self.part not in PARTS:
            raise BadEditError(f"There is no part of a rotation called “{self.part}”; there are {', '.join(PARTS)}.")
        if not abs(self.share) <= MOST_SHARE:
            raise BadEditError(f"A share has to lie between -{MOST_SHARE:.0f} and {MOST_SHARE:.0f}.")
        if self.part == "axes" and len(self.axes) not in (1, 2):
            raise BadEditError("A share of chosen axes needs one of them, or two; for three, take the whole rotation.")
        if len(self.axes) == 2 and abs(np.dot(np.array(self.axes[0]), np.array(self.axes[1]))) > SQUARE:
            raise BadEditError("The two axes of a share have to be square to each other.")

    def reads(self) -> frozenset[Slot]:
        return frozenset({self.joint})

    def mapped(self, joints: JointMap, ids: IdMap, helper: int) -> Share:
        axis, *axes = (unit_axis(joints.axis(self.joint, a)) for a in (self.axis, *self.axes))
        return replace(self, joint=there(joints, self.joint), axis=axis, axes=tuple(axes))

    def to_document(self, skeleton: Skeleton) -> dict[str, Any]:
        told: dict[str, Any] = {
            "kind": self.kind, "joint": skeleton.names[self.joint], "share": self.share, "part": self.part,
            "axis": list(self.axis),
        }  # fmt: skip
        return {**told, "axes": [list(a) for a in self.axes]} if self.axes else told

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, helper: int) -> Share:
        try:
            axis = unit_axis([float(c) for c in document.get("axis", Y)])
            axes = tuple(unit_axis([float(c) for c in a]) for a in document.get("axes") or ())
            joint, share = skeleton.find(str(document["joint"])), float(document["share"])
            return cls(joint, share, str(document["part"]), axis, axes)
        except (KeyError, TypeError, ValueError, OverflowError):
            raise BadEditError("A share needs a joint, a number, a part and an axis.") from None

    def operation(self, places: Places, helper: int) -> Operation:
        skeleton, part, axis = places.skeleton, PARTS[self.part], self.axis
        if self.part == "axes":
            # Two axes are all but the third.
            axis = (
                self.axes[0]
                if len(self.axes) == 1
                else vector(np.cross(np.array(self.axes[0]), np.array(self.axes[1])))
            )
            part = kernels.ALONG if len(self.axes) == 1 else kernels.ACROSS
        return Operation(
            kernels.SHARE, self.joint, part, axis, middle_of(skeleton, self.joint, axis),
            between_frames(skeleton, self.joint, helper), self.share,
        )  # fmt: skip
