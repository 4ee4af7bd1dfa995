"""What a frame should hold besides the skin."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from plethos.core.measure.skin_fields import SkinField
from plethos.service.schemas.common import Axis, Schema
from plethos.service.schemas.mending import BodyChange
from plethos.service.schemas.rules import TriggerRule


class MovingJoint(Schema):
    """A joint that is being dragged: where it is to be in the pose; nothing is stored."""

    joint: str
    at: Axis
    mirror: bool = True


class Reach(Schema):
    """The end of a limb that is dragged, and where to in the world; nothing is stored."""

    joint: str
    at: Axis


class TriggerPreview(Schema):
    """A trigger that is being changed, not stored yet."""

    remedy_id: str
    trigger: TriggerRule

    def plain(self) -> dict[str, Any]:
        """The trigger as plain data."""
        return self.trigger.model_dump()


class BodyPreview(Schema):
    """Numbers or rules of a remedy that are being changed, not stored yet."""

    remedy_id: str
    body: BodyChange

    def plain(self) -> dict[str, Any]:
        """What changes, as plain data."""
        return self.body.model_dump(exclude_none=True)


class Want(Schema):
    """What a frame should hold."""

    without: bool = False
    heat: bool = False
    skin: SkinField | None = Field(default=None, description="What is measured of the skin, at each vertex.")
    alone: str | None = Field(default=None, description="The one remedy that acts, or the group whose remedies do.")
    measure: str | None = Field(default=None, description="A joint whose region is measured.")
    axis: Axis | None = Field(default=None, description="The axis about which that joint's angle is told.")
    weights: str | None = Field(default=None, description="A joint whose weights are shown.")
    mixed: bool = Field(default=False, description="The weights of all joints as mixed colours.")
    region: bool = Field(default=False, description="What is picked, and its volume.")
    moving: MovingJoint | None = None
    preview: TriggerPreview | None = None
    trial: str | None = Field(default=None, description="A kind that was tried last: shown at work, not stored.")
    mask: str | None = Field(default=None, description="A remedy whose mask is shown in place of what is picked.")
    body: BodyPreview | None = None
    lone: str | None = Field(default=None, description="A remedy whose vertices without a partner are shown so.")
    reach: Reach | None = None
    ghost: Literal["rest", "start", "before", "after"] | None = Field(
        default=None, description="A skin that is seen through: at rest, before this sculpt, the targets beside it."
    )
    moved: bool = Field(default=False, description="How far the sculpt has moved each vertex, as a share.")
    border: bool = Field(default=False, description="The border vertices that the sculpt has moved are shown so.")
