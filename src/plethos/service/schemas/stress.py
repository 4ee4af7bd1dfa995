"""Schemas of Stress: what a sweep found, and what people say of it."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from plethos.core.joints.motions import Turn
from plethos.core.measure.badness import Measure
from plethos.service.schemas.common import Schema


class SweepAsked(Schema):
    """Have a character swept."""

    first: str | None = Field(default=None, description="The joint that is wanted first.")


class BothBadness(BaseModel):
    """Without and with remedies, 0 to 100."""

    bare: float
    with_remedies: float


class SpotInfo(BaseModel):
    """Where a character is out of bounds: see docs/formats/sweep.md."""

    id: str
    kind: Literal["joint", "pair", "kept_pose", "clip"]
    joints: list[str]
    at_joint: str
    axis: tuple[float, float, float] | None
    direction: Literal[1, -1] | None
    turn: Turn | None
    range: Literal["file", "proposed", "guessed"]
    clip: str | None
    kept_pose: str | None
    time_s: float | None
    pose: dict[str, Any]
    onset_deg: float | None
    worst_deg: float | None
    measure: Measure
    unit: str
    bare: dict[Measure, float]
    with_remedies: dict[Measure, float]
    badness: BothBadness
    part: str
    vertex: int
    at: tuple[float, float, float]
    curve: list[tuple[float, float, float]]
    state: Literal["open", "mended", "accepted"]
    reason: str | None = Field(default=None, description="Why it is accepted.")
    change: Literal["better", "worse", "new", "same"] | None = Field(
        description="Against the run before; null = the first."
    )
    older: bool = Field(description="Whether what it was measured on has changed since.")


class SweepInfo(BaseModel):
    """What is known of where a character is worst."""

    swept: bool = Field(description="Whether any of it was measured.")
    poses: int
    total: BothBadness
    spots: list[SpotInfo] = Field(description="The worst first; what only a guessed range leads to last.")
    gone: list[str] = Field(description="Ids of the run before that are no spots any more.")
    older: int = Field(description="How many ways were measured on what has changed since.")
    missing: int = Field(description="How many ways of the plan were not measured yet.")


class AcceptSpot(Schema):
    """Accept a spot as it is."""

    reason: Annotated[str, Field(min_length=1, max_length=400)]
