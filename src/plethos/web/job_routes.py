"""Routes of long work; how far it has got is told by the live socket."""

from __future__ import annotations

from fastapi import APIRouter

from plethos.service.schemas.character import CharacterState
from plethos.service.schemas.live import JobMessage
from plethos.service.told.answers import job_message
from plethos.service.told.character_states import character_state
from plethos.web.context import AllJobs

router = APIRouter(prefix="/api/jobs", tags=["jobs"])


@router.get("/{job_id}")
def job(jobs: AllJobs, job_id: str) -> JobMessage:
    """How far it has got, or how it ended."""
    return job_message(jobs.find(job_id))


@router.delete("/{job_id}", status_code=204)
def cancel(jobs: AllJobs, job_id: str) -> None:
    """Stop it at its next step, or leave what it offers; then nothing changes."""
    jobs.list.cancel(job_id)


@router.post("/{job_id}/take")
def take(jobs: AllJobs, job_id: str) -> CharacterState:
    """Make the edit that it offers, on the character as it is now."""
    return character_state(jobs.take(job_id))
