"""Bodies of the routes of drawings."""

from __future__ import annotations

from pydantic import Field

from plethos.service.schemas.common import PoseBody, Schema


class SplitRequest(Schema):
    """The joint that fills are split across."""

    joint: str
    part: str | None = Field(default=None, description="Only in this part; null = wherever the joint bends a fill.")


class StartOrder(Schema):
    """A part of a drawing in front of another, or behind it, from the middle of the held bend on."""

    part: str
    other: str
    behind: bool = False
    pose: PoseBody = Field(default_factory=PoseBody)
    joint: str


class PosedDrawing(Schema):
    """The pose that a drawing is written in."""

    pose: PoseBody = Field(default_factory=PoseBody)
