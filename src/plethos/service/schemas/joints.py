"""Schemas of joints at rest."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field, FiniteFloat

from plethos.service.schemas.common import Axis, PoseBody, Schema


class PlaceJoint(Schema):
    """A place in the world, metres: at rest, or in a pose, where the joint is to be then."""

    at: tuple[FiniteFloat, FiniteFloat, FiniteFloat]
    pose: PoseBody = Field(default_factory=PoseBody)
    mirror: bool = True


class MakeJoint(Schema):
    """A new joint at a place in the world, metres: at rest, or in a pose, where it is to be then."""

    at: tuple[FiniteFloat, FiniteFloat, FiniteFloat]
    pose: PoseBody = Field(default_factory=PoseBody)
    mirror: bool = True
    name: str = Field(min_length=1, max_length=120)
    parent: str | None


class TurnJoint(Schema):
    """Degrees about the joint's own X, then Y, then Z."""

    by_deg: tuple[FiniteFloat, FiniteFloat, FiniteFloat]
    mirror: bool = True


class Mirror(Schema):
    """Whether the joint on the other side is to follow."""

    mirror: bool = True


class RenameJoint(Mirror):
    name: str = Field(min_length=1, max_length=120)


class HangJoint(Mirror):
    parent: str | None


class SetHinge(Mirror):
    axis: Axis
    low_deg: FiniteFloat
    high_deg: FiniteFloat


class Stand(Schema):
    up: Literal["y", "z"]


class SetRange(Mirror):
    preset: str


class InsertTwists(Mirror):
    count: int = Field(ge=1, le=8)


class MirrorSide(Schema):
    from_left: bool = True


class RangeInfo(BaseModel):
    """A range of motion that a joint can be given."""

    name: str
    title: str
    low_deg: float
    high_deg: float


class LaySkeleton(Schema):
    """Where the markers of the template stand, metres."""

    markers: dict[str, tuple[FiniteFloat, FiniteFloat, FiniteFloat]]
    twists: int = Field(default=2, ge=0, le=4)
