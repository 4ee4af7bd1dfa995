"""Helper joints: joints that turn by rule, and the skin that follows those we made."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from plethos.core import rotations
from plethos.core.arrays import Arrays
from plethos.core.errors import BadEditError
from plethos.core.mapping import IdMap, JointMap, Vector, VertexMap
from plethos.core.mask import Mask
from plethos.core.moment import Moment, Places, Slot, Step
from plethos.core.remedies import kernels
from plethos.core.rotations import Array
from plethos.core.skeleton import Skeleton
from plethos.core.triggers.hinge import unit_axis

PARTS = {"all": kernels.ALL, "swing": kernels.SWING, "twist": kernels.TWIST}
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
        ``all``, ``swing`` or ``twist``.
    axis
        What a twist is about: a unit axis in the rest frame of `joint`.
    """

    joint: int
    share: float
    part: str = "all"
    axis: Vector = (0.0, 1.0, 0.0)
    kind: ClassVar[str] = "share"

    def __post_init__(self) -> None:
        if self.part not in PARTS:
            raise BadEditError(f"There is no part of a rotation called “{self.part}”; there are {', '.join(PARTS)}.")
        if not abs(self.share) <= MOST_SHARE:
            raise BadEditError(f"A share has to lie between -{MOST_SHARE:.0f} and {MOST_SHARE:.0f}.")

    def mapped(self, joints: JointMap) -> Share:
        there = joints.joint(self.joint)
        assert there is not None, "rules of joints that are gone are refused before"
        return replace(self, joint=there, axis=unit_axis(joints.axis(self.joint, self.axis)))

    def to_document(self, skeleton: Skeleton) -> dict[str, Any]:
        return {
            "kind": self.kind,
            "joint": skeleton.names[self.joint],
            "share": self.share,
            "part": self.part,
            "axis": list(self.axis),
        }

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton) -> Share:
        try:
            axis = unit_axis([float(c) for c in document.get("axis", (0, 1, 0))])
            return cls(skeleton.find(str(document["joint"])), float(document["share"]), str(document["part"]), axis)
        except (KeyError, TypeError, ValueError, OverflowError):
            raise BadEditError("A share needs a joint, a number, a part and an axis.") from None


RULES = {Share.kind: Share}


@dataclass(frozen=True, eq=False)
class Helper:
    """A joint that turns by rule while it acts; then what pose and clip give it counts for nothing.

    Parameters
    ----------
    joint
        The joint that is turned.
    rules
        Applied one after the other.
    mask
        The skin that follows it, over what it is bound to: of a helper joint that we made, which is a leaf. None = the
        joint has weights of its own.
    """

    joint: int
    rules: tuple[Share, ...]
    mask: Mask | None = None
    kind: ClassVar[str] = "helper"
    stage: ClassVar[str] = "joints"

    def __post_init__(self) -> None:
        if not self.rules:
            raise BadEditError("A helper joint needs a rule that turns it.")

    def reads(self) -> frozenset[Slot]:
        return frozenset(r.joint for r in self.rules)

    def writes(self) -> frozenset[Slot]:
        return frozenset({self.joint})

    def mapped(self, joints: JointMap, vertices: VertexMap | None, ids: IdMap, skeleton: Skeleton, name: str) -> Helper:
        there = joints.joint(self.joint)
        assert there is not None, "rules of joints that are gone are refused before"
        mask = None if self.mask is None else self.mask.mapped(vertices)
        return Helper(there, tuple(r.mapped(joints) for r in self.rules), mask)

    def to_document(self, skeleton: Skeleton, arrays: Arrays) -> dict[str, Any]:
        name = skeleton.names[self.joint]
        return {
            "joint": name,
            "rules": [r.to_document(skeleton) for r in self.rules],
            "mask": None if self.mask is None else arrays.put("shares", name, self.mask.vertices, self.mask.shares),
        }

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, arrays: Arrays) -> Helper:
        try:
            joint, given, mask = str(document["joint"]), list(document["rules"]), document.get("mask")
            kinds = [RULES[r["kind"]] for r in given]
        except (KeyError, TypeError):
            raise BadEditError("A helper needs a joint and rules that this version knows.") from None
        rules = tuple(kind.from_document(r, skeleton) for kind, r in zip(kinds, given, strict=True))
        return cls(skeleton.find(joint), rules, None if mask is None else Mask(*arrays.get("shares", mask)))

    @staticmethod
    def packed(helpers: Sequence[tuple[str, str | None, Helper]], places: Places) -> Step:
        """All helpers of a level as one step, each with the id of its remedy and of the value it is tied to."""
        shares = [(h.joint, r) for _, _, h in helpers for r in h.rules]
        skeleton = places.skeleton
        middles = [0.5 * sum(skeleton.range_about(r.joint, r.axis)) for _, r in shares]
        return _Helpers(
            joint=np.array([h.joint for _, _, h in helpers], np.int32),
            remedy=np.array([places.remedies[i] for i, _, _ in helpers], np.int32),
            by=np.array([places.of(by) for _, by, _ in helpers], np.int32),
            first=np.cumsum([0, *(len(h.rules) for _, _, h in helpers)]).astype(np.int32),
            source=np.array([r.joint for _, r in shares], np.int32),
            part=np.array([PARTS[r.part] for _, r in shares], np.int32),
            axis=np.array([r.axis for _, r in shares], np.float64),
            middle=np.array(middles, np.float64),
            turn=np.array([between_frames(skeleton, r.joint, j) for j, r in shares]),
            share=np.array([r.share for _, r in shares], np.float64),
        )


def between_frames(skeleton: Skeleton, one: int, other: int) -> Array:
    """The quaternion ``(4,)`` that says axes of turns of one joint's rest frame in another's, at rest in the world."""
    a, b = (rotations.axis_map(skeleton.pose_frame(j)) for j in (one, other))
    return rotations.from_matrix(b.T @ a)


@dataclass(frozen=True, eq=False)
class _Helpers:
    joint: NDArray[np.int32]
    remedy: NDArray[np.int32]
    by: NDArray[np.int32]
    first: NDArray[np.int32]
    source: NDArray[np.int32]
    part: NDArray[np.int32]
    axis: Array
    middle: Array
    turn: Array
    share: Array

    def run(self, moment: Moment, gains: Array) -> None:
        kernels.helper_rotations(
            self.joint, self.remedy, self.by, self.first, self.source, self.part, self.axis, self.middle, self.turn,
            self.share, gains, moment.values, moment.rotations, moment.translations, moment.scales,
        )  # fmt: skip
