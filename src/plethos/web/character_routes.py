"""Routes of one character: what it is, its remedies, its history, its delivery."""

from __future__ import annotations

from contextlib import aclosing
from typing import Annotated
from urllib.parse import quote

from fastapi import APIRouter, Query, Response
from fastapi.concurrency import run_in_threadpool

from plethos.core.errors import BadPoseError
from plethos.core.weights.assign import DELIVERED
from plethos.service.desk import bend_strip
from plethos.service.edits import rule_edits
from plethos.service.jobs.put_to_use import delivery_in
from plethos.service.schemas.character import CharacterState, DeliveryAsked, LimitShift, LossOfClip, PresetRequest
from plethos.service.schemas.figure import FigureInfo
from plethos.service.schemas.remedies import RemedyChange, TriggerChange
from plethos.service.schemas.rules import Knot
from plethos.service.schemas.strip import BendPoint, BendRequest, ClipPoint, ClipRequest
from plethos.service.told.answers import preset_knots
from plethos.service.told.character_states import character_state
from plethos.service.told.deliveries import clip_loss_info, limit_shift
from plethos.service.told.figures import figure_info, mesh_bytes, subdivision_bytes
from plethos.web.answered import waited
from plethos.web.context import AllJobs, Bench, Page, ReadingBench
from plethos.web.turns import InTurn

router = APIRouter(prefix="/api/characters/{character_id}", tags=["character"])


@router.get("")
def state(bench: Bench, character_id: str) -> CharacterState:
    """The current version."""
    return character_state(bench.open(character_id).version)


@router.get("/figure")
def figure(bench: Bench, character_id: str) -> FigureInfo:
    """What does not change: parts, joints, clips."""
    return figure_info(bench.open(character_id).version)


@router.get("/subdivision", response_class=Response)
def subdivision(bench: Bench, character_id: str) -> Response:
    """One level of subdivision of the mesh that is drawn: what its finer points are means of."""
    return Response(subdivision_bytes(bench.open(character_id).bare.mesh), media_type="application/octet-stream")


@router.get("/mesh", response_class=Response)
def mesh(bench: Bench, character_id: str) -> Response:
    """Rest points and triangles, raw: two uint32 counts, float32 points, uint32 triangles."""
    return Response(mesh_bytes(bench.open(character_id).bare.mesh), media_type="application/octet-stream")


@router.post("/bend")
def bend(bench: Bench, character_id: str, body: BendRequest) -> list[BendPoint]:
    """The bend strip's curves; empty for a joint that bends no skin, or that is there no more since the page asked."""
    opened = bench.open(character_id)
    version = opened.version
    tried = opened.trials.of(bench.page).evaluator(body.trial, version.evaluator) if body.trial else None
    try:
        points = bend_strip.bend_curves(
            version, body.joint, body.axis, body.angles_deg, body.pose.plain(), tried
        )  # fmt: skip
    except BadPoseError:
        # A joint that was renamed or deleted while this was on its way is no fault of the page: it asks anew.
        if body.revision in (None, version.revision.id):
            raise
        points = []
    return [BendPoint(**p) for p in points]


@router.post("/clip")
def clip(bench: Bench, character_id: str, body: ClipRequest) -> list[ClipPoint]:
    """What the strip shows over a clip; empty for a joint that bends no skin."""
    version = bench.open(character_id).version
    return [ClipPoint(**p) for p in bend_strip.clip_curves(version, body.clip, body.joint, body.samples)]


@router.post("/lease", status_code=204)
def take_over(bench: Bench, page: Page, character_id: str) -> None:
    """Edit the character on this page from now on, whoever did before."""
    opened = bench.open(character_id)
    if page is not None:
        opened.lease.take_over(page)


@router.post("/undo")
def undo(bench: Bench, character_id: str) -> CharacterState:
    """One step back."""
    return character_state(bench.step(character_id, -1))


@router.post("/redo")
def redo(bench: Bench, character_id: str) -> CharacterState:
    """One step forward again."""
    return character_state(bench.step(character_id, +1))


@router.patch("/remedies/{remedy_id}")
def change_remedy(bench: Bench, character_id: str, remedy_id: str, body: RemedyChange) -> CharacterState:
    """Rename, switch on or off, set the amount."""
    made = None
    if body.name is not None:
        made = rule_edits.rename(bench, character_id, remedy_id, body.name)
    if body.on is not None:
        made = rule_edits.switch(bench, character_id, remedy_id, body.on)
    if body.amount is not None:
        made = rule_edits.set_amount(bench, character_id, remedy_id, body.amount)
    return character_state(made or bench.open(character_id).version)


@router.put("/remedies/{remedy_id}/trigger")
def change_trigger(bench: Bench, character_id: str, remedy_id: str, body: TriggerChange) -> CharacterState:
    """Tie to a trigger of its own, or untie."""
    rule = body.trigger.model_dump(exclude_none=True) if body.trigger else None
    return character_state(rule_edits.set_trigger(bench, character_id, remedy_id, rule, body.value))


@router.delete("/remedies/{remedy_id}")
def delete_remedy(bench: Bench, character_id: str, remedy_id: str) -> CharacterState:
    """Take a remedy away; undo brings it back."""
    return character_state(rule_edits.delete(bench, character_id, remedy_id))


@router.post("/response")
def response_of_preset(character_id: str, body: PresetRequest) -> list[Knot]:
    """The knots of a preset between two angles."""
    return preset_knots(body)


@router.get("/delivery/limit")
def limit_of_delivery(
    bench: Bench, turn: InTurn, character_id: str, influences: Annotated[int, Query(ge=1, le=8)] = DELIVERED
) -> LimitShift:
    """What a delivery with so many joints a vertex does to the skin, before it is made."""
    return limit_shift(bench.open(character_id).character, influences)


@router.get("/delivery/clip")
def loss_of_clip(bench: Bench, turn: InTurn, character_id: str, bake: str) -> LossOfClip:
    """What baking a clip leaves behind: what acts after the skin, and other skinning than linear."""
    return clip_loss_info(bench.open(character_id).version, bake)


@router.get("/delivery.glb", response_class=Response)
async def deliver(
    bench: ReadingBench, jobs: AllJobs, turn: InTurn, character_id: str, asked: Annotated[DeliveryAsked, Query()]
) -> Response:
    """The character as `.glb`: correctives as morph targets, rules in extras, a clip baked when asked for.

    A large one is long work, whose progress is told to pages; the answer waits for it.
    """
    last = None
    async with aclosing(waited(jobs.following("delivery", character_id, turn, **asked.model_dump()))) as steps:
        async for now in steps:
            last = now
            if bench.gone.is_set():
                break
    delivery = await run_in_threadpool(delivery_in, last)
    disposition = f"attachment; filename*=UTF-8''{quote(delivery.name)}"
    return Response(delivery.data, media_type="model/gltf-binary", headers={"Content-Disposition": disposition})
