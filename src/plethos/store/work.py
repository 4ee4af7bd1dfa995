"""Long work: who asked for what, how far it has got, and what it came to. Who does it: see `owned_work`.

A piece of work may have parts, which are pieces of their own with a parent.
"""

from __future__ import annotations

import math
import uuid
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import timedelta
from typing import Any

from sqlalchemy import exists, func, select, text
from sqlalchemy.orm import Session, aliased

from plethos.store.models import ReportRow, WorkRow
from plethos.store.tickets import hand_out
from plethos.store.transactions import Transactions

WAITING, RUNNING, PARTED = "waiting", "running", "parted"
DONE, OFFERED, CANCELLED, FAILED = "done", "offered", "cancelled", "failed"
UNDER_WAY = (WAITING, RUNNING, PARTED)
WORK = "plethos_work"  # the channel on which steps of work are told, by the character they are on
ASKING = 5731  # the advisory lock of whoever asks


@dataclass(frozen=True)
class Work:
    """One piece of work.

    Parameters
    ----------
    arguments
        What it was asked with; a part's own.
    revision_id
        The revision of the character that it is of.
    page
        Who asked; None = a program.
    parent_id, part
        What it is a part of, and which.
    state
        *waiting*, *running*, *parted* (its parts are under way), or how it ended: *done*, *offered* (what it came to
        may be taken), *cancelled*, *failed*.
    share
        How much is done, 0 to 1.
    detail
        Why it failed, or is only offered, as a sentence.
    """

    id: str
    character_id: str
    kind: str
    arguments: dict[str, Any]
    revision_id: str | None
    page: str | None
    parent_id: str | None
    part: int
    state: str
    share: float
    detail: str | None

    @property
    def is_under_way(self) -> bool:
        """Whether it has not ended."""
        return self.state in UNDER_WAY


class TooMuchError(Exception):
    """As much as may be is under way already."""


class DisownedError(Exception):
    """The piece of work is another's by now, or has ended: what was worked out is not wanted from here."""


class WorkList:
    """The list of all work. Every method is one transaction."""

    def __init__(self, transactions: Transactions) -> None:
        self._session = transactions

    def ask(
        self,
        character_id: str,
        kind: str,
        arguments: Mapping[str, Any] | None = None,
        revision_id: str | None = None,
        page: str | None = None,
        most_of_page: float = math.inf,
        most: float = math.inf,
    ) -> Work:
        """Put a new piece of work on the list, waiting, and tell the workers.

        What is under way with the same arguments, of the same revision, is given instead.

        Raises
        ------
        TooMuchError
            When that many are under way already.
        """
        asked, under_way = dict(arguments or {}), WorkRow.state.in_(UNDER_WAY) & WorkRow.parent_id.is_(None)
        with self._session.begin() as session:
            # One asks after the other, or two would both find that there is nothing yet.
            session.execute(text("select pg_advisory_xact_lock(:asking)"), {"asking": ASKING})
            there = session.scalars(select(WorkRow).where(under_way)).all()
            for one in there:
                alike = (one.character_id, one.kind, one.revision_id) == (character_id, kind, revision_id)
                if alike and one.arguments == asked and not one.unwanted:
                    return _work(one)
            of_page = sum(one.page == page for one in there) if page is not None else 0
            if len(there) >= most or of_page >= most_of_page:
                raise TooMuchError
            row = WorkRow(character_id=character_id, kind=kind, arguments=asked, revision_id=revision_id, page=page)
            put_on(session, [row])
            return _work(row)

    def find(self, work_id: str) -> Work | None:
        """A piece of work; None when it is not on the list (any more)."""
        return next(iter(self._found(select(WorkRow).where(WorkRow.id == work_id))), None)

    def under_way(self, page: str) -> list[Work]:
        """What a page has asked for and waits or runs, no parts."""
        return self._found(
            select(WorkRow).where(WorkRow.page == page, WorkRow.parent_id.is_(None), WorkRow.state.in_(UNDER_WAY))
        )

    def of_character(self, character_id: str, followed: Iterable[str] = ()) -> list[Work]:
        """What is under way or offered on a character, oldest first, and those pieces that somebody follows."""
        own = (WorkRow.character_id == character_id) & WorkRow.parent_id.is_(None)
        shown = WorkRow.state.in_((*UNDER_WAY, OFFERED)) | WorkRow.id.in_(list(followed))
        return self._found(select(WorkRow).where(own & shown).order_by(WorkRow.asked_at, WorkRow.id))

    def parts(self, work_id: str) -> list[Work]:
        """The parts of a piece of work, in their order; none when it is whole."""
        return self._found(select(WorkRow).where(WorkRow.parent_id == work_id).order_by(WorkRow.part))

    def settling(self, work_id: str) -> Callable[[Session], None]:
        """What ends an offer as done in the transaction that stores the edit: it is taken once.

        In that, `DisownedError` is raised when it is not offered (any more).
        """

        def settle(session: Session) -> None:
            row = session.get(WorkRow, work_id, with_for_update=True)
            if row is None or row.state != OFFERED:
                raise DisownedError
            row.state, row.share = DONE, 1.0
            tell(session, row.character_id)

        return settle

    def cancel(self, work_id: str) -> None:
        """Say that nobody wants it any more, parts and all: what waits is dropped, what runs stops at its next step."""
        with self._session.begin() as session:
            row = session.get(WorkRow, work_id, with_for_update=True)
            if row is not None:
                row.unwanted = True
                if row.state in (WAITING, PARTED, OFFERED):
                    row.state = CANCELLED
                tell(session, row.character_id)

    def is_worked_on(self, lapsed: float) -> bool:
        """Whether anybody has a piece in hand, and has given a sign of life in the last so many seconds."""
        recent = WorkRow.beat_at > func.now() - timedelta(seconds=lapsed)
        with self._session() as session:
            return bool(session.scalar(select(exists().where(WorkRow.state == RUNNING, recent))))

    def withdraw(self, work_id: str) -> bool:
        """Take a piece off the list that nobody has taken up; False when somebody has."""
        with self._session.begin() as session:
            row = session.get(WorkRow, work_id, with_for_update=True)
            if row is None or row.state != WAITING:
                return False
            row.state = CANCELLED
            tell(session, row.character_id)
            return True

    def report(self, work_id: str) -> dict[str, Any] | None:
        """What a piece came to, or has come to so far; None when there is nothing (yet, or any more)."""
        with self._session() as session:
            return session.scalar(select(ReportRow.document).where(ReportRow.work_id == work_id))

    def _found(self, wanted: Any) -> list[Work]:
        part = aliased(WorkRow)
        of_parts = select(func.avg(part.share)).where(part.parent_id == WorkRow.id).scalar_subquery()
        with self._session() as session:
            found = [(_work(row), mean) for row, mean in session.execute(wanted.add_columns(of_parts))]
        return [replace(work, share=mean) if work.state == PARTED else work for work, mean in found]


def put_on(session: Session, rows: Sequence[WorkRow]) -> None:
    """Put pieces of work on one character on the list, waiting, and tell the workers."""
    for row in rows:
        row.id, row.state = uuid.uuid4().hex[:12], WAITING
    session.add_all(rows)
    session.flush()
    hand_out(session, [row.id for row in rows])
    tell(session, rows[0].character_id)


def tell(session: Session, character_id: str) -> None:
    """Let whoever listens know, once this transaction is through."""
    session.execute(text("select pg_notify(:channel, :who)"), {"channel": WORK, "who": character_id})


def _work(row: WorkRow) -> Work:
    return Work(
        row.id, row.character_id, row.kind, row.arguments, row.revision_id, row.page, row.parent_id, row.part,
        row.state, row.share, row.detail,
    )  # fmt: skip
