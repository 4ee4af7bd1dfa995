"""Tickets: what Procrastinate hands to workers. Each says no more than which piece of work there is to take up."""

from __future__ import annotations

from collections.abc import Sequence

from procrastinate import SyncPsycopgConnector
from procrastinate.jobs import Job
from procrastinate.manager import JobManager
from sqlalchemy import text
from sqlalchemy.orm import Session

TICKET = "work"  # the task's name
QUEUE = "work"
_manager = JobManager(SyncPsycopgConnector())  # never opened: tickets go through the transaction of what they are for


def hand_out(session: Session, work_ids: Sequence[str]) -> None:
    """Have workers told of pieces of work, once this transaction is through.

    A ticket more than is needed does no harm: a piece is taken up once.
    """
    if work_ids:
        one = {"id": None, "lock": None, "queueing_lock": None, "queue": QUEUE, "task_name": TICKET}
        jobs = [Job(**one, task_kwargs={"work_id": work_id}) for work_id in work_ids]  # type: ignore[arg-type]
        _manager.batch_defer_jobs(jobs, session.connection().connection.driver_connection)


def sweep_tickets(session: Session) -> None:
    """Delete the tickets of workers that are gone, and what is left of those that were used."""
    session.execute(
        text(
            "delete from procrastinate_jobs where status not in ('todo', 'doing') or (status = 'doing' and not exists ("
            "select 1 from procrastinate_workers w where w.id = worker_id and last_heartbeat > now() - interval '2 min'"
            "))"
        )
    )
