"""Routes of other ways to a corrective, of housekeeping, and of what is wrong with rules."""

from __future__ import annotations

from fastapi import APIRouter

from plethos.service.edits import finding_edits, shape_edits
from plethos.service.library.poses import pose_of
from plethos.service.schemas.character import CharacterState
from plethos.service.schemas.shaping import (
    FindingInfo,
    FindingsOf,
    KeepDifference,
    MendFinding,
    MergeWith,
    MoveTo,
    Reshape,
    TakeShapes,
    Thin,
)
from plethos.service.told.character_states import character_state
from plethos.web.context import Bench
from plethos.web.turns import InTurn

router = APIRouter(prefix="/api/characters/{character_id}", tags=["shapes"])


@router.post("/difference")
def keep_difference(bench: Bench, character_id: str, body: KeepDifference) -> CharacterState:
    """Keep what a pose does as a corrective on a dial of its own."""
    pose = pose_of(bench.open(character_id).version, body.pose.plain())
    return character_state(shape_edits.keep_difference(bench, character_id, body.name, pose))


@router.post("/file-shapes")
def take_shapes(bench: Bench, character_id: str, body: TakeShapes) -> CharacterState:
    """Make correctives, not tied yet, of shapes that came with the file."""
    return character_state(shape_edits.take_file_shapes(bench, character_id, body.names))


@router.post("/thin")
def thin(bench: Bench, character_id: str, body: Thin) -> CharacterState:
    """Draw the skin in under a garment by a corrective that is not tied yet."""
    return character_state(shape_edits.thin_under(bench, character_id, body.garment, body.depth_m))


@router.post("/remedies/{remedy_id}/reshape")
def reshape(bench: Bench, character_id: str, remedy_id: str, body: Reshape) -> CharacterState:
    """Scale, trim, split, copy or carry a corrective, take its amount into its shape, or convert its order."""
    here = (bench, character_id, remedy_id)
    change = {
        "scale": lambda: shape_edits.scale_shape(*here, body.factor),
        "settle": lambda: shape_edits.settle_amount(*here),
        "trim": lambda: shape_edits.trim_shape(*here, body.least_m),
        "split": lambda: shape_edits.split_shape(*here, body.soft_m),
        "convert": lambda: shape_edits.convert_order(*here),
        "carry": lambda: shape_edits.carry_shape(*here, body.part),
        "copy": lambda: shape_edits.copy_remedy(*here),
    }
    return character_state(change[body.how]())


@router.post("/remedies/{remedy_id}/merge")
def merge(bench: Bench, character_id: str, remedy_id: str, body: MergeWith) -> CharacterState:
    """Merge a corrective with another that follows the same value; the other goes."""
    return character_state(shape_edits.merge_shapes(bench, character_id, remedy_id, body.other_id))


@router.put("/remedies/{remedy_id}/place")
def move(bench: Bench, character_id: str, remedy_id: str, body: MoveTo) -> CharacterState:
    """Put a remedy at another place in the list."""
    return character_state(shape_edits.move_remedy(bench, character_id, remedy_id, body.place))


@router.post("/findings")
def findings(bench: Bench, character_id: str, body: FindingsOf) -> list[FindingInfo]:
    """What is wrong with the remedies, and what a pose applies twice."""
    version = bench.open(character_id).version
    pose = None if body.pose is None else pose_of(version, body.pose.plain())
    return [
        FindingInfo(remedy_id=t.remedy.id, kind=t.finding.kind, text=t.finding.text, click=t.finding.click)
        for t in finding_edits.findings(version, pose)
    ]


@router.post("/remedies/{remedy_id}/mend")
def mend(bench: Bench, turn: InTurn, character_id: str, remedy_id: str, body: MendFinding) -> CharacterState:
    """Do what the click of a finding says."""
    return character_state(finding_edits.mend_finding(bench, character_id, remedy_id, body.kind))
