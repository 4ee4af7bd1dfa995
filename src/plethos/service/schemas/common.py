"""What all schemas of the API share."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

Axis = tuple[FiniteFloat, FiniteFloat, FiniteFloat]
Quaternion = tuple[FiniteFloat, FiniteFloat, FiniteFloat, FiniteFloat]


class Schema(BaseModel):
    model_config = ConfigDict(extra="forbid")


class JointPose(Schema):
    """One joint of a pose file."""

    quaternion_xyzw: Quaternion | None = None
    translation: Axis | None = None
    scale: Axis | None = None


class ClipTime(Schema):
    name: str
    time: FiniteFloat


class PoseBody(Schema):
    """What is turned or set, on top of a frame of a clip: joints as quaternions x, y, z, w, or as in a pose file."""

    joints: dict[str, Quaternion | JointPose] = Field(default_factory=dict)
    dials: dict[str, FiniteFloat] = Field(default_factory=dict)
    shapes: dict[str, FiniteFloat] = Field(default_factory=dict)
    clip: ClipTime | None = None

    def plain(self) -> dict[str, Any]:
        """As plain data, without what is not said."""
        # Written out: every frame of a drag asks for it, and a dump of the whole takes five times as long.
        joints = {n: q if isinstance(q, tuple) else q.model_dump(exclude_none=True) for n, q in self.joints.items()}
        clip = {} if self.clip is None else {"clip": self.clip.model_dump()}
        return {"joints": joints, "dials": self.dials, "shapes": self.shapes, **clip}


class Problem(BaseModel):
    """An error as problem details (RFC 9457)."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
