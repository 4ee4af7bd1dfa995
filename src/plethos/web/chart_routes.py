"""Routes of what panels and tables draw of a pose."""

from __future__ import annotations

from fastapi import APIRouter

from plethos.service.desk import charts
from plethos.service.library.poses import pose_of
from plethos.service.schemas.charts import Contribution, JointInPose, PoseAsked, RollAlong, WaterfallBar
from plethos.web.context import Bench

router = APIRouter(prefix="/api/characters/{character_id}", tags=["charts"])


@router.post("/roll")
def roll(bench: Bench, character_id: str, body: JointInPose) -> RollAlong | None:
    """The roll along the limb of a joint, as it is and as it should be; null where nothing rolls."""
    version = bench.open(character_id).version
    told = charts.roll(version, pose_of(version, body.pose.plain()), body.joint)
    return None if told is None else RollAlong(**told)


@router.post("/waterfall")
def waterfall(bench: Bench, character_id: str, body: JointInPose) -> list[WaterfallBar]:
    """What each remedy gives back of a joint's volume in a pose; the bars add up to with minus without."""
    version = bench.open(character_id).version
    bars = charts.bars(version, pose_of(version, body.pose.plain()), body.joint)
    return [WaterfallBar(id=r.id, name=r.name, volume=v) for r, v in bars]


@router.post("/contributions")
def contributions(bench: Bench, character_id: str, body: PoseAsked) -> list[Contribution]:
    """How far each remedy that acts moves the skin in a pose."""
    version = bench.open(character_id).version
    moved = charts.contributions(version, pose_of(version, body.pose.plain()))
    return [Contribution(id=i, greatest_m=far) for i, far in moved.items()]
