"""Schemas of the bend strip, over a travel and over a clip."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from plethos.core.measure.badness import Measure
from plethos.service.schemas.common import Axis, PoseBody, Schema


class BendRequest(Schema):
    """A joint's travel to measure."""

    joint: str
    axis: Axis
    angles_deg: list[FiniteFloat] = Field(min_length=1, max_length=361)
    pose: PoseBody = Field(default_factory=PoseBody)
    revision: str | None = Field(default=None, description="The version that it was asked of; a later one answers too.")
    trial: str | None = Field(default=None, description="A kind that was tried last: as if it were there.")


class Measures(BaseModel):
    """Percent of rest; volume is null where the skin is an open sheet, girth where no closed slice goes round.

    On a drawing volume is the area and girth the least width across the bone; open_fill is in square units.
    """

    volume: float | None
    girth: float | None
    open_fill: float | None = None


class BadnessInfo(BaseModel):
    """How bad a joint's region is: 0 = within all bounds, 100 = ruined; and what it is worst in, percent."""

    percent: float
    measure: Measure | Literal[""]
    value: float


class StepMeasured(BaseModel):
    """`with` and `without` remedies at one step of a way."""

    model_config = ConfigDict(populate_by_name=True)
    without: Measures
    with_: Measures = Field(alias="with")
    activations: dict[str, float]
    badness: BadnessInfo = Field(description="With remedies.")
    worst: bool = Field(description="Whether it is the worst of them all, and worth a mark.")


class BendPoint(StepMeasured):
    """One angle."""

    angle_deg: float


class ClipRequest(Schema):
    """A clip to measure at a joint."""

    clip: str
    joint: str
    samples: int = Field(default=61, ge=2, le=601, description="How many moments, from its start to its end.")


class ClipPoint(StepMeasured):
    """One moment of a clip."""

    time: float
