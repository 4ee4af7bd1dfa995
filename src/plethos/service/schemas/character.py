"""Schemas of the library, of a character, its remedies, its bend strip and its sculpts."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from plethos.service.schemas.bind import RegionInfo
from plethos.service.schemas.common import Axis, PoseBody, Schema
from plethos.service.schemas.mending import BodyChange
from plethos.service.schemas.motion import ClipInfo, KeptPoseInfo, MotionInfo
from plethos.service.schemas.rules import DialRule, GroupRule, HingeTriggerRule, TriggerRule, ValueInfo


class PresetRequest(Schema):
    """A response from a preset."""

    preset: Literal["linear", "ease", "early", "late"]
    start_deg: FiniteFloat
    end_deg: FiniteFloat


class SolveReport(BaseModel):
    """What the solver found when the shape was made."""

    moved: int = 0
    greatest_move_m: float = 0
    round_trip_error_m: float = 0
    damped: int = 0
    hopeless: int = 0
    neighbour_factor: float = 1
    remains_m: float | None = Field(default=None, description="Of a baked one: how far it is off at most on the way.")
    remains_at_deg: float | None = Field(default=None, description="Of a baked one: where that is.")
    warnings: list[str] = Field(default_factory=list)


class TargetInfo(BaseModel):
    """One target of a corrective."""

    at: float
    name: str
    moved: int
    pose: dict[str, Any] = Field(description="The pose it was sculpted in.")


class RemedyCard(BaseModel):
    """A remedy as its card shows it."""

    id: str
    kind: Literal["corrective", "helper", "skin_blend", "relaxer", "volume_keeper", "order"]
    name: str
    on: bool
    amount: float
    by: str | None = Field(description="The value that it is tied to.")
    trigger: TriggerRule | None = Field(description="Where that value comes from; null for a dial.")
    curve: list[tuple[float, float]]
    joints: list[str] = Field(description="The joints that it depends on, through however many values.")
    group: str | None
    twin: str | None
    notes: list[str]
    stage: Literal["joints", "skin", "shapes", "after", "drawing"] = Field(description="Where in a pose it acts.")
    needs_tie: bool = Field(description="Whether it does nothing while it is tied to no value.")
    pose: dict[str, Any] = Field(description="Of what is sculpted: the pose it was sculpted in.")
    report: SolveReport
    targets: list[TargetInfo] = Field(description="Of what is sculpted: its shapes, and where they are on.")
    eased: bool = Field(description="Whether the way between targets starts and ends slowly.")
    driven: str | None = Field(default=None, description="Of a helper: the joint that it turns.")
    numbers: BodyChange = Field(description="What can be set of its body.")
    masked: int | None = Field(default=None, description="How many vertices its mask holds; null without a mask.")


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
    contacts_before: int
    contacts: int


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


class JointInfo(BaseModel):
    """A joint for the body map, the list and the arcs."""

    index: int
    name: str
    parent: int
    at: tuple[float, float, float]
    hinge_axis: Axis
    low_deg: float
    high_deg: float
    hinge_known: bool = Field(description="False = the axis and the range are a guess.")
    likely_range: str | None = Field(description="The range of motion that its name suggests.")
    bends: bool
    on_bone: bool = Field(description="It is a twist joint: it lies on the bone of its parent.")


class PartInfo(BaseModel):
    name: str
    vertices: int
    triangles: int
    drawn: tuple[int, int] = Field(description="The range of its triangles in the mesh that is drawn.")


class CurveInfo(BaseModel):
    """A run of control points: three vertices each, the point, the handle before it and the one after it."""

    first: int = Field(description="Its first vertex.")
    count: int
    closed: bool


class StrokeInfo(BaseModel):
    """How a line is painted, as SVG says it."""

    colour: str
    width: float = Field(description="At its first control point, as drawn.")
    opacity: float
    cap: str
    join: str
    miter: float
    dashes: str
    hidden: list[int] = Field(description="The first vertices of control points whose edge to the next has no stroke.")


class DrawnInfo(BaseModel):
    """One thing that a drawing paints: its inside, then its line."""

    part: str
    name: str
    curves: list[CurveInfo]
    fill: str | None
    fill_opacity: float
    even_odd: bool
    stroke: StrokeInfo | None


class DrawingInfo(BaseModel):
    """What of the plane a drawing shows, and what it paints, from back to front."""

    view: tuple[float, float, float, float] = Field(description="Its view box in the world, y up: low x, low y, size.")
    drawn: list[DrawnInfo]


class FigureInfo(BaseModel):
    """What changes seldom about a character: parts, joints, and what was mended on reading."""

    nodes: int = Field(description="How many joints and plain nodes a frame holds.")
    vertices: int
    triangles: int
    height: float
    mirror_x: float = Field(description="Where the plane between the two sides lies, metres.")
    lies: bool = Field(description="Whether it would stand if Z were up.")
    parts: list[PartInfo]
    joints: list[JointInfo]
    shapes: list[str]
    repairs: list[str]
    drawing: DrawingInfo | None = Field(default=None, description="What a drawing paints; null for a solid.")


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
    measure: Literal[
        "",
        "volume_loss",
        "volume_gain",
        "girth_loss",
        "girth_gain",
        "area_loss",
        "area_gain",
        "width_loss",
        "open_fill",
    ]
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


class RemedyChange(Schema):
    """Any of these may be given; each is its own undo step."""

    name: str | None = Field(default=None, min_length=1, max_length=120)
    on: bool | None = None
    amount: FiniteFloat | None = None


class TriggerChange(Schema):
    """null unties."""

    trigger: TriggerRule | None
    value: str | None = Field(default=None, description="Which of the trigger's values; null = the present, or first.")


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

    left: int = Field(description="Pairs of triangles that cross and did not at rest.")
    share: float = Field(description="Of the rounds that are made at most.")
    state: CharacterState | None = Field(default=None, description="Once it is stored.")


class Rename(Schema):
    name: str = Field(min_length=1, max_length=120)


class Brought(BaseModel):
    """A character that came in."""

    id: str
    name: str
    repairs: list[str]
