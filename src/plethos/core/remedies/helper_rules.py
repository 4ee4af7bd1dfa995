"""The rules of helper joints: each says where a helper goes, of what others do.

Rules of one helper are worked out together: anchor first, then shares, slides and pushes in their order, grow, and the
limit last. A new kind is one more class here with the members of `HelperRule`, an operation in `helper_kernels`, and a
line in `RULES`.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar, Protocol

import numpy as np

from plethos.core import rotations
from plethos.core.errors import BadEditError
from plethos.core.mapping import IdMap, JointMap, Vector, vector
from plethos.core.moment import Places, Slot
from plethos.core.remedies import helper_kernels as kernels
from plethos.core.response import Response
from plethos.core.rotations import Array
from plethos.core.skeleton import Skeleton
from plethos.core.triggers.hinge import unit_axis

PARTS = {"all": kernels.ALL, "swing": kernels.SWING, "twist": kernels.TWIST}
MOST_SHARE = 4.0
MOST_GROWTH = 100.0
MOST_WAY = 1e6  # metres
Y = (0.0, 1.0, 0.0)


@dataclass(frozen=True, eq=False)
class Operation:
    """A rule as the kernel reads it.

    Parameters
    ----------
    kind
        One of `helper_kernels`.
    source
        The joint that is read, or the place of the value that is.
    part, axis, middle
        Of a rotation: which part, about which axis, and where the angle's middle lies.
    turn
        ``(4,)`` from the rest frame of the source to that of the helper.
    number
        A share, or a factor on the way.
    along
        ``(3,)`` the way that something goes, in the frame of the helper's parent.
    curve
        From an angle to a distance or a factor.
    low, high
        Bounds, radians.
    paths
        Of an anchor: joints from what they have in common down to the helper's parent, to the joint that places it, and
        to the one that turns it.
    """

    kind: int
    source: int = 0
    part: int = kernels.ALL
    axis: Vector = Y
    middle: float = 0.0
    turn: Array = field(default_factory=lambda: np.array([0.0, 0.0, 0.0, 1.0]))
    number: float = 1.0
    along: Array = field(default_factory=lambda: np.zeros(3))
    curve: Response | None = None
    low: float = -math.inf
    high: float = math.inf
    paths: tuple[tuple[int, ...], ...] = ((), (), ())


class HelperRule(Protocol):
    """What every kind of rule can do."""

    kind: ClassVar[str]

    def reads(self) -> frozenset[Slot]:
        """The joints and values that it depends on."""
        ...

    def mapped(self, joints: JointMap, ids: IdMap, helper: int) -> HelperRule:
        """The same on a changed skeleton, or on the other side; `helper` is the joint that it was for."""
        ...

    def to_document(self, skeleton: Skeleton) -> dict[str, Any]:
        """As plain data, joints by name, angles in degrees."""
        ...

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, helper: int) -> HelperRule:
        """The rule that `to_document` wrote."""
        ...

    def operation(self, places: Places, helper: int) -> Operation:
        """As the kernel reads it."""
        ...


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
    axis: Vector = Y
    kind: ClassVar[str] = "share"

    def __post_init__(self) -> None:
        if self.part not in PARTS:
            raise BadEditError(f"There is no part of a rotation called “{self.part}”; there are {', '.join(PARTS)}.")
        if not abs(self.share) <= MOST_SHARE:
            raise BadEditError(f"A share has to lie between -{MOST_SHARE:.0f} and {MOST_SHARE:.0f}.")

    def reads(self) -> frozenset[Slot]:
        return frozenset({self.joint})

    def mapped(self, joints: JointMap, ids: IdMap, helper: int) -> Share:
        return replace(self, joint=_there(joints, self.joint), axis=unit_axis(joints.axis(self.joint, self.axis)))

    def to_document(self, skeleton: Skeleton) -> dict[str, Any]:
        name = skeleton.names[self.joint]
        return {"kind": self.kind, "joint": name, "share": self.share, "part": self.part, "axis": list(self.axis)}

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, helper: int) -> Share:
        try:
            axis = unit_axis([float(c) for c in document.get("axis", Y)])
            return cls(skeleton.find(str(document["joint"])), float(document["share"]), str(document["part"]), axis)
        except (KeyError, TypeError, ValueError, OverflowError):
            raise BadEditError("A share needs a joint, a number, a part and an axis.") from None

    def operation(self, places: Places, helper: int) -> Operation:
        skeleton = places.skeleton
        return Operation(
            kernels.SHARE, self.joint, PARTS[self.part], self.axis, _middle(skeleton, self.joint, self.axis),
            between_frames(skeleton, self.joint, helper), self.share,
        )  # fmt: skip


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
            self, joint=_there(joints, self.joint), axis=axis, along=_unit(joints.offset(helper, self.along))
        )

    def to_document(self, skeleton: Skeleton) -> dict[str, Any]:
        return {
            "kind": self.kind, "joint": skeleton.names[self.joint], "axis": list(self.axis),
            "along": list(self.along), "knots": _knots(self.response, "metres"),
        }  # fmt: skip

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, helper: int) -> Slide:
        try:
            joint, axis = skeleton.find(str(document["joint"])), unit_axis([float(c) for c in document["axis"]])
            along = unit_axis([float(c) for c in document["along"]])
            return cls(joint, axis, along, _response(document["knots"], "metres"))
        except (KeyError, TypeError, ValueError, OverflowError):
            raise BadEditError("A slide needs a joint, an axis, a way and knots with angle_deg and metres.") from None

    def operation(self, places: Places, helper: int) -> Operation:
        skeleton = places.skeleton
        return Operation(
            kernels.SLIDE, self.joint, kernels.TWIST, self.axis, _middle(skeleton, self.joint, self.axis),
            along=_way(skeleton, helper, self.along), curve=self.response,
        )  # fmt: skip


@dataclass(frozen=True)
class Push:
    """Moves along a way by any value.

    Parameters
    ----------
    value
        Its id.
    along
        Unit vector in the helper's rest frame.
    metres
        How far at a value of 1.
    """

    value: str
    along: Vector
    metres: float
    kind: ClassVar[str] = "push"

    def __post_init__(self) -> None:
        if not abs(self.metres) <= MOST_WAY:
            raise BadEditError("How far a push goes has to be a sensible number of metres.")

    def reads(self) -> frozenset[Slot]:
        return frozenset({self.value})

    def mapped(self, joints: JointMap, ids: IdMap, helper: int) -> Push:
        return replace(self, value=ids.get(self.value, self.value), along=_unit(joints.offset(helper, self.along)))

    def to_document(self, skeleton: Skeleton) -> dict[str, Any]:
        return {"kind": self.kind, "value": self.value, "along": list(self.along), "metres": self.metres}

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, helper: int) -> Push:
        try:
            along = unit_axis([float(c) for c in document["along"]])
            return cls(str(document["value"]), along, float(document["metres"]))
        except (KeyError, TypeError, ValueError, OverflowError):
            raise BadEditError("A push needs a value, a way and a number of metres.") from None

    def operation(self, places: Places, helper: int) -> Operation:
        way = self.metres * _way(places.skeleton, helper, self.along)
        return Operation(kernels.PUSH, places.of(self.value), along=way)


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
        return replace(self, joint=_there(joints, self.joint), axis=unit_axis(joints.axis(self.joint, self.axis)))

    def to_document(self, skeleton: Skeleton) -> dict[str, Any]:
        return {
            "kind": self.kind, "joint": skeleton.names[self.joint], "axis": list(self.axis),
            "knots": _knots(self.response, "factor"),
        }  # fmt: skip

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, helper: int) -> Grow:
        try:
            joint, axis = skeleton.find(str(document["joint"])), unit_axis([float(c) for c in document["axis"]])
            return cls(joint, axis, _response(document["knots"], "factor"))
        except (KeyError, TypeError, ValueError, OverflowError):
            raise BadEditError("A growth needs a joint, an axis and knots with angle_deg and factor.") from None

    def operation(self, places: Places, helper: int) -> Operation:
        middle = _middle(places.skeleton, self.joint, self.axis)
        return Operation(kernels.GROW, self.joint, kernels.TWIST, self.axis, middle, curve=self.response)


@dataclass(frozen=True)
class Limit:
    """Stops the helper's own turn about an axis.

    Parameters
    ----------
    axis
        Unit axis in the helper's rest frame.
    low, high
        Radians; infinite on a side that has no stop.
    """

    axis: Vector
    low: float = -math.inf
    high: float = math.inf
    kind: ClassVar[str] = "limit"

    def __post_init__(self) -> None:
        if math.isnan(self.low) or math.isnan(self.high) or self.low > self.high:
            raise BadEditError("The lower stop of a limit has to lie below the upper one.")
        if any(math.isfinite(x) and abs(x) > 2 * math.pi for x in (self.low, self.high)):
            raise BadEditError("A stop of a limit has to lie within a whole turn of rest.")

    def reads(self) -> frozenset[Slot]:
        return frozenset()

    def mapped(self, joints: JointMap, ids: IdMap, helper: int) -> Limit:
        return replace(self, axis=unit_axis(joints.axis(helper, self.axis)))

    def to_document(self, skeleton: Skeleton) -> dict[str, Any]:
        low, high = (None if math.isinf(x) else math.degrees(x) for x in (self.low, self.high))
        return {"kind": self.kind, "axis": list(self.axis), "low_deg": low, "high_deg": high}

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, helper: int) -> Limit:
        try:
            axis = unit_axis([float(c) for c in document["axis"]])
            low, high = document.get("low_deg"), document.get("high_deg")
            low_stop = -math.inf if low is None else math.radians(float(low))
            return cls(axis, low_stop, math.inf if high is None else math.radians(float(high)))
        except (KeyError, TypeError, ValueError, OverflowError):
            raise BadEditError("A limit needs an axis and a stop on one side or on both.") from None

    def operation(self, places: Places, helper: int) -> Operation:
        return Operation(kernels.LIMIT, axis=self.axis, low=self.low, high=self.high)


@dataclass(frozen=True)
class Anchor:
    """Takes its place from one joint and its turn from another. Scales of joints do not count on the way.

    Parameters
    ----------
    place, turn
        The joints.
    paths
        See `Operation.paths`.
    """

    place: int
    turn: int
    paths: tuple[tuple[int, ...], ...]
    kind: ClassVar[str] = "anchor"

    @classmethod
    def of(cls, skeleton: Skeleton, helper: int, place: int, turn: int) -> Anchor:
        """The anchor of a helper.

        Raises
        ------
        BadEditError
            When it would hang on itself.
        """
        parent = int(skeleton.parents[helper])
        lines = [_line(skeleton, j) for j in (parent, place, turn)]
        if any(helper in line for line in lines):
            raise BadEditError(f"“{skeleton.names[helper]}” cannot be anchored to itself or to what hangs on it.")
        common = 0
        while all(len(line) > common for line in lines) and len({line[common] for line in lines}) == 1:
            common += 1
        return cls(place, turn, tuple(tuple(line[common:]) for line in lines))

    def reads(self) -> frozenset[Slot]:
        return frozenset(j for path in self.paths for j in path)

    def mapped(self, joints: JointMap, ids: IdMap, helper: int) -> Anchor:
        return Anchor.of(joints.after, _there(joints, helper), _there(joints, self.place), _there(joints, self.turn))

    def to_document(self, skeleton: Skeleton) -> dict[str, Any]:
        return {"kind": self.kind, "place": skeleton.names[self.place], "turn": skeleton.names[self.turn]}

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, helper: int) -> Anchor:
        try:
            place, turn = skeleton.find(str(document["place"])), skeleton.find(str(document["turn"]))
        except (KeyError, TypeError):
            raise BadEditError("An anchor needs a joint for its place and one for its turn.") from None
        return cls.of(skeleton, helper, place, turn)

    def operation(self, places: Places, helper: int) -> Operation:
        return Operation(kernels.ANCHOR, paths=self.paths)


RULES: dict[str, type[HelperRule]] = {r.kind: r for r in (Share, Slide, Push, Grow, Limit, Anchor)}
# What is worked out before what; shares, slides and pushes in the order in which they stand.
ORDER = {"anchor": 0, "share": 1, "slide": 1, "push": 1, "grow": 2, "limit": 3}


def rule_from_document(document: Mapping[str, Any], skeleton: Skeleton, helper: int) -> HelperRule:
    """Read a rule of any kind.

    Raises
    ------
    BadEditError
        For a kind that this version does not know, or broken numbers.
    """
    kind = RULES.get(str(document.get("kind"))) if isinstance(document, Mapping) else None
    if kind is None:
        raise BadEditError("A helper needs a joint and rules that this version knows.")
    return kind.from_document(document, skeleton, helper)


def between_frames(skeleton: Skeleton, one: int, other: int) -> Array:
    """The quaternion ``(4,)`` that says axes of turns of one joint's rest frame in another's, at rest in the world."""
    a, b = (rotations.axis_map(skeleton.pose_frame(j)) for j in (one, other))
    return rotations.from_matrix(b.T @ a)


def _middle(skeleton: Skeleton, joint: int, axis: Vector) -> float:
    return 0.5 * sum(skeleton.range_about(joint, axis))


def _way(skeleton: Skeleton, helper: int, along: Vector) -> Array:
    """A metre along a unit vector of the helper's rest frame, as its parent says it."""
    way = skeleton.pose_frame(helper) @ np.array(along)
    parent = int(skeleton.parents[helper])
    above = skeleton.rest_global[parent, :3, :3] if parent >= 0 else np.eye(3)
    return np.asarray(np.linalg.solve(above, way / np.linalg.norm(way)))


def _there(joints: JointMap, joint: int) -> int:
    there = joints.joint(joint)
    assert there is not None, "rules of joints that are gone are refused before"
    return there


def _unit(way: Vector) -> Vector:
    return vector(np.array(way) / np.linalg.norm(way))


def _line(skeleton: Skeleton, joint: int) -> list[int]:
    """A joint's ancestors from the root down to it."""
    line = []
    while joint >= 0:
        line.append(joint)
        joint = int(skeleton.parents[joint])
    return line[::-1]


def _knots(response: Response, unit: str) -> list[dict[str, float]]:
    return [{"angle_deg": math.degrees(a), unit: v} for a, v in zip(response.inputs, response.values, strict=True)]


def _response(knots: Sequence[Mapping[str, Any]], unit: str) -> Response:
    return Response.of_knots([(math.radians(float(k["angle_deg"])), float(k[unit])) for k in knots])
