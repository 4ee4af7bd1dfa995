"""What all schemas of the API share."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

Axis = tuple[FiniteFloat, FiniteFloat, FiniteFloat]
Quaternion = tuple[FiniteFloat, FiniteFloat, FiniteFloat, FiniteFloat]


class Schema(BaseModel):
    model_config = ConfigDict(extra="forbid")


class PoseBody(Schema):
    """Joints turned away from rest, as quaternions x, y, z, w on top of rest."""

    joints: dict[str, Quaternion] = Field(default_factory=dict)


class Problem(BaseModel):
    """An error as problem details (RFC 9457)."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
