"""Schemas of rules: one for each kind of trigger and of remedy, as docs/formats/plethos-rules.schema.json has them."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, FiniteFloat

from plethos.web.schemas.common import Axis, PoseBody, Quaternion, Schema

Id = Annotated[str, Field(min_length=1, max_length=64)]
Name = Annotated[str, Field(min_length=1, max_length=120)]


class Knot(Schema):
    """One knot of a response to an angle."""

    angle_deg: FiniteFloat
    value: float = Field(ge=0, le=1)


class InputKnot(Schema):
    """One knot of a response to a value."""

    input: FiniteFloat
    value: float = Field(ge=0, le=1)


class TriggerBase(Schema):
    id: str | None = Field(default=None, max_length=64, description="Left out for a new one.")
    name: str = Field(default="", max_length=120, description="Empty when only its remedy gives it one.")


class HingeTriggerRule(TriggerBase):
    """One joint, one axis in its rest frame, a response."""

    kind: Literal["hinge"] = "hinge"
    joint: str
    axis: Axis
    knots: list[Knot] = Field(min_length=2, max_length=64)
    start_deg: FiniteFloat | None = None
    end_deg: FiniteFloat | None = None


class DialTriggerRule(TriggerBase):
    """A value through a response."""

    kind: Literal["dial"]
    reads: Id
    knots: list[InputKnot] = Field(min_length=2, max_length=64)


class ProductTriggerRule(TriggerBase):
    """The product of values, each clamped to 0 to 1."""

    kind: Literal["product"]
    of: list[Id] = Field(min_length=2, max_length=32)


class SetJoint(Schema):
    joint: str
    axis: Axis = Field(description="Its bone, in its rest frame.")


class StoredPoseRule(Schema):
    id: Id | None = None
    name: str = Field(default="", max_length=120)
    by: Literal["swing", "twist", "both"]
    rotations: list[Quaternion] = Field(min_length=1, max_length=64)


class PoseSetRule(TriggerBase):
    """Closeness to stored poses; rest is always among them."""

    kind: Literal["pose_set"]
    joints: list[SetJoint] = Field(min_length=1, max_length=64)
    radius_deg: FiniteFloat
    poses: list[StoredPoseRule] = Field(min_length=1, max_length=64)


TriggerRule = Annotated[
    HingeTriggerRule | DialTriggerRule | ProductTriggerRule | PoseSetRule, Field(discriminator="kind")
]


class DialRule(Schema):
    """A named value with limits."""

    id: Id | None = None
    name: Name
    low: FiniteFloat = 0.0
    high: FiniteFloat = 1.0
    start: FiniteFloat = 0.0


class GroupRule(Schema):
    """A factor on the remedies in it."""

    id: Id | None = None
    name: Name
    factor: float = Field(default=1.0, ge=0, le=1e6)
    on: bool = True


class GroupChange(GroupRule):
    members: list[Id] | None = Field(default=None, description="The remedies in it; null leaves them as they are.")


class MaskBody(Schema):
    """Vertices by their numbers in the file, each with its share."""

    vertices: list[Annotated[int, Field(ge=0)]] = Field(max_length=2_000_000)
    shares: list[Annotated[float, Field(ge=0, le=1)]] = Field(max_length=2_000_000)


class OffsetsBody(Schema):
    vertices: list[Annotated[int, Field(ge=0)]] = Field(max_length=2_000_000)
    deltas: list[Axis] = Field(max_length=2_000_000)
    channels: list[list[FiniteFloat]] | None = None


class TargetRule(Schema):
    at: float = Field(gt=0, le=1)
    name: Name
    shape: OffsetsBody
    pose: dict[str, Any] | None = None
    report: dict[str, Any] = Field(default_factory=dict)


class RemedyBase(Schema):
    id: Id | None = None
    name: Name
    by: Id | None = Field(default=None, description="The value that it is tied to.")
    on: bool = True
    amount: float = Field(default=1.0, ge=0, le=4)
    group: Id | None = None
    twin: Id | None = None
    notes: list[str] = Field(default_factory=list)


class CorrectiveRule(RemedyBase):
    kind: Literal["corrective"]
    eased: bool = False
    targets: list[TargetRule] = Field(min_length=1, max_length=32)


class ShareRule(Schema):
    kind: Literal["share"] = "share"
    joint: str
    share: float = Field(ge=-4, le=4)
    part: Literal["all", "swing", "twist", "axes"] = "all"
    axis: Axis = (0.0, 1.0, 0.0)
    axes: list[Axis] | None = Field(
        default=None, max_length=2, description="Of the part “axes”: one, or two that are square to each other."
    )


class DistanceKnot(Schema):
    angle_deg: FiniteFloat
    metres: FiniteFloat


class SlideRule(Schema):
    """Moves along a way in its rest frame by a response of a joint's angle; flat beyond the knots."""

    kind: Literal["slide"]
    joint: str
    axis: Axis
    along: Axis
    knots: list[DistanceKnot] = Field(min_length=2, max_length=32)


class PushRule(Schema):
    """Moves along a way in its rest frame by any value."""

    kind: Literal["push"]
    value: Id
    along: Axis
    metres: FiniteFloat


class FactorKnot(Schema):
    angle_deg: FiniteFloat
    factor: float = Field(gt=0, le=100)


class GrowRule(Schema):
    """Gets larger by a response of a joint's angle."""

    kind: Literal["grow"]
    joint: str
    axis: Axis
    knots: list[FactorKnot] = Field(min_length=2, max_length=32)


class LimitRule(Schema):
    """Stops its own turn about an axis of its rest frame; null = no stop on that side."""

    kind: Literal["limit"]
    axis: Axis
    low_deg: FiniteFloat | None = None
    high_deg: FiniteFloat | None = None


class AnchorRule(Schema):
    """Takes its place from one joint and its turn from another."""

    kind: Literal["anchor"]
    place: str
    turn: str


AnyHelperRule = Annotated[
    ShareRule | SlideRule | PushRule | GrowRule | LimitRule | AnchorRule, Field(discriminator="kind")
]


class HelperRule(RemedyBase):
    kind: Literal["helper"]
    joint: str
    rules: list[AnyHelperRule] = Field(min_length=1, max_length=32)
    mask: MaskBody | None = None


class SkinBlendRule(RemedyBase):
    kind: Literal["skin_blend"]
    mask: MaskBody


class RelaxerRule(RemedyBase):
    kind: Literal["relaxer"]
    mask: MaskBody
    steps: int = Field(default=10, ge=1, le=100)


class VolumeKeeperRule(RemedyBase):
    kind: Literal["volume_keeper"]
    mask: MaskBody
    share: float = Field(default=1.0, gt=0, le=4, description="Of the rest volume.")
    most: FiniteFloat = Field(default=0.05, gt=0, description="How far the skin may go, metres.")


class OrderRule(RemedyBase):
    """A part of a drawing in front of another, or behind it, while the effect is a half or more."""

    kind: Literal["order"]
    part: str
    other: str
    behind: bool = False


RemedyRule = Annotated[
    CorrectiveRule | HelperRule | SkinBlendRule | RelaxerRule | VolumeKeeperRule | OrderRule,
    Field(discriminator="kind"),
]


class RulesBody(Schema):
    """All rules of a character."""

    version: Literal[2] = 2
    dials: list[DialRule] = Field(default_factory=list)
    triggers: list[TriggerRule] = Field(default_factory=list)
    groups: list[GroupRule] = Field(default_factory=list)
    remedies: list[RemedyRule] = Field(default_factory=list)


class Tie(Schema):
    """null unties."""

    value: Id | None


class BodyChange(Schema):
    """What is to change about a remedy; what is left out stays."""

    steps: int | None = Field(default=None, ge=1, le=100, description="Of a relaxer.")
    share: float | None = Field(default=None, gt=0, le=4, description="Of a volume keeper.")
    most: FiniteFloat | None = Field(default=None, gt=0, description="Of a volume keeper, metres.")
    rules: list[AnyHelperRule] | None = Field(
        default=None, min_length=1, max_length=32, description="Of a helper joint."
    )
    part: str | None = Field(default=None, description="Of an order of painting.")
    other: str | None = Field(default=None, description="Of an order of painting: the part it is seen against.")
    behind: bool | None = Field(default=None, description="Of an order of painting.")


class MaskChange(Schema):
    """picked = from what is picked, soften, joint = what that joint bends, part = that part too, region = a kept
    region, clear, pick = pick what lies under the mask."""

    how: Literal["picked", "soften", "joint", "part", "region", "clear", "pick"]
    name: str = Field(default="", max_length=200, description="Of the joint, the part or the region.")


class AddMasked(Schema):
    """What acts under a mask, on all the skin that a joint bends."""

    kind: Literal["skin_blend", "relaxer", "volume_keeper"]
    joint: str


class BakeRequest(Schema):
    """Where the corrective is to be exact: angles on one side of rest."""

    joint: str
    axis: Axis
    angles_deg: list[FiniteFloat] = Field(min_length=1, max_length=16)


class BetweenRequest(Schema):
    """An angle of the corrective's hinge, between rest and where it is fully on."""

    angle_deg: FiniteFloat


class PathRequest(Schema):
    """The travel of a joint; all else as in the pose."""

    joint: str
    axis: Axis
    angles_deg: list[FiniteFloat] = Field(min_length=1, max_length=181)
    pose: PoseBody = Field(default_factory=PoseBody)


class StopOfSlide(BaseModel):
    """A knot of a slide: where the helper is there, and how far it goes for each metre, in the world."""

    rule: int
    knot: int
    at: Axis
    along: Axis


class PathOfHelper(BaseModel):
    """Places of a helper joint at each angle, in the world, and the stops of its slides."""

    places: list[Axis]
    stops: list[StopOfSlide]


class Retime(Schema):
    """The activation of an in-between, and another one."""

    at: FiniteFloat
    to: FiniteFloat


class Eased(Schema):
    eased: bool


class StorePose(Schema):
    """A pose to be stored: in a set that is there, or in a new one round some joints."""

    pose: PoseBody
    by: Literal["swing", "twist", "both"]
    joints: list[str] = Field(
        default_factory=list, max_length=64, description="None = the one that is turned furthest."
    )
    name: str = Field(default="", max_length=120)
    set_id: Id | None = None


class ProposedPoses(BaseModel):
    """A pose set, and the value of the pose that is new in it."""

    trigger: PoseSetRule
    value: str


class MapOfPoses(BaseModel):
    """The weights of stored poses over the swings of a bone (first up, then right, -1 outside of the disc; the rim is
    half a turn), and over its twists; where each pose and the present one lie: right, up, twist in radians."""

    swings: list[list[list[float]]]
    twists: list[list[float]]
    poses: list[tuple[float, float, float]]
    here: tuple[float, float, float]


class ProposalRequest(Schema):
    """A joint in a pose; without a joint, the one that is turned furthest."""

    pose: PoseBody
    joint: str | None = None


class Spot(Schema):
    """A place on the posed skin: a triangle, and a point on it in the world, metres."""

    triangle: int = Field(ge=0)
    at: Axis
    radius: FiniteFloat = Field(gt=0, description="How far over the skin the weights of the helper go.")


class StartHelper(ProposalRequest):
    """half = half of the turn, all round; outside = over the outside of the bend; inside = in the fold; front_pair =
    two at the front of a hip; hem = what pushes a garment's hem out of the way; spot = under a place on the skin."""

    how: Literal["half", "outside", "inside", "front_pair", "hem", "spot"]
    spot: Spot | None = None


class KindTried(BaseModel):
    """A kind of remedy, tried and measured."""

    kind: str
    can: bool = Field(description="Whether it can be made here.")
    why: str = Field(description="What speaks for it, or why it cannot be made.")
    volume: float | None = None
    girth: float | None = None
    contacts: int = 0
    off: float | None = Field(default=None, description="How far from keeping everything on the way, percent.")


class KindsTried(BaseModel):
    """What was tried at a joint; the first is what there is now."""

    now: KindTried
    kinds: list[KindTried]
    proposed: str | None = Field(description="Once all are tried.")
    left: int = Field(description="How many kinds are still to be tried.")


class WaterfallRequest(Schema):
    """A joint in a pose."""

    pose: PoseBody
    joint: str


class WaterfallBar(BaseModel):
    """What a remedy gives back of a joint's volume, percent of rest."""

    id: str
    name: str
    volume: float


class ShareRoll(Schema):
    """A joint whose roll twist joints are to share; where there are none, so many are made."""

    joint: str
    count: int = Field(default=2, ge=1, le=8)
    eased: bool = False


class RollAlong(BaseModel):
    """How far the skin turns about the bone, from the bone's start (0) to its end (1)."""

    roll_deg: float
    places: list[float]
    present_deg: list[float | None] = Field(description="null where there is no skin of the limb.")
    ideal_deg: list[float]
    twists: int = Field(description="How many twist joints there are along the limb.")
    flips: str | None = Field(description="A sentence where the roll is near to flipping over.")


class MakeHelper(Schema):
    """A helper joint of ours at a place at rest, with the picked region for a mask."""

    name: Name
    parent: str
    at: Axis
    rules: list[AnyHelperRule] = Field(min_length=1, max_length=32)


class ValueInfo(BaseModel):
    """A value of the character: what a remedy or a product can be tied to."""

    id: str
    name: str
    kind: str = Field(description="dial, group, or the kind of its trigger")
