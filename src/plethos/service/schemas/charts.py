"""What panels and tables draw of a pose: what each remedy gives back, how far it moves the skin, the roll of a limb."""

from __future__ import annotations

from pydantic import BaseModel, Field

from plethos.service.schemas.common import PoseBody, Schema


class JointInPose(Schema):
    """A joint in a pose."""

    pose: PoseBody
    joint: str


class WaterfallBar(BaseModel):
    """What a remedy gives back of a joint's volume, percent of rest."""

    id: str
    name: str
    volume: float


class RollAlong(BaseModel):
    """How far the skin turns about the bone, from the bone's start (0) to its end (1)."""

    roll_deg: float
    places: list[float]
    present_deg: list[float | None] = Field(description="null where there is no skin of the limb.")
    ideal_deg: list[float]
    twists: int = Field(description="How many twist joints there are along the limb.")
    flips: str | None = Field(description="A sentence where the roll is near to flipping over.")


class PoseAsked(Schema):
    """A pose."""

    pose: PoseBody


class Contribution(BaseModel):
    """How far a remedy moves the skin in a pose, metres at most: what would be missing without it."""

    id: str
    greatest_m: float
