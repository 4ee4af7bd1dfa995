"""Schemas of remedies as their cards show them."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, Field, FiniteFloat

from plethos.service.schemas.common import Schema
from plethos.service.schemas.mending import BodyChange
from plethos.service.schemas.rules import TriggerRule


class SolveReportInfo(BaseModel):
    """What the solver found when the shape was made."""

    moved: int = 0
    greatest_move_m: float = 0
    round_trip_error_m: float = 0
    damped: int = 0
    hopeless: int = 0
    neighbour_factor: float = 1
    remains_m: float | None = Field(default=None, description="Of a baked one: how far it is off at most on the way.")
    remains_at_deg: float | None = Field(default=None, description="Of a baked one: where that is.")
    warnings: list[str] = Field(default_factory=list)


class TargetInfo(BaseModel):
    """One target of a corrective."""

    at: float
    name: str
    moved: int
    pose: dict[str, Any] = Field(description="The pose it was sculpted in.")


class RemedyCard(BaseModel):
    """A remedy as its card shows it."""

    id: str
    kind: Literal["corrective", "helper", "skin_blend", "relaxer", "volume_keeper", "order"]
    name: str
    on: bool
    amount: float
    by: str | None = Field(description="The value that it is tied to.")
    trigger: TriggerRule | None = Field(description="Where that value comes from; null for a dial.")
    curve: list[tuple[float, float]]
    joints: list[str] = Field(description="The joints that it depends on, through however many values.")
    group: str | None
    twin: str | None
    notes: list[str]
    stage: Literal["joints", "skin", "shapes", "after", "drawing"] = Field(description="Where in a pose it acts.")
    needs_tie: bool = Field(description="Whether it does nothing while it is tied to no value.")
    pose: dict[str, Any] = Field(description="Of what is sculpted: the pose it was sculpted in.")
    report: SolveReportInfo
    targets: list[TargetInfo] = Field(description="Of what is sculpted: its shapes, and where they are on.")
    eased: bool = Field(description="Whether the way between targets starts and ends slowly.")
    driven: str | None = Field(default=None, description="Of a helper: the joint that it turns.")
    numbers: BodyChange = Field(description="What can be set of its body.")
    masked: int | None = Field(default=None, description="How many vertices its mask holds; null without a mask.")


class RemedyChange(Schema):
    """Any of these may be given; each is its own undo step."""

    name: str | None = Field(default=None, min_length=1, max_length=120)
    on: bool | None = None
    amount: FiniteFloat | None = None


class TriggerChange(Schema):
    """null unties."""

    trigger: TriggerRule | None
    value: str | None = Field(default=None, description="Which of the trigger's values; null = the present, or first.")
