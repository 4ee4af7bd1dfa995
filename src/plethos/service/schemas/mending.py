"""What is asked and told while remedies are made and changed, besides the rules themselves."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field, FiniteFloat

from plethos.service.schemas.common import Axis, PoseBody, Schema
from plethos.service.schemas.rules import AnyHelperRule, Id, Name, PoseSetRule


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
    badness: float | None = Field(default=None, description="How bad the joint is on the way: 0 = within all bounds.")


class KindsTried(BaseModel):
    """What was tried at a joint, the best first, and what there is now."""

    now: KindTried
    kinds: list[KindTried]
    proposed: str | None = Field(description="Once all are tried.")
    left: int = Field(description="How many kinds are still to be tried.")


class ShareRoll(Schema):
    """A joint whose roll twist joints are to share; where there are none, so many are made."""

    joint: str
    count: int = Field(default=2, ge=1, le=8)
    eased: bool = False


class MakeHelper(Schema):
    """A helper joint of ours at a place at rest, with the picked region for a mask."""

    name: Name
    parent: str
    at: Axis
    rules: list[AnyHelperRule] = Field(min_length=1, max_length=32)
