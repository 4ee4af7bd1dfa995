"""What every rule of a helper joint has, and what they read of a skeleton."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar, Protocol

import numpy as np

from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.rules.moment import Places, Slot
from plethos.core.rules.remedies import helper_kernels as kernels
from plethos.core.rules.response import Response
from plethos.core.skeleton.mapping import IdMap, JointMap, Vector, vector
from plethos.core.skeleton.skeleton import Skeleton

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


def between_frames(skeleton: Skeleton, one: int, other: int) -> Array:
    """The quaternion ``(4,)`` that says axes of turns of one joint's rest frame in another's, at rest in the world."""
    a, b = (rotations.axis_map(skeleton.pose_frame(j)) for j in (one, other))
    return rotations.from_matrix(b.T @ a)


def middle_of(skeleton: Skeleton, joint: int, axis: Vector, response: Response | None = None) -> float:
    """The middle of the angles that a rule tells apart: of the joint's range, else of the response that reads it."""
    if response is None or skeleton.known_range(joint, axis) is not None:
        return skeleton.cut_middle(joint, axis)
    return 0.5 * sum(response.ends)


def way_of(skeleton: Skeleton, helper: int, along: Vector) -> Array:
    """A metre along a unit vector of the helper's rest frame, as its parent says it."""
    way = skeleton.pose_frame(helper) @ np.array(along)
    parent = int(skeleton.parents[helper])
    above = skeleton.rest_global[parent, :3, :3] if parent >= 0 else np.eye(3)
    return np.asarray(np.linalg.solve(above, way / np.linalg.norm(way)))


def there(joints: JointMap, joint: int) -> int:
    there = joints.joint(joint)
    assert there is not None, "rules of joints that are gone are refused before"
    return there


def as_unit(way: Vector) -> Vector:
    return vector(np.array(way) / np.linalg.norm(way))


def told_knots(response: Response, unit: str) -> list[dict[str, float]]:
    return [{"angle_deg": math.degrees(a), unit: v} for a, v in zip(response.inputs, response.values, strict=True)]


def read_knots(knots: Sequence[Mapping[str, Any]], unit: str) -> Response:
    return Response.of_knots([(math.radians(float(k["angle_deg"])), float(k[unit])) for k in knots])
