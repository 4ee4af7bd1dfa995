"""Routes of motion that is brought in and of poses that are kept."""

from __future__ import annotations

from fastapi import APIRouter

from plethos.service.edits import motion_edits
from plethos.service.library.poses import pose_of
from plethos.service.schemas.character import CharacterState
from plethos.service.schemas.common import PoseBody
from plethos.service.schemas.motion import KeepPose, MapMotion
from plethos.service.told.character_states import character_state, held_pose
from plethos.web.context import Bench, OneFile, ReadingBench

router = APIRouter(prefix="/api/characters/{character_id}", tags=["motion"])


@router.post("/motions", status_code=201)
def bring_motion(bench: ReadingBench, character_id: str, file: OneFile) -> CharacterState:
    """Bring a `.bvh` motion onto the character by the names of its joints."""
    return character_state(motion_edits.bring_motion(bench, character_id, file.name, file.data))


@router.put("/motions/{name}/mapping")
def map_motion(bench: Bench, character_id: str, name: str, body: MapMotion) -> CharacterState:
    """Say which joint takes on which of a motion's joints; null lets one go."""
    return character_state(motion_edits.map_motion(bench, character_id, name, body.mapping))


@router.delete("/motions/{name}")
def delete_motion(bench: Bench, character_id: str, name: str) -> CharacterState:
    """Take a motion away."""
    return character_state(motion_edits.delete_motion(bench, character_id, name))


@router.post("/poses")
def keep_pose(bench: Bench, character_id: str, body: KeepPose) -> CharacterState:
    """Keep a pose under a name; one of that name is replaced."""
    pose = pose_of(bench.open(character_id).version, body.pose.plain())
    return character_state(motion_edits.keep_pose(bench, character_id, body.name, pose))


@router.delete("/poses/{name}")
def delete_pose(bench: Bench, character_id: str, name: str) -> CharacterState:
    """Forget a kept pose."""
    return character_state(motion_edits.delete_pose(bench, character_id, name))


@router.post("/mirrored-pose")
def mirrored_pose(bench: Bench, character_id: str, body: PoseBody) -> PoseBody:
    """The mirror image of a pose."""
    version = bench.open(character_id).version
    return held_pose(motion_edits.mirror_image(version, pose_of(version, body.plain())))
