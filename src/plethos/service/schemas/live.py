"""Messages of the live socket: what a page sends and is told. They stand in the OpenAPI document too."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from plethos.service.schemas.character import CharacterState
from plethos.service.schemas.common import PoseBody, Quaternion, Schema
from plethos.service.schemas.strip import Measures
from plethos.service.schemas.tools import DabBody, ToolSettings
from plethos.service.schemas.want import Want

MOST_DABS = 256


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
    settings: ToolSettings
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
    """How far long work on this character has got; what is *offered* may be taken, or left by cancelling it."""

    type: Literal["job"] = "job"
    id: str
    kind: str
    state: Literal["waiting", "running", "parted", "done", "offered", "cancelled", "failed"]
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
