"""Routes of the station Bind: weights and places of joints; strokes and automatic weights go over the live socket."""

from __future__ import annotations

from fastapi import APIRouter

from plethos.service import binding
from plethos.web.context import Bench
from plethos.web.schemas import (
    CharacterState,
    GivePart,
    MendStray,
    MirrorWeights,
    MoveJoint,
    SetWeight,
    VertexWeight,
    WeightFinding,
)
from plethos.web.states import character_state

router = APIRouter(prefix="/api/characters/{character_id}/bind", tags=["bind"])


@router.get("/findings")
def findings(bench: Bench, character_id: str) -> list[WeightFinding]:
    """What is wrong with the weights: stray, over the limit, unmirrored, hard steps."""
    return [WeightFinding(**f) for f in binding.findings(bench.open(character_id))]


@router.post("/mend")
def mend(bench: Bench, character_id: str, body: MendStray) -> CharacterState:
    """Take stray weights away, of one joint or of all."""
    return character_state(binding.mend_stray(bench, character_id, body.joint))


@router.post("/give")
def give(bench: Bench, character_id: str, body: GivePart) -> CharacterState:
    """Let a whole part follow one joint rigidly."""
    return character_state(binding.give(bench, character_id, body.part, body.joint))


@router.post("/place")
def place(bench: Bench, character_id: str, body: MoveJoint) -> CharacterState:
    """Move a joint at rest; the skin stays where it is."""
    return character_state(binding.move_joint(bench, character_id, body.joint, body.at, body.mirror))


@router.post("/mirror")
def mirror(bench: Bench, character_id: str, body: MirrorWeights) -> CharacterState:
    """Carry the weights of one side over to the other."""
    return character_state(binding.carry_over(bench, character_id, body.from_left))


@router.get("/vertices/{vertex}")
def vertex(bench: Bench, character_id: str, vertex: int) -> list[VertexWeight]:
    """What one vertex follows, the most first."""
    return [VertexWeight(joint=j, weight=w) for j, w in binding.influences(bench.open(character_id), vertex)]


@router.put("/vertices/{vertex}")
def set_weight(bench: Bench, character_id: str, vertex: int, body: SetWeight) -> CharacterState:
    """Give one vertex a weight by number."""
    opened = binding.set_weight(bench, character_id, vertex, body.joint, body.weight, body.locked, body.mirror)
    return character_state(opened)
