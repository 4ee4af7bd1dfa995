"""Routes of long work; how far it has got is told by the live socket."""

from __future__ import annotations

from fastapi import APIRouter

from plethos.service.library.open_character import NotThereError
from plethos.service.schemas.live import JobMessage
from plethos.service.told.answers import job_message
from plethos.web.context import AllJobs

router = APIRouter(prefix="/api/jobs", tags=["jobs"])


@router.get("/{job_id}")
def job(jobs: AllJobs, job_id: str) -> JobMessage:
    """How far it has got, or how it ended."""
    work = jobs.list.find(job_id)
    if work is None:
        raise NotThereError("That work is not on the list any more.")
    return job_message(work)


@router.delete("/{job_id}", status_code=204)
def cancel(jobs: AllJobs, job_id: str) -> None:
    """Stop it at its next step; then nothing changes."""
    jobs.list.cancel(job_id)
