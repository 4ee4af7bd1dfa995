"""Schemas of other ways to a corrective, of housekeeping, and of what is wrong with rules."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field, FiniteFloat

from plethos.service.schemas.common import PoseBody, Schema


class KeepDifference(Schema):
    """A movement to keep: what the pose does, under a name."""

    name: str = Field(min_length=1, max_length=120)
    pose: PoseBody


class TakeShapes(Schema):
    """Shapes of the file that become correctives."""

    names: list[str] = Field(min_length=1, max_length=2000)


class Thin(Schema):
    """The garment that hides the skin, and how far that is drawn in, metres."""

    garment: str
    depth_m: FiniteFloat = 0.005


class Reshape(Schema):
    """A change of a corrective's shapes."""

    how: Literal["scale", "settle", "trim", "split", "convert", "carry", "copy"]
    factor: FiniteFloat = Field(default=1.0, description="To scale by.")
    least_m: FiniteFloat = Field(default=1e-5, description="Shorter offsets are trimmed.")
    soft_m: FiniteFloat = Field(default=0.04, description="How wide the two halves fade into each other.")
    part: str = Field(default="", description="The garment that it is carried to.")


class MergeWith(Schema):
    """The corrective that goes into another, and is gone then."""

    other_id: str


class MoveTo(Schema):
    """A place in the list of remedies, 0 = first."""

    place: int = Field(ge=0, le=100_000)


class FindingsOf(Schema):
    """A pose that may apply movements twice; null for what is wrong whatever the pose."""

    pose: PoseBody | None = None


class MendFinding(Schema):
    """Which finding of a remedy is mended."""

    kind: str


class FindingInfo(BaseModel):
    """Something that is wrong with a remedy."""

    remedy_id: str
    kind: str
    text: str
    click: str = Field(description="What the button says that mends it; empty without one.")
