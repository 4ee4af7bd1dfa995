"""Routes of long work; how far it has got is told by the live socket."""

from __future__ import annotations

from fastapi import APIRouter

from plethos.web.context import AllJobs

router = APIRouter(prefix="/api/jobs", tags=["jobs"])


@router.delete("/{job_id}", status_code=204)
def cancel(jobs: AllJobs, job_id: str) -> None:
    """Stop it at its next step; then nothing changes."""
    jobs.list.cancel(job_id)
