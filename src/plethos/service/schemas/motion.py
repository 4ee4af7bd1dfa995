"""Schemas of motion and of kept poses."""

from __future__ import annotations

from pydantic import BaseModel, Field

from plethos.service.schemas.common import PoseBody, Schema


class ClipInfo(BaseModel):
    """A clip that can be played."""

    name: str
    seconds: float


class MotionJoint(BaseModel):
    """A joint of a motion, and which joint of the character takes it on."""

    name: str
    joint: str | None


class MotionInfo(BaseModel):
    """A motion that was brought in: a clip too."""

    name: str
    frames: int
    joints: list[MotionJoint]
    left_out: list[str] = Field(description="Its joints below the root that slide as well, and that nothing takes on.")


class MapMotion(Schema):
    """Which joint takes on which of a motion's joints; null lets one go."""

    mapping: dict[str, str | None] = Field(max_length=500)


class KeptPoseInfo(BaseModel):
    """A pose that is kept under a name."""

    name: str
    pose: PoseBody


class KeepPose(Schema):
    """A pose to keep."""

    name: str = Field(min_length=1, max_length=120)
    pose: PoseBody
