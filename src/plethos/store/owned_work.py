"""Whose a piece of long work is, while it is done.

Whoever takes one up owns it until it is done, or until nothing was heard of them for a while by the clock of the
database: then another may take it up, and what the former owner still brings is refused. What a piece comes to is
stored in the very transaction that ends it.

Rows are locked from the part to the whole, never back: a part finds out by itself that the whole is not wanted.
"""

from __future__ import annotations

import uuid
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any

from sqlalchemy import delete, func, select, text, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from plethos.store.blob_table import put_blobs
from plethos.store.blobs import hashes_of, keys_of
from plethos.store.models import ReportRow, WorkRow
from plethos.store.tickets import hand_out
from plethos.store.transactions import Transactions
from plethos.store.work import CANCELLED, DONE, FAILED, PARTED, RUNNING, WAITING, DisownedError, put_on, tell

OWNED = (WAITING, RUNNING)  # one that lapsed waits, and is still its owner's until another takes it up
MOST_ATTEMPTS = 3  # owners that are lost over one piece
TICKETS = "select 1 from procrastinate_jobs where status = 'todo' and args ->> 'work_id' = work.id"
LATE = 5.0  # seconds that a waiting piece is left alone before its ticket is looked for


@dataclass(frozen=True)
class Report:
    """What a piece of work came to.

    Parameters
    ----------
    document
        Plain data; arrays stand in it as hashes of blobs.
    blobs
        Those that may not be stored yet.
    """

    document: dict[str, Any]
    blobs: Mapping[str, bytes] = field(default_factory=dict)


class OwnedWork:
    """The list of all work, as those see it who do it. Every method is one transaction."""

    def __init__(self, transactions: Transactions) -> None:
        self._session = transactions

    def take(self, work_id: str) -> str | None:
        """Take up a piece that waits, and own it; what its owner is known by, None when it is not to be had."""
        with self._session.begin() as session:
            row = session.get(WorkRow, work_id, with_for_update=True)
            if row is None or row.state != WAITING:
                return None
            wanted = _is_wanted(session, row)
            row.state, row.owner, row.beat_at = RUNNING if wanted else CANCELLED, uuid.uuid4().hex, func.now()
            tell(session, row.character_id)
            return row.owner if wanted else None

    def progress(self, work_id: str, owner: str, share: float, so_far: Report | None = None) -> bool:
        """Say how much is done, and what came of it so far; False when nobody wants the rest.

        Raises
        ------
        DisownedError
            When it is another's by now.
        """
        with self._session.begin() as session:
            row = _owned(session, work_id, owner)
            row.share, row.state, row.beat_at = share, RUNNING, func.now()
            if so_far is not None:
                _keep(session, work_id, so_far)
            tell(session, row.character_id)
            return _is_wanted(session, row)

    def part(self, work_id: str, owner: str, parts: Sequence[Mapping[str, Any]]) -> None:
        """Put the parts of a piece on the list, each with arguments; once all are done it waits to be taken up again.

        Raises
        ------
        DisownedError
            When it is another's by now.
        """
        with self._session.begin() as session:
            row = _owned(session, work_id, owner)
            row.state, row.owner = PARTED, None
            own = [
                WorkRow(
                    character_id=row.character_id, kind=row.kind, arguments=dict(part), revision_id=row.revision_id,
                    page=row.page, parent_id=row.id, part=number,
                )
                for number, part in enumerate(parts)
            ]  # fmt: skip
            put_on(session, own)

    def finish(
        self, work_id: str, owner: str, state: str, detail: str | None = None, report: Report | None = None
    ) -> None:
        """End a piece, with what it came to: both or nothing.

        Raises
        ------
        DisownedError
            When it is another's by now: then nothing is stored.
        """
        with self._session.begin() as session:
            end(session, work_id, owner, state, detail, report)

    def ending(self, work_id: str, owner: str) -> Callable[[Session], None]:
        """What ends a piece as done in the transaction that stores the edit which it came to."""
        return lambda session: end(session, work_id, owner, DONE)

    def release(self, owners: Iterable[str]) -> None:
        """Let others take up what these own, at once: they are about to stop."""
        with self._session.begin() as session:
            own = update(WorkRow).where(WorkRow.owner.in_(list(owners)), WorkRow.state.in_(OWNED))
            left = own.values(state=WAITING, owner=None).returning(WorkRow.id)
            hand_out(session, session.scalars(left).all())

    def reports_of_parts(self, work_id: str) -> list[dict[str, Any]]:
        """What the parts that are done came to, in their order."""
        with self._session() as session:
            own = select(ReportRow.document).join(WorkRow, WorkRow.id == ReportRow.work_id)
            return list(session.scalars(own.where(WorkRow.parent_id == work_id).order_by(WorkRow.part)))

    def beat(self, owners: Iterable[str]) -> set[str]:
        """Say that these owners are still at work; which of them own what they are at."""
        with self._session.begin() as session:
            own = update(WorkRow).where(WorkRow.owner.in_(list(owners)), WorkRow.state.in_(OWNED))
            told = own.values(beat_at=func.now(), state=RUNNING)
            return {o for o in session.scalars(told.returning(WorkRow.owner)) if o is not None}

    def lapse(self, after: float, sentence: str) -> None:
        """Let others take up what nobody has been heard of for so many seconds.

        Its owner, if there is one yet, keeps it until somebody does. What costs one owner after the other has failed.

        Parameters
        ----------
        sentence
            Why that failed.
        """
        with self._session.begin() as session:
            silent = WorkRow.beat_at < func.now() - timedelta(seconds=after)
            lost = select(WorkRow).where(WorkRow.state == RUNNING, silent).with_for_update(skip_locked=True)
            for row in session.scalars(lost).all():
                row.attempts += 1
                if row.attempts >= MOST_ATTEMPTS:
                    end(session, row.id, row.owner or "", FAILED, sentence)
                    continue
                row.state = WAITING
                hand_out(session, [row.id])
                tell(session, row.character_id)

    def repair(self) -> None:
        """Hand out anew what waits and has lost its ticket, over a worker that died before it took it up."""
        waits = select(WorkRow.id).where(WorkRow.state == WAITING)
        late = func.coalesce(WorkRow.beat_at, WorkRow.asked_at) < func.now() - timedelta(seconds=LATE)
        with self._session.begin() as session:
            hand_out(session, session.scalars(waits.where(late, text(f"not exists ({TICKETS})"))).all())


def end(
    session: Session,
    work_id: str,
    owner: str,
    state: str,
    detail: str | None = None,
    report: Report | None = None,
) -> None:
    """End a piece in a transaction that also stores what it came to: only its owner may.

    Raises
    ------
    DisownedError
        When it is another's by now.
    """
    row = _owned(session, work_id, owner)
    row.state, row.detail = state, detail
    row.share = 1.0 if state == DONE else row.share
    if report is not None:
        _keep(session, work_id, report)
    tell(session, row.character_id)
    session.flush()
    if row.parent_id is None:
        # What its parts came to has been put together: it is of no use by itself.
        parts = select(WorkRow.id).where(WorkRow.parent_id == work_id)
        session.execute(delete(ReportRow).where(ReportRow.work_id.in_(parts)))
    else:
        _end_of_part(session, row.parent_id, state, detail)


def _keep(session: Session, work_id: str, report: Report) -> None:
    """Put what a piece has come to in place of what it had come to before."""
    put_blobs(session, report.blobs)
    held = {"document": report.document, "names": keys_of(hashes_of(report.document))}
    own = insert(ReportRow).values(work_id=work_id, **held)
    session.execute(own.on_conflict_do_update(index_elements=[ReportRow.work_id], set_=held))


def _end_of_part(session: Session, parent_id: str, state: str, detail: str | None) -> None:
    """The last part that is done wakes the whole; one that failed ends it."""
    parent = session.get(WorkRow, parent_id, with_for_update=True)
    if parent is None or parent.state != PARTED:
        return
    if state != DONE:
        parent.state, parent.detail = state, detail
        return
    left = select(func.count()).where(WorkRow.parent_id == parent_id, WorkRow.state != DONE)
    if not session.scalar(left):
        parent.state = WAITING
        session.flush()
        hand_out(session, [parent_id])


def _is_wanted(session: Session, row: WorkRow) -> bool:
    if row.parent_id is None:
        return not row.unwanted
    return session.scalar(select(WorkRow.state).where(WorkRow.id == row.parent_id)) == PARTED


def _owned(session: Session, work_id: str, owner: str) -> WorkRow:
    row = session.get(WorkRow, work_id, with_for_update=True, populate_existing=True)
    if row is None or row.owner != owner or row.state not in OWNED:
        raise DisownedError
    return row
