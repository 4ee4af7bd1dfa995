"""How far each piece of long work has got: what its worker writes and whoever waits for it reads."""

from __future__ import annotations

import uuid
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import timedelta

from sqlalchemy import func, select, text, update
from sqlalchemy.orm import Session

from plethos.store.models import WorkRow
from plethos.store.transactions import Transactions

WAITING, RUNNING, DONE, CANCELLED, FAILED = "waiting", "running", "done", "cancelled", "failed"
UNDER_WAY = (WAITING, RUNNING)
# What Procrastinate still has to do for a piece of work.
ASKED = "select 1 from procrastinate_jobs where status in ('todo', 'doing') and args ->> 'work_id' = work.id"
WORK = "plethos_work"  # the channel on which steps of work are told, by the character they are on


@dataclass(frozen=True)
class Work:
    """One piece of work.

    Parameters
    ----------
    state
        One of the five above.
    share
        How much is done, 0 to 1.
    detail
        Why it failed, as a sentence.
    """

    id: str
    character_id: str
    kind: str
    state: str
    share: float
    detail: str | None


class WorkList:
    """The list of all work. Every method is one transaction."""

    def __init__(self, transactions: Transactions) -> None:
        self._session = transactions

    def ask(self, character_id: str, kind: str) -> Work:
        """Put a new piece of work on the list, waiting."""
        row = WorkRow(
            id=uuid.uuid4().hex[:12], character_id=character_id, kind=kind, state=WAITING, share=0.0, unwanted=False
        )
        with self._session.begin() as session:
            session.add(row)
            _tell(session, character_id)
            return _work(row)

    def find(self, work_id: str) -> Work | None:
        """A piece of work; None when it is not on the list (any more)."""
        with self._session() as session:
            row = session.get(WorkRow, work_id)
            return _work(row) if row is not None else None

    def under_way(self, character_id: str, kind: str) -> Work | None:
        """What of a kind is waiting or running for a character; the newest of several."""
        with self._session() as session:
            wanted = select(WorkRow).where(
                WorkRow.character_id == character_id, WorkRow.kind == kind, WorkRow.state.in_(UNDER_WAY)
            )
            row = session.scalars(wanted.order_by(WorkRow.asked_at.desc())).first()
            return _work(row) if row is not None else None

    def newest(self, character_id: str, followed: str | None = None) -> Work | None:
        """The piece of work with that id, else what is under way for a character, else the last that was."""
        with self._session() as session:
            if followed is not None and (row := session.get(WorkRow, followed)) is not None:
                return _work(row)
            own = select(WorkRow).where(WorkRow.character_id == character_id)
            row = session.scalars(own.order_by(WorkRow.state.in_(UNDER_WAY).desc(), WorkRow.asked_at.desc())).first()
            return _work(row) if row is not None else None

    def begin(self, work_id: str) -> bool:
        """Take a waiting piece of work; False when it is not wanted any more, or was taken."""
        with self._session.begin() as session:
            row = session.get(WorkRow, work_id, with_for_update=True)
            if row is None or row.state != WAITING:
                return False
            row.state, row.beat_at = CANCELLED if row.unwanted else RUNNING, func.now()
            _tell(session, row.character_id)
            return not row.unwanted

    def progress(self, work_id: str, share: float) -> bool:
        """Say how much is done; False when nobody wants the rest."""
        with self._session.begin() as session:
            own = update(WorkRow).where(WorkRow.id == work_id, WorkRow.state == RUNNING)
            told = own.values(share=share, beat_at=func.now())
            row = session.execute(told.returning(WorkRow.unwanted, WorkRow.character_id)).first()
            if row is not None:
                _tell(session, row.character_id)
            return row is not None and not row.unwanted

    def finish(self, work_id: str, state: str, detail: str | None = None) -> None:
        """Take it off the running ones."""
        with self._session.begin() as session:
            own = update(WorkRow).where(WorkRow.id == work_id, WorkRow.state.in_(UNDER_WAY))
            done = own.values(state=state, detail=detail)
            character_id = session.scalar(done.returning(WorkRow.character_id))
            if character_id is not None:
                _tell(session, character_id)

    def cancel(self, work_id: str) -> None:
        """Say that nobody wants it any more: what waits is dropped, what runs stops at its next step."""
        with self._session.begin() as session:
            row = session.get(WorkRow, work_id, with_for_update=True)
            if row is not None:
                row.unwanted = True
                if row.state == WAITING:
                    row.state = CANCELLED
                _tell(session, row.character_id)

    def beat(self, work_ids: Iterable[str]) -> None:
        """Say that someone is still at work on these."""
        with self._session.begin() as session:
            session.execute(update(WorkRow).where(WorkRow.id.in_(list(work_ids))).values(beat_at=func.now()))

    def give_up_lost(self, sentence: str, after: float) -> None:
        """What nobody has been heard of for so many seconds has failed: its worker is gone, or was never asked."""
        silent = func.now() - timedelta(seconds=after)
        with self._session.begin() as session:
            nobody = func.coalesce(WorkRow.beat_at, WorkRow.asked_at) < silent
            lost = (WorkRow.state == RUNNING) | ((WorkRow.state == WAITING) & text(f"not exists ({ASKED})"))
            given_up = update(WorkRow).where(nobody, lost).values(state=FAILED, detail=sentence)
            for character_id in session.scalars(given_up.returning(WorkRow.character_id)).all():
                _tell(session, character_id)


def _tell(session: Session, character_id: str) -> None:
    """Let whoever listens know, once this transaction is through."""
    session.execute(text("select pg_notify(:channel, :who)"), {"channel": WORK, "who": character_id})


def _work(row: WorkRow) -> Work:
    return Work(row.id, row.character_id, row.kind, row.state, row.share, row.detail)
