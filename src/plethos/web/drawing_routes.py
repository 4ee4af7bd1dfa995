"""Routes of drawings: fills split, the order of painting, and what is delivered of a clip."""

from __future__ import annotations

from typing import Annotated
from urllib.parse import quote

from fastapi import APIRouter, Query, Response

from plethos.service.edits import drawing_edits
from plethos.service.library.delivery import Delivery
from plethos.service.library.poses import pose_of
from plethos.service.schemas.character import CharacterState
from plethos.service.schemas.drawing import PosedDrawing, SplitRequest, StartOrder
from plethos.service.told.character_states import character_state
from plethos.web.context import Bench

router = APIRouter(prefix="/api/characters/{character_id}/drawing", tags=["drawing"])
MEDIA = {".svg": "image/svg+xml", ".json": "application/json", ".zip": "application/zip"}


@router.post("/split")
def split(bench: Bench, character_id: str, body: SplitRequest) -> CharacterState:
    """Split the fills that bend at a joint across it."""
    return character_state(drawing_edits.split(bench, character_id, body.joint, body.part))


@router.post("/order")
def start_order(bench: Bench, character_id: str, body: StartOrder) -> CharacterState:
    """A part in front of another, or behind it, from the middle of the held bend on."""
    pose = pose_of(bench.open(character_id).version, body.pose.plain())
    made = drawing_edits.start_order(bench, character_id, pose, body.joint, body.part, body.other, body.behind)
    return character_state(made)


@router.post("/pose.svg", response_class=Response)
def posed(bench: Bench, character_id: str, body: PosedDrawing) -> Response:
    """The drawing in a pose as a plain SVG."""
    pose = pose_of(bench.open(character_id).version, body.pose.plain())
    return _file(drawing_edits.deliver(bench, character_id, "pose", pose=pose))


@router.get("/clip.svg", response_class=Response)
def animated(bench: Bench, character_id: str, clip: Annotated[str, Query(max_length=200)]) -> Response:
    """A clip as an animated SVG, the corrections in its paths."""
    return _file(drawing_edits.deliver(bench, character_id, "animated", clip))


@router.get("/clip.json", response_class=Response)
def lottie(bench: Bench, character_id: str, clip: Annotated[str, Query(max_length=200)]) -> Response:
    """A clip as a Lottie file, the corrections in its paths."""
    return _file(drawing_edits.deliver(bench, character_id, "lottie", clip))


@router.get("/frame.png", response_class=Response)
def frame(
    bench: Bench,
    character_id: str,
    clip: Annotated[str, Query(max_length=200)],
    number: Annotated[int, Query(ge=0, le=100_000)],
    width: Annotated[int, Query(ge=16, le=4096)] = 1024,
) -> Response:
    """One frame of a clip, 30 a second, as a PNG."""
    return Response(drawing_edits.picture(bench, character_id, clip, number, width), media_type="image/png")


def _file(delivery: Delivery) -> Response:
    disposition = f"attachment; filename*=UTF-8''{quote(delivery.name)}"
    media = MEDIA["." + delivery.name.rsplit(".", 1)[-1]]
    return Response(delivery.data, media_type=media, headers={"Content-Disposition": disposition})
