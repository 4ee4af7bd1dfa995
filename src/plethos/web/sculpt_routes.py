"""Routes of a sculpt session; its strokes go over the live socket."""

from __future__ import annotations

from fastapi import APIRouter, Response
from fastapi.responses import StreamingResponse

from plethos.service.jobs.jobs import Now
from plethos.service.library.poses import pose_of
from plethos.service.proposals import correctives, first_mends
from plethos.service.schemas.character import (
    CharacterState,
    FirstMendBody,
    FittedResponse,
    HeldBack,
    MendingNow,
    PushApart,
    PushedApart,
    SculptBegin,
    SculptKeep,
)
from plethos.service.schemas.rules import HingeTriggerRule
from plethos.service.sculpts import border, given_way, kept_sculpt, obj_exchange, session
from plethos.service.told.answers import fitted_info
from plethos.service.told.character_states import character_state
from plethos.web.answered import by_lines
from plethos.web.context import AllJobs, Bench, OneFile, ReadingBench
from plethos.web.turns import InTurn

router = APIRouter(prefix="/api/characters/{character_id}/sculpt", tags=["sculpt"])


@router.post("")
def begin(bench: Bench, character_id: str, body: SculptBegin) -> CharacterState:
    """Hold the skin in a pose and begin to sculpt."""
    pose = pose_of(bench.open(character_id).version, body.pose.plain())
    return character_state(session.begin(bench, character_id, pose, body.remedy_id, body.between))


@router.post("/first-mend")
def first_mend(bench: Bench, turn: InTurn, character_id: str, body: FirstMendBody) -> CharacterState:
    """Solve a corrective for the held pose, as a sculpt in progress."""
    asked = first_mends.MendAsked.of(bench.open(character_id).version, body)
    return character_state(first_mends.first_mend(bench, character_id, asked))


@router.post("/first-mend/steps", response_class=StreamingResponse, responses={200: {"model": MendingNow}})
def first_mend_by_steps(jobs: AllJobs, turn: InTurn, character_id: str, body: FirstMendBody) -> StreamingResponse:
    """The same, answered by a line of JSON after each step; whoever goes away in between stops it."""
    return by_lines(jobs.have_done("first_mend", character_id, turn, **body.model_dump()), _mending)


def _mending(now: Now) -> MendingNow:
    return MendingNow(share=now.share, state=now.version and character_state(now.version))


@router.post("/fit")
def fit(bench: Bench, turn: InTurn, character_id: str, body: HingeTriggerRule) -> FittedResponse:
    """The response that keeps the volume all the way to the held pose."""
    version = bench.open(character_id).version
    return fitted_info(version, correctives.fit(version, body.model_dump(exclude_none=True)))


@router.get("/proposal")
def proposal(bench: Bench, character_id: str) -> HingeTriggerRule:
    """The trigger that the held pose suggests."""
    return HingeTriggerRule(**kept_sculpt.propose_trigger(bench.open(character_id)))


@router.get("/held-back")
def held_back(bench: Bench, character_id: str) -> list[HeldBack]:
    """What acts after the skin and keeps part of the sculpt from coming back."""
    return [
        HeldBack(
            id=h.remedy.id,
            name=h.remedy.name,
            kind=h.remedy.kind,
            gives_way=h.gives_way,
            vertices=h.vertices,
            most_m=h.most,
        )
        for h in given_way.holding_back(bench.open(character_id).version)
    ]


@router.post("/held-back/{remedy_id}")
def give_way(bench: Bench, turn: InTurn, character_id: str, remedy_id: str) -> CharacterState:
    """Let a relaxer's mask fade under the sculpt, or a volume keeper take its volume for a target."""
    return character_state(given_way.give_way(bench, character_id, remedy_id))


@router.get("/obj", response_class=Response)
def send_out(bench: Bench, character_id: str) -> Response:
    """The sculpt in progress as an OBJ, for another program."""
    text = obj_exchange.sent_out(bench.open(character_id).version)
    return Response(text, media_type="model/obj", headers={"Content-Disposition": 'attachment; filename="sculpt.obj"'})


@router.post("/obj")
def bring_back(bench: ReadingBench, character_id: str, file: OneFile) -> CharacterState:
    """Take an OBJ that was sent out and sculpted elsewhere as one more stroke."""
    return character_state(obj_exchange.bring_back(bench, character_id, file.data.decode("utf-8", "replace")))


@router.post("/border-back")
def border_back(bench: Bench, character_id: str) -> CharacterState:
    """Put border vertices that were moved back where the session began."""
    return character_state(border.put_border_back(bench, character_id))


@router.post("/push-apart", response_class=StreamingResponse, responses={200: {"model": PushedApart}})
def push_apart(jobs: AllJobs, turn: InTurn, character_id: str, body: PushApart) -> StreamingResponse:
    """Push apart what crosses in a joint's region.

    Answered by a line of JSON after each round; whoever goes away in between stops it, and nothing is changed.
    """
    return by_lines(jobs.have_done("push_apart", character_id, turn, **body.model_dump()), _pushed)


def _pushed(now: Now) -> PushedApart:
    left = None if now.document is None else now.document["left"]
    return PushedApart(left=left, share=now.share, state=now.version and character_state(now.version))


@router.post("/keep")
def keep(bench: Bench, character_id: str, body: SculptKeep) -> CharacterState:
    """Turn the sculpt into a corrective shape, tied or not."""
    rule = body.trigger.model_dump(exclude_none=True) if body.trigger else None
    return character_state(kept_sculpt.keep(bench, character_id, body.name, rule, body.value))


@router.post("/drop")
def drop(bench: Bench, character_id: str) -> CharacterState:
    """Forget the sculpt; undo brings it back."""
    return character_state(session.drop(bench, character_id))
