"""Routes of weights and picked regions; strokes and automatic weights go over the live socket."""

from __future__ import annotations

import json
from urllib.parse import quote

from fastapi import APIRouter, Response

from plethos.core.errors import BadEditError
from plethos.core.weights.table import weights_to_json
from plethos.service.edits import region_edits, weight_edits
from plethos.service.library.poses import pose_of
from plethos.service.schemas.bind import (
    AutomaticWeights,
    CopyWeights,
    EvenOut,
    FillWeights,
    GiveTo,
    KeepRegion,
    MendWeights,
    PickInPose,
    ReshapeRegion,
    SetWeight,
    VertexWeight,
    WeightFinding,
)
from plethos.service.schemas.character import CharacterState
from plethos.service.schemas.joints import MirrorSide
from plethos.service.schemas.live import JobMessage
from plethos.service.told.answers import job_message
from plethos.service.told.character_states import character_state
from plethos.web.context import AllJobs, Bench, OneFile, ReadingBench

router = APIRouter(prefix="/api/characters/{character_id}/bind", tags=["bind"])


@router.get("/findings")
def findings(bench: Bench, character_id: str) -> list[WeightFinding]:
    """What is wrong with the weights: stray, over the limit, unmirrored, hard steps."""
    return [WeightFinding(**f) for f in weight_edits.findings(bench.open(character_id))]


@router.post("/automatic", status_code=202)
def automatic(jobs: AllJobs, character_id: str, body: AutomaticWeights) -> JobMessage:
    """Have automatic weights made: a job, which the live socket tells of."""
    return job_message(jobs.ask("automatic", character_id, joints=body.joints, region=body.region))


@router.post("/mend")
def mend(bench: Bench, character_id: str, body: MendWeights) -> CharacterState:
    """Mend what was found: of one kind, of one joint or of all."""
    return character_state(weight_edits.mend(bench, character_id, body.kind, body.joint))


@router.post("/give")
def give(bench: Bench, character_id: str, body: GiveTo) -> CharacterState:
    """Let a part, a piece or a region follow one joint rigidly."""
    return character_state(weight_edits.give(bench, character_id, body.target, body.joint))


@router.post("/copy")
def copy(bench: Bench, character_id: str, body: CopyWeights) -> CharacterState:
    """Copy weights from the closest surface of a part, or from one vertex."""
    target = body.target
    if body.from_vertex is not None:
        return character_state(weight_edits.copy_vertex(bench, character_id, body.from_vertex, target))
    if body.from_part is None:
        raise BadEditError("Say what to copy from: a part or a vertex.")
    return character_state(weight_edits.copy_part(bench, character_id, body.from_part, target))


@router.post("/fill")
def fill(bench: Bench, character_id: str, body: FillWeights) -> CharacterState:
    """Do to a whole region at once what the brush does."""
    return character_state(weight_edits.fill(bench, character_id, body.target, body))


@router.post("/even")
def even(bench: Bench, character_id: str, body: EvenOut) -> CharacterState:
    """Spread what a bone's joints hold together evenly along it."""
    return character_state(weight_edits.even_out(bench, character_id, body.joint, body.mirror))


@router.post("/regions/pick")
def choose(bench: Bench, character_id: str, body: PickInPose) -> CharacterState:
    """Pick a piece, a part, a loop, what follows a joint, or a kept region."""
    opened = bench.open(character_id)
    pose = pose_of(opened.version, body.pose.plain())
    return character_state(region_edits.choose(bench, character_id, body, pose, body.mirror))


@router.post("/regions/reshape")
def reshape(bench: Bench, character_id: str, body: ReshapeRegion) -> CharacterState:
    """Grow, shrink, soften or turn over what is picked, or drop it."""
    return character_state(region_edits.reshape(bench, character_id, body.how, body.width_m))


@router.post("/regions")
def keep(bench: Bench, character_id: str, body: KeepRegion) -> CharacterState:
    """Keep what is picked under a name."""
    return character_state(region_edits.keep(bench, character_id, body.name))


@router.delete("/regions/{name:path}")
def forget(bench: Bench, character_id: str, name: str) -> CharacterState:
    """Delete a kept region."""
    return character_state(region_edits.forget(bench, character_id, name))


@router.post("/mirror")
def mirror(bench: Bench, character_id: str, body: MirrorSide) -> CharacterState:
    """Carry the weights of one side over to the other."""
    return character_state(weight_edits.carry_over(bench, character_id, body.from_left))


@router.get("/regions/shares", response_class=Response)
def region_shares(bench: Bench, character_id: str, region: str = "") -> Response:
    """The shares of a region as float32, in the order of the drawn mesh; of what is picked without a name."""
    return Response(bench.open(character_id).character.region(region).tobytes(), media_type="application/octet-stream")


@router.get("/twins", response_class=Response)
def twins(bench: Bench, character_id: str) -> Response:
    """The mirror image of each vertex, raw int32; -1 for vertices without one."""
    found = bench.open(character_id).character.mesh.pairs.astype("<i4")
    return Response(found.tobytes(), media_type="application/octet-stream")


@router.get("/weights.json", response_class=Response)
def weights_out(bench: Bench, character_id: str) -> Response:
    """All weights as a plain file by joint name: see docs/formats/weights.md."""
    opened = bench.open(character_id)
    disposition = f"attachment; filename*=UTF-8''{quote(opened.revision.name)}%20weights.json"
    data = json.dumps(weights_to_json(opened.character)).encode()
    return Response(data, media_type="application/json", headers={"Content-Disposition": disposition})


@router.post("/weights")
def weights_in(bench: ReadingBench, character_id: str, file: OneFile) -> CharacterState:
    """Take in such a file: each vertex takes the weights of the closest surface."""
    return character_state(weight_edits.take_file(bench, character_id, file.data))


@router.get("/vertices/{vertex}")
def vertex(bench: Bench, character_id: str, vertex: int) -> list[VertexWeight]:
    """What one vertex follows, the most first."""
    return [
        VertexWeight(joint=j, weight=w) for j, w in weight_edits.influences(bench.open(character_id).character, vertex)
    ]


@router.put("/vertices/{vertex}")
def set_weight(bench: Bench, character_id: str, vertex: int, body: SetWeight) -> CharacterState:
    """Give one vertex a weight by number."""
    made = weight_edits.set_weight(bench, character_id, vertex, body.joint, body.weight, body.locked, body.mirror)
    return character_state(made)
