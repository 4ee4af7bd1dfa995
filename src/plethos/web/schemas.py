"""What goes over the API. Angles are degrees, lengths metres."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

Axis = tuple[FiniteFloat, FiniteFloat, FiniteFloat]
Quaternion = tuple[FiniteFloat, FiniteFloat, FiniteFloat, FiniteFloat]


class Schema(BaseModel):
    model_config = ConfigDict(extra="forbid")


class Knot(Schema):
    """One knot of a response."""

    angle_deg: FiniteFloat
    value: float = Field(ge=0, le=1)


class HingeTriggerRule(Schema):
    """One joint, one axis in its rest frame, a response."""

    kind: Literal["hinge"] = "hinge"
    joint: str
    axis: Axis
    knots: list[Knot] = Field(min_length=2, max_length=64)
    start_deg: FiniteFloat | None = None
    end_deg: FiniteFloat | None = None


class PresetRequest(Schema):
    """A response from a preset."""

    preset: Literal["linear", "ease", "early", "late"]
    start_deg: FiniteFloat
    end_deg: FiniteFloat


class PoseBody(Schema):
    """Joints turned away from rest, as quaternions x, y, z, w on top of rest."""

    joints: dict[str, Quaternion] = Field(default_factory=dict)


class SolveReport(BaseModel):
    """What the solver found when the shape was made."""

    moved: int = 0
    greatest_move_m: float = 0
    round_trip_error_m: float = 0
    damped: int = 0
    hopeless: int = 0
    neighbour_factor: float = 1
    warnings: list[str] = Field(default_factory=list)


class RemedyCard(BaseModel):
    """A remedy as its card shows it."""

    id: str
    kind: str
    name: str
    on: bool
    amount: float
    trigger: HingeTriggerRule | None
    curve: list[tuple[float, float]]
    pose: dict[str, Any]
    report: SolveReport


class SculptState(BaseModel):
    """A sculpt in progress."""

    remedy_id: str | None
    pose: PoseBody
    strokes: int


class CharacterState(BaseModel):
    """What changes about a character with every edit."""

    id: str
    name: str
    version: int
    undo: str | None
    redo: bool
    saved_at: datetime
    remedies: list[RemedyCard]
    skeleton: str = Field(description="Changes with every edit of the joints: then the figure is asked for again.")
    bound: bool = Field(description="Whether any of the skin follows a joint.")
    sculpt: SculptState | None
    regions: list[RegionInfo]


class LibraryEntry(BaseModel):
    """A character's card in the library."""

    id: str
    name: str
    demo: bool
    version: int
    saved_at: datetime
    remedies: int
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
    bends: bool


class PartInfo(BaseModel):
    name: str
    vertices: int
    triangles: int
    drawn: tuple[int, int] = Field(description="The range of its triangles in the mesh that is drawn.")


class ClipInfo(BaseModel):
    name: str
    seconds: float


class FigureInfo(BaseModel):
    """What changes seldom about a character: parts, joints, clips, and what was mended on reading."""

    nodes: int = Field(description="How many joints and plain nodes a frame holds.")
    vertices: int
    triangles: int
    height: float
    parts: list[PartInfo]
    joints: list[JointInfo]
    clips: list[ClipInfo]
    shapes: list[str]
    repairs: list[str]


class BendRequest(Schema):
    """A joint's travel to measure."""

    joint: str
    axis: Axis
    angles_deg: list[FiniteFloat] = Field(min_length=1, max_length=361)
    pose: PoseBody = Field(default_factory=PoseBody)


class Measures(BaseModel):
    """Percent of rest; girth is null where no closed slice goes round."""

    volume: float
    girth: float | None


class BendPoint(BaseModel):
    """`with` and `without` remedies at one angle."""

    model_config = ConfigDict(populate_by_name=True)
    angle_deg: float
    without: Measures
    with_: Measures = Field(alias="with")
    activations: dict[str, float]


class RemedyChange(Schema):
    """Any of these may be given; each is its own undo step."""

    name: str | None = Field(default=None, min_length=1, max_length=120)
    on: bool | None = None
    amount: FiniteFloat | None = None


class TriggerChange(Schema):
    """null breaks the tie."""

    trigger: HingeTriggerRule | None


class SculptBegin(Schema):
    pose: PoseBody
    remedy_id: str | None = None


class SculptKeep(Schema):
    name: str = Field(min_length=1, max_length=120)
    trigger: HingeTriggerRule | None = None


class Rename(Schema):
    name: str = Field(min_length=1, max_length=120)


class Brought(BaseModel):
    """A character that came in."""

    id: str
    name: str
    repairs: list[str]


class Problem(BaseModel):
    """An error as problem details (RFC 9457)."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str


class WeightFinding(BaseModel):
    """Something wrong with the weights, and where to look."""

    kind: Literal["unnormalised", "stray", "over_limit", "unmirrored", "hard_step"]
    joint: str | None
    vertices: int
    worst: float
    at: tuple[float, float, float]


class MendWeights(Schema):
    kind: Literal["stray", "over_limit", "unmirrored", "hard_step"]
    joint: str | None = None


class TargetBody(Schema):
    """Which vertices an edit of weights is for: a part, the connected piece of a triangle, or a region."""

    part: str | None = None
    piece: int | None = Field(default=None, ge=0)
    region: str | None = Field(default=None, description="By name; empty for what is picked.")


class GiveTo(Schema):
    target: TargetBody
    joint: str


class CopyWeights(Schema):
    """From the closest surface of a part, or from one vertex."""

    target: TargetBody
    from_part: str | None = None
    from_vertex: int | None = Field(default=None, ge=0)


class FillWeights(Schema):
    """What the brush does, to a whole region at once."""

    target: TargetBody
    joint: str
    mode: Literal["add", "subtract", "replace", "smooth", "even"]
    value: float = Field(default=1.0, ge=0, le=1)
    strength: float = Field(default=1.0, ge=0, le=1)
    locked: list[str] = Field(default_factory=list)
    mirror: bool = True


class EvenOut(Schema):
    joint: str
    mirror: bool = True


class PickBody(Schema):
    """What to pick, and whether instead of what is picked, too, or no more."""

    by: Literal["piece", "part", "joint", "loop", "region", "all"]
    how: Literal["only", "add", "take"] = "add"
    name: str = ""
    triangle: int = -1
    at: tuple[FiniteFloat, FiniteFloat, FiniteFloat] = (0.0, 0.0, 0.0)
    least: float = Field(default=0.05, ge=0, le=1)
    pose: PoseBody = Field(default_factory=PoseBody)
    mirror: bool = True


class ReshapeRegion(Schema):
    how: Literal["grow", "shrink", "soften", "invert", "none"]
    width_m: float = Field(default=0.05, gt=0, le=1000)


class KeepRegion(Schema):
    name: str = Field(min_length=1, max_length=120)


class RegionInfo(BaseModel):
    """A kept region; the one without a name is what is picked."""

    name: str
    vertices: int


class VertexWeight(BaseModel):
    joint: str
    weight: float


class SetWeight(BaseModel):
    joint: str
    weight: float
    locked: list[str] = []
    mirror: bool = True


class PlaceJoint(Schema):
    """A place in the world, metres: at rest, or in a pose, where the joint is to be then."""

    at: tuple[FiniteFloat, FiniteFloat, FiniteFloat]
    pose: PoseBody = Field(default_factory=PoseBody)
    mirror: bool = True


class MakeJoint(Schema):
    """A new joint at a place in the world at rest, metres."""

    at: tuple[FiniteFloat, FiniteFloat, FiniteFloat]
    mirror: bool = True
    name: str = Field(min_length=1, max_length=120)
    parent: str | None


class TurnJoint(Schema):
    """Degrees about the joint's own X, then Y, then Z."""

    by_deg: tuple[FiniteFloat, FiniteFloat, FiniteFloat]
    mirror: bool = True


class Mirror(Schema):
    """Whether the joint on the other side is to follow."""

    mirror: bool = True


class RenameJoint(Mirror):
    name: str = Field(min_length=1, max_length=120)


class HangJoint(Mirror):
    parent: str | None


class SetHinge(Mirror):
    axis: Axis
    low_deg: FiniteFloat
    high_deg: FiniteFloat


class SetRange(Mirror):
    preset: str


class InsertTwists(Mirror):
    count: int = Field(ge=1, le=8)


class MirrorSide(Schema):
    from_left: bool = True


class RangeInfo(BaseModel):
    """A range of motion that a joint can be given."""

    name: str
    title: str
    low_deg: float
    high_deg: float
    words: list[str] = Field(description="A joint whose name holds one of these is likely meant.")


class LaySkeleton(Schema):
    """Where the markers of the template stand, metres."""

    markers: dict[str, tuple[FiniteFloat, FiniteFloat, FiniteFloat]]
    twists: int = Field(default=2, ge=0, le=4)
