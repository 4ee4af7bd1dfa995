"""Routes of joints at rest: made, moved, turned, named, hung, limited, deleted, and a whole skeleton laid."""

from __future__ import annotations

from fastapi import APIRouter

from plethos.core.joints.ranges import PRESETS
from plethos.service.edits import joint_edits
from plethos.service.library.poses import pose_of
from plethos.service.schemas.character import CharacterState
from plethos.service.schemas.joints import (
    HangJoint,
    InsertTwists,
    LaySkeleton,
    MakeJoint,
    Mirror,
    MirrorSide,
    PlaceJoint,
    RangeInfo,
    RenameJoint,
    SetHinge,
    SetRange,
    Stand,
    TurnJoint,
)
from plethos.service.told.character_states import character_state
from plethos.web.context import Bench

router = APIRouter(prefix="/api/characters/{character_id}/joints", tags=["joints"])
ranges = APIRouter(prefix="/api/ranges", tags=["joints"])


@ranges.get("")
def range_presets() -> list[RangeInfo]:
    """The ranges of motion that a joint can be given."""
    return [RangeInfo(name=p.name, title=p.title, low_deg=p.low, high_deg=p.high) for p in PRESETS.values()]


@router.get("/markers")
def markers(bench: Bench, character_id: str) -> dict[str, tuple[float, float, float]]:
    """Where the markers of the template likely belong."""
    return {n: (p[0], p[1], p[2]) for n, p in joint_edits.markers(bench.open(character_id).version).items()}


@router.post("/template")
def lay(bench: Bench, character_id: str, body: LaySkeleton) -> CharacterState:
    """Lay the skeleton of a biped between markers."""
    return character_state(joint_edits.lay(bench, character_id, dict(body.markers), body.twists))


@router.post("/mirror")
def mirror_side(bench: Bench, character_id: str, body: MirrorSide) -> CharacterState:
    """Carry the joints of one side over to the other."""
    return character_state(joint_edits.mirror_side(bench, character_id, body.from_left))


@router.post("")
def make(bench: Bench, character_id: str, body: MakeJoint) -> CharacterState:
    """Make a joint; a parent that nothing followed yet is laid along its bone."""
    pose = pose_of(bench.open(character_id).version, body.pose.plain())
    return character_state(joint_edits.make(bench, character_id, body.name, body.parent, body.at, body.mirror, pose))


@router.post("/{joint:path}/place")
def place(bench: Bench, character_id: str, joint: str, body: PlaceJoint) -> CharacterState:
    """Move a joint at rest; the skin stays where it is."""
    pose = pose_of(bench.open(character_id).version, body.pose.plain())
    return character_state(joint_edits.move(bench, character_id, joint, body.at, body.mirror, pose))


@router.post("/{joint:path}/turn")
def turn(bench: Bench, character_id: str, joint: str, body: TurnJoint) -> CharacterState:
    """Turn a joint's own frame at rest."""
    return character_state(joint_edits.turn(bench, character_id, joint, body.by_deg, body.mirror))


@router.post("/{joint:path}/aim")
def aim(bench: Bench, character_id: str, joint: str, body: Mirror) -> CharacterState:
    """Lay a joint's Y axis along its bone."""
    return character_state(joint_edits.aim(bench, character_id, joint, body.mirror))


@router.post("/{joint:path}/name")
def rename(bench: Bench, character_id: str, joint: str, body: RenameJoint) -> CharacterState:
    """Call a joint otherwise."""
    return character_state(joint_edits.rename(bench, character_id, joint, body.name, body.mirror))


@router.post("/{joint:path}/parent")
def hang(bench: Bench, character_id: str, joint: str, body: HangJoint) -> CharacterState:
    """Hang a joint on another, or on none."""
    return character_state(joint_edits.hang(bench, character_id, joint, body.parent, body.mirror))


@router.post("/up")
def stand(bench: Bench, character_id: str, body: Stand) -> CharacterState:
    """Say which axis is up where the character is looked at."""
    return character_state(joint_edits.stand(bench, character_id, body.up))


@router.post("/{joint:path}/hinge")
def set_hinge(bench: Bench, character_id: str, joint: str, body: SetHinge) -> CharacterState:
    """Say about which axis a joint mainly bends, and how far."""
    made = joint_edits.set_hinge(bench, character_id, joint, body.axis, body.low_deg, body.high_deg, body.mirror)
    return character_state(made)


@router.post("/proposed-ranges")
def take_proposed_ranges(bench: Bench, character_id: str) -> CharacterState:
    """Give all joints of which nothing is known the ranges that the body proposes: see `JointInfo.range_proposed`."""
    return character_state(joint_edits.take_proposed_ranges(bench, character_id))


@router.post("/{joint:path}/range")
def set_range(bench: Bench, character_id: str, joint: str, body: SetRange) -> CharacterState:
    """Give a joint the hinge and range of a preset."""
    return character_state(joint_edits.set_range(bench, character_id, joint, body.preset, body.mirror))


@router.post("/{joint:path}/twists")
def insert_twists(bench: Bench, character_id: str, joint: str, body: InsertTwists) -> CharacterState:
    """Put twist joints evenly along a joint's bone."""
    return character_state(joint_edits.insert_twists(bench, character_id, joint, body.count, body.mirror))


@router.delete("/{joint:path}")
def delete(bench: Bench, character_id: str, joint: str, mirror: bool = True, remedies: bool = False) -> CharacterState:
    """Delete a joint; with `remedies`, helpers that need it go too, and what was tied to it is untied."""
    return character_state(joint_edits.delete(bench, character_id, joint, mirror, remedies))
