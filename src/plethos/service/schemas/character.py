"""Schemas of the library, of a character, its remedies, its bend strip and its sculpts."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import BaseModel, Field, FiniteFloat

from plethos.core.weights.assign import DELIVERED
from plethos.service.schemas.bind import RegionInfo
from plethos.service.schemas.common import PoseBody, Schema
from plethos.service.schemas.motion import ClipInfo, KeptPoseInfo, MotionInfo
from plethos.service.schemas.remedies import RemedyCard
from plethos.service.schemas.rules import DialRule, GroupRule, HingeTriggerRule, TriggerRule, ValueInfo


class PresetRequest(Schema):
    """A response from a preset."""

    preset: Literal["linear", "ease", "early", "late"]
    start_deg: FiniteFloat
    end_deg: FiniteFloat


class MendInfo(BaseModel):
    """A first mend as it was solved."""

    joint: str
    strokes: int = Field(description="How many strokes there were with it.")
    give_back: float
    most_stretch: float
    given_back: float = Field(description="Less than asked for where the stretch was capped.")
    volume_before: float
    volume: float
    stretch: float
    contacts_before: int = Field(description="Of the whole character.")
    contacts: int
    unevenness: float = Field(
        default=0.0, description="How far a vertex is moved otherwise than its neighbours, at most, in edges."
    )


class HeldBack(BaseModel):
    """What acts after the skin and keeps part of a sculpt from coming back."""

    id: str
    name: str
    kind: str
    gives_way: str = Field(description="How it lets the sculpt be.")
    vertices: int = Field(description="How many it holds back.")
    most_m: float = Field(description="How far the furthest of them stays off.")


class PushApart(Schema):
    """Whose skin is pushed apart."""

    joint: str
    border_stays: bool = True


class SculptState(BaseModel):
    """A sculpt in progress."""

    remedy_id: str | None
    pose: PoseBody
    strokes: int
    between: bool = Field(default=False, description="It gives the remedy an in-between.")
    mend: MendInfo | None = Field(default=None, description="The last first mend that was solved in it.")
    border_moved: int = Field(description="How many vertices on borders have moved.")
    hint: str | None = Field(default=None, description="Says when the strokes lie far from every joint that is turned.")


class CharacterState(BaseModel):
    """What changes about a character with every edit."""

    id: str
    name: str
    version: int
    undo: str | None
    redo: bool
    saved_at: datetime
    revision: str = Field(description="The identity of this version.")
    remedies: list[RemedyCard]
    dials: list[DialRule]
    groups: list[GroupRule]
    values: list[ValueInfo]
    clips: list[ClipInfo]
    motions: list[MotionInfo]
    poses: list[KeptPoseInfo]
    skeleton: str = Field(description="Changes with every edit of the joints: then the figure is asked for again.")
    change: dict[str, str | None] = Field(
        description="What became of the joints in the last edit: new names by old ones, null for those that are gone."
    )
    bound: bool = Field(description="Whether any of the skin follows a joint.")
    sculpt: SculptState | None
    up: Literal["y", "z"] = Field(description="Which axis is up where it is looked at.")
    regions: list[RegionInfo]


class LibraryEntry(BaseModel):
    """A character's card in the library."""

    id: str
    name: str
    demo: bool
    version: int
    saved_at: datetime
    remedies: int
    picture: str | None = Field(description="Names the picture that is kept; null = none is drawn yet.")
    tied: int


class DeliveryAsked(Schema):
    """A file to be handed out."""

    bake: str | None = Field(default=None, description="A clip that gets what the rules do as keys.")
    influences: int = Field(default=DELIVERED, ge=1, le=8, description="How many joints a vertex may follow.")


class LimitShift(BaseModel):
    """How far a limit of influences moves the skin over the ranges of motion, and where most."""

    vertices: int = Field(description="How many follow more joints than the limit.")
    millimetres: float = Field(description="The greatest shift.")
    joint: str | None = Field(default=None, description="The joint whose turn shows it.")
    angle_deg: float | None = None
    part: str | None = Field(default=None, description="The part that is shifted.")


class LossOfClip(BaseModel):
    """How far the skin of a baked clip is off from what it is here, where it is most."""

    remedies: list[str] = Field(description="The names of those that no key carries.")
    millimetres: float
    time_s: float
    part: str


class FirstMendBody(Schema):
    """A corrective to be solved; the pose is held when no sculpt is in progress yet."""

    pose: PoseBody | None = None
    joint: str | None = None
    give_back: float = Field(default=1.0, ge=0, le=1)
    most_stretch: float = Field(default=1.4, ge=1, le=4)


class FittedResponse(BaseModel):
    """A hinge trigger with its response fitted to the volume."""

    trigger: HingeTriggerRule
    worst_before: float = Field(description="Percent of volume that the curve before was off at most.")
    worst: float
    between_deg: float | None = Field(description="Where one shape is not enough: the angle of an in-between.")
    further_deg: float | None = Field(description="Where it is not enough beyond: the angle of one more target.")


class SculptBegin(Schema):
    pose: PoseBody
    remedy_id: str | None = None
    between: bool = Field(default=False, description="Give that remedy an in-between at the activation it has here.")


class SculptKeep(Schema):
    name: str = Field(min_length=1, max_length=120)
    trigger: TriggerRule | None = None
    value: str | None = Field(default=None, description="Which of the trigger's values; null = its first.")


class PushedApart(BaseModel):
    """How far pushing apart has got."""

    left: int | None = Field(description="Pairs of triangles that cross and did not at rest; null at first.")
    share: float = Field(description="Of the rounds that are made at most.")
    state: CharacterState | None = Field(default=None, description="Once it is stored.")


class MendingNow(BaseModel):
    """How far a first mend has got."""

    share: float
    state: CharacterState | None = Field(default=None, description="Once it is stored.")


class Rename(Schema):
    name: str = Field(min_length=1, max_length=120)


class Brought(BaseModel):
    """A character that came in."""

    id: str
    name: str
    repairs: list[str]
