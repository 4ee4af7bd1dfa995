"""Routes of a character's past: its steps, states with a name, and fewer steps on request."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Request, Response
from fastapi.concurrency import run_in_threadpool

from plethos.service.library.past import Past, PastOfCharacter
from plethos.service.schemas.character import CharacterState
from plethos.service.schemas.past import NamedState, NameState, PastInfo, PastStep, Thinned, ThinPast
from plethos.service.told.character_states import character_state
from plethos.web.answered import PICTURE, kept_picture
from plethos.web.context import Bench

router = APIRouter(prefix="/api/characters/{character_id}/past", tags=["past"])


def _past(bench: Bench, character_id: str) -> PastOfCharacter:
    return PastOfCharacter(bench, bench.open(character_id))


OwnPast = Annotated[PastOfCharacter, Depends(_past)]


@router.get("")
def past(own: OwnPast) -> PastInfo:
    """The newest steps, and the states that have a name with what is different now."""
    return _info(own.told())


@router.post("/named", status_code=201)
def name_state(own: OwnPast, body: NameState) -> PastInfo:
    """Give the present state a name: it is kept, however the steps are thinned."""
    own.name(body.name)
    return _info(own.told())


@router.delete("/named/{named_id}")
def unname_state(own: OwnPast, named_id: str) -> PastInfo:
    """Take a name away; the step stays."""
    own.unname(named_id)
    return _info(own.told())


@router.get("/named/{named_id}/picture", response_class=Response)
def picture_of_state(own: OwnPast, named_id: str) -> Response:
    """What the character looked like."""
    return kept_picture(own.picture(named_id))


@router.put("/named/{named_id}/picture", status_code=204, openapi_extra={"requestBody": PICTURE})
async def set_picture_of_state(own: OwnPast, request: Request, named_id: str) -> None:
    """Keep a picture of that state, a PNG or WebP."""
    await run_in_threadpool(own.set_picture, named_id, await request.body())


@router.post("/named/{named_id}/back")
def go_back(own: OwnPast, named_id: str) -> CharacterState:
    """Be as it was then: a step that can be undone."""
    return character_state(own.go_back(named_id))


@router.post("/thin")
def thin(own: OwnPast, body: ThinPast) -> Thinned:
    """Forget all steps but the newest, the first, and those that have a name."""
    return Thinned(gone=own.thin(body.keep))


def _info(past: Past) -> PastInfo:
    return PastInfo(
        steps=past.steps,
        newest=[PastStep(label=s.label, made_at=s.made_at) for s in past.newest],
        named=[
            NamedState(
                id=n.id, name=n.name, picture=n.picture is not None, label=n.step.label, made_at=n.step.made_at,
                changed=changed,
            )
            for n, changed in past.named
        ],
    )  # fmt: skip
