"""Messages of the live socket: what a page sends and is told. They stand in the OpenAPI document too."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, TypeAdapter

from plethos.core.sculpt.session import Dab
from plethos.service.desk.frame import Moving, Wanted
from plethos.service.edits.weight_brush import PaintSettings
from plethos.service.edits.within import Within
from plethos.service.tools.mask_strokes import MaskSettings
from plethos.service.tools.outline_strokes import OutlineSettings
from plethos.service.tools.pick_strokes import PickSettings
from plethos.service.tools.sculpt_strokes import SculptSettings
from plethos.web.schemas.character import CharacterState, Measures
from plethos.web.schemas.common import Axis, PoseBody, Quaternion, Schema
from plethos.web.schemas.mending import BodyChange
from plethos.web.schemas.rules import TriggerRule

MOST_DABS = 256


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


class BodyPreview(Schema):
    """Numbers or rules of a remedy that are being changed, not stored yet."""

    remedy_id: str
    body: BodyChange


class Want(Schema):
    """What a frame should hold."""

    without: bool = False
    heat: bool = False
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

    def wanted(self) -> Wanted:
        """The same for the service."""
        moving = None if self.moving is None else Moving(self.moving.joint, self.moving.at, self.moving.mirror)
        preview = None if self.preview is None else (self.preview.remedy_id, self.preview.trigger.model_dump())
        body = None
        if self.body is not None:
            body = (self.body.remedy_id, self.body.body.model_dump(exclude_none=True))
        reach = None if self.reach is None else (self.reach.joint, self.reach.at)
        return Wanted(
            self.without, self.heat, self.alone, self.measure, preview, self.weights, self.mixed, self.region, moving,
            self.trial, self.mask, self.lone, body, self.border, reach,
            self.ghost, self.moved, self.axis,
        )  # fmt: skip


class WithinBody(Schema):
    """A region that a brush is kept to, or kept out of; empty for what is picked."""

    region: str = ""
    outside: bool = False

    def within(self) -> Within:
        return Within(self.region, self.outside)


class SculptToolBody(Schema):
    tool: Literal["sculpt"]
    brush: str
    within: WithinBody | None = None
    border_stays: bool = Field(default=True, description="Vertices on borders, and where another part's touch, stay.")
    mirror: bool = Field(default=False, description="The other side moves alike; refused where the pose is not.")
    through: bool = Field(default=False, description="Other pieces that the same joints move come along.")

    def settings(self) -> SculptSettings:
        within = self.within.within() if self.within else None
        return SculptSettings(self.brush, within, self.border_stays, self.mirror, self.through)


class OutlineToolBody(Schema):
    """A brush over the outlines of a drawing; the triangle of its touches is a vertex of an outline."""

    tool: Literal["outline"]
    brush: Literal["move", "roundness", "width", "smooth", "put_back"]
    picked: list[int] = Field(default_factory=list, max_length=20_000, description="Control points that move together.")
    others: bool = Field(default=False, description="Points of other outlines within the brush come along.")

    def settings(self) -> OutlineSettings:
        return OutlineSettings(self.brush, tuple(self.picked), self.others)


class PaintToolBody(Schema):
    tool: Literal["paint"]
    mode: Literal["add", "subtract", "replace", "smooth", "even"]
    joint: str
    value: FiniteFloat = 1.0
    strength: FiniteFloat = 1.0
    locked: list[str] = Field(default_factory=list)
    mirror: bool = False
    within: WithinBody | None = None

    def settings(self) -> PaintSettings:
        within = self.within.within() if self.within else None
        return PaintSettings(
            self.mode, self.joint, self.value, self.strength, tuple(self.locked), self.mirror, within
        )  # fmt: skip


class PickToolBody(Schema):
    tool: Literal["pick"]
    take: bool = False
    mirror: bool = False

    def settings(self) -> PickSettings:
        return PickSettings(self.take, self.mirror)


class MaskToolBody(Schema):
    tool: Literal["mask"]
    remedy_id: str
    mode: Literal["add", "take", "smooth"] = "add"

    def settings(self) -> MaskSettings:
        return MaskSettings(self.remedy_id, self.mode)


class DabBody(Schema):
    """One touch of a brush: a triangle and a place on it in the world, metres."""

    triangle: int
    at: Axis
    radius: FiniteFloat
    strength: FiniteFloat
    drag: Axis = (0.0, 0.0, 0.0)
    falloff: FiniteFloat = 1.0

    def dab(self) -> Dab:
        return Dab(self.triangle, self.at, self.radius, self.strength, self.drag, self.falloff)


class PoseMessage(Schema):
    """Show a pose; only the newest that has arrived is answered, by a frame."""

    type: Literal["pose"]
    seq: int = 0
    pose: PoseBody = Field(default_factory=PoseBody)
    want: Want = Field(default_factory=Want)


class StrokeMessage(Schema):
    """Touch the skin with a tool; answered by a frame."""

    type: Literal["stroke"]
    seq: int = 0
    pose: PoseBody = Field(default_factory=PoseBody)
    want: Want = Field(default_factory=Want)
    settings: Annotated[
        SculptToolBody | OutlineToolBody | PaintToolBody | PickToolBody | MaskToolBody, Field(discriminator="tool")
    ]
    dabs: list[DabBody] = Field(max_length=MOST_DABS)


class StrokeEndMessage(Schema):
    """Store the stroke; answered by a version."""

    type: Literal["stroke_end"]
    seq: int = 0


class ContactsMessage(Schema):
    """Count crossing triangles; answered by contacts."""

    type: Literal["contacts"]
    seq: int = 0
    pose: PoseBody = Field(default_factory=PoseBody)
    want: Want = Field(default_factory=Want)


Said = Annotated[PoseMessage | StrokeMessage | StrokeEndMessage | ContactsMessage, Field(discriminator="type")]
SAID: TypeAdapter[Said] = TypeAdapter(Said)


class BothMeasures(BaseModel):
    """The measures of a joint's region, and a sentence for each that cannot be taken."""

    model_config = ConfigDict(populate_by_name=True)
    without: Measures
    with_: Measures = Field(alias="with")
    why: list[str]


class FrameHead(BaseModel):
    """The JSON at the head of a frame; float32 arrays follow in the order and size of `fields`.

    Frames without a seq were not asked for: they show what another page is doing, in the pose that was last asked for.
    """

    model_config = ConfigDict(populate_by_name=True)
    seq: int | None
    version: int
    revision: str
    activations: dict[str, float]
    values: dict[str, float] = Field(description="Dials, products and stored poses, by the ids of their values.")
    kept: dict[str, float] = Field(description="What each volume keeper holds, percent of rest.")
    measures: BothMeasures | None = None
    angle_deg: float | None = Field(default=None, description="How far that joint is turned about the axis asked for.")
    response: dict[str, Any] | None = None
    region_volume: float | None = None
    moved_most: float | None = Field(default=None, description="How far the sculpt has moved a vertex at most, metres.")
    trial: str | None = Field(default=None, description="The kind whose trial is shown.")
    reached: dict[str, Quaternion] | None = Field(
        default=None, description="How the joints above a dragged end are turned."
    )
    order: list[int] | None = Field(
        default=None,
        description="The parts of a drawing by number in the order of painting, when a remedy switches it.",
    )
    fields_: dict[str, int] = Field(alias="fields")


class VersionMessage(BaseModel):
    """The character as it is now: a stroke was stored (then with its seq), or someone has edited it."""

    type: Literal["version"] = "version"
    seq: int | None
    state: CharacterState


class LeaseMessage(BaseModel):
    """Whether the character is being edited on another page; told when that changes."""

    type: Literal["lease"] = "lease"
    elsewhere: bool


class GoneMessage(BaseModel):
    """The character was deleted; the socket closes. It can be opened anew once it is brought back."""

    type: Literal["gone"] = "gone"
    detail: str


class ContactsAnswer(BaseModel):
    """How many triangles cross others and did not at rest."""

    model_config = ConfigDict(populate_by_name=True)
    type: Literal["contacts"] = "contacts"
    seq: int
    without: int
    with_: int = Field(alias="with")


class JobMessage(BaseModel):
    """How far long work on this character has got."""

    type: Literal["job"] = "job"
    id: str
    kind: str
    state: Literal["waiting", "running", "done", "cancelled", "failed"]
    share: float
    detail: str | None


class ProblemMessage(BaseModel):
    """Something that did not work; nothing was changed by it."""

    type: Literal["problem"] = "problem"
    seq: int | None
    detail: str


Told = Annotated[
    VersionMessage | LeaseMessage | GoneMessage | ContactsAnswer | JobMessage | ProblemMessage,
    Field(discriminator="type"),
]
