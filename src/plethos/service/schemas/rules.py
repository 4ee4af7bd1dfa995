"""Schemas of rules: one for each kind of trigger and of remedy, as docs/formats/plethos-rules.schema.json has them."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, FiniteFloat

from plethos.service.schemas.common import Axis, Quaternion, Schema

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


class HelperRemedyRule(RemedyBase):
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


UnsculptedRule = HelperRemedyRule | SkinBlendRule | RelaxerRule | VolumeKeeperRule | OrderRule
RemedyRule = Annotated[CorrectiveRule | UnsculptedRule, Field(discriminator="kind")]


class RulesBody(Schema):
    """All rules of a character."""

    version: Literal[2] = 2
    dials: list[DialRule] = Field(default_factory=list)
    triggers: list[TriggerRule] = Field(default_factory=list)
    groups: list[GroupRule] = Field(default_factory=list)
    remedies: list[RemedyRule] = Field(default_factory=list)


class ValueInfo(BaseModel):
    """A value of the character: what a remedy or a product can be tied to."""

    id: str
    name: str
    kind: str = Field(description="dial, group, or the kind of its trigger")
