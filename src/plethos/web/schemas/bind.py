"""Schemas of weights and picked regions."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field, FiniteFloat

from plethos.web.schemas.common import PoseBody, Schema


class WeightFinding(BaseModel):
    """Something wrong with the weights, and where to look."""

    kind: Literal["unnormalised", "stray", "over_limit", "unmirrored", "hard_step"]
    joint: str | None
    vertices: int
    worst: float
    at: tuple[float, float, float]


class MendWeights(Schema):
    kind: Literal["stray", "over_limit", "unmirrored", "hard_step"]
    joint: str | None = None


class TargetBody(Schema):
    """Which vertices an edit of weights is for: a part, the connected piece of a triangle, or a region."""

    part: str | None = None
    piece: int | None = Field(default=None, ge=0)
    region: str | None = Field(default=None, description="By name; empty for what is picked.")


class GiveTo(Schema):
    target: TargetBody
    joint: str


class CopyWeights(Schema):
    """From the closest surface of a part, or from one vertex."""

    target: TargetBody
    from_part: str | None = None
    from_vertex: int | None = Field(default=None, ge=0)


class FillWeights(Schema):
    """What the brush does, to a whole region at once."""

    target: TargetBody
    joint: str
    mode: Literal["add", "subtract", "replace", "smooth", "even"]
    value: float = Field(default=1.0, ge=0, le=1)
    strength: float = Field(default=1.0, ge=0, le=1)
    locked: list[str] = Field(default_factory=list)
    mirror: bool = True


class EvenOut(Schema):
    joint: str
    mirror: bool = True


class PickBody(Schema):
    """What to pick, and whether instead of what is picked, too, or no more."""

    by: Literal["piece", "part", "joint", "loop", "region", "all"]
    how: Literal["only", "add", "take"] = "add"
    name: str = ""
    triangle: int = -1
    at: tuple[FiniteFloat, FiniteFloat, FiniteFloat] = (0.0, 0.0, 0.0)
    least: float = Field(default=0.05, ge=0, le=1)
    pose: PoseBody = Field(default_factory=PoseBody)
    mirror: bool = True


class ReshapeRegion(Schema):
    how: Literal["grow", "shrink", "soften", "invert", "none"]
    width_m: float = Field(default=0.05, gt=0, le=1000)


class KeepRegion(Schema):
    name: str = Field(min_length=1, max_length=120)


class RegionInfo(BaseModel):
    """A kept region; the one without a name is what is picked."""

    name: str
    vertices: int


class AutomaticWeights(Schema):
    """null joints: all of them; null region: everywhere, empty: what is picked."""

    joints: list[str] | None = None
    region: str | None = None


class VertexWeight(BaseModel):
    joint: str
    weight: float


class SetWeight(BaseModel):
    joint: str
    weight: float
    locked: list[str] = []
    mirror: bool = True
