"""Routes of Stress: where a character is worst."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends

from plethos.service.schemas.live import JobMessage
from plethos.service.schemas.stress import AcceptSpot, SweepAsked, SweepInfo
from plethos.service.stress.trouble import Trouble
from plethos.service.told.answers import job_message
from plethos.store.swept import SweptWays
from plethos.web.context import AllJobs, Bench

router = APIRouter(prefix="/api/characters/{character_id}/sweep", tags=["stress"])


def _trouble(bench: Bench, character_id: str) -> Trouble:
    return Trouble(bench.open(character_id).version, SweptWays(bench.store.transactions))


OwnTrouble = Annotated[Trouble, Depends(_trouble)]


@router.get("")
def trouble(own: OwnTrouble) -> SweepInfo:
    """What is known so far, also while it is being measured."""
    return own.told()


@router.post("", status_code=202)
def sweep(jobs: AllJobs, character_id: str, body: SweepAsked) -> JobMessage:
    """Have measured what was not, or what has changed since; a sweep of an older version is stopped."""
    return job_message(jobs.ask_anew("sweep", character_id, **body.model_dump()))


@router.put("/spots/{spot_id:path}/accepted", status_code=204)
def accept(own: OwnTrouble, spot_id: str, body: AcceptSpot) -> None:
    """Accept a spot as it is, with a reason."""
    own.accept(spot_id, body.reason)


@router.delete("/spots/{spot_id:path}/accepted", status_code=204)
def reopen(own: OwnTrouble, spot_id: str) -> None:
    """Accept it no more."""
    own.reopen(spot_id)
