"""The line of a character's revisions: what was done, states that have a name, and fewer steps on request."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from plethos.store.blob_table import put_blobs
from plethos.store.blobs import digest
from plethos.store.models import CharacterRow, NamedRevisionRow, RevisionRow
from plethos.store.repository import locked
from plethos.store.revision import Missing
from plethos.store.sweep import BATCH, held
from plethos.store.transactions import Transactions


@dataclass(frozen=True)
class Step:
    """One revision in the line."""

    revision_id: str
    number: int
    label: str
    made_at: datetime


@dataclass(frozen=True)
class Named:
    """A state that was given a name.

    Parameters
    ----------
    document
        What the character was.
    picture
        The hash of its picture; None = nobody had drawn the character yet.
    """

    id: str
    name: str
    picture: str | None
    step: Step
    document: dict[str, Any]


# A list of steps needs none of their documents.
STEP = (RevisionRow.id, RevisionRow.number, RevisionRow.label, RevisionRow.created_at)
NAMED = select(NamedRevisionRow, RevisionRow).join(RevisionRow, RevisionRow.id == NamedRevisionRow.revision_id)


class History:
    """Reads and thins the line of revisions. Every method is one transaction, but `thin`."""

    def __init__(self, transactions: Transactions) -> None:
        self._session = transactions

    def newest(self, character_id: str, most: int) -> tuple[int, list[Step]]:
        """How many steps there are, and the newest of them that lead to the present state, newest first."""
        with self._session() as session:
            number = _head(session, character_id).number
            line = _line(character_id) & (RevisionRow.number <= number)
            count = session.scalar(select(func.count()).where(line)) or 0
            rows = select(*STEP).where(line).order_by(RevisionRow.number.desc()).limit(most)
            return count, [Step(*row) for row in session.execute(rows)]

    def named(self, character_id: str) -> list[Named]:
        """States that have a name, newest first."""
        with self._session() as session:
            own = NAMED.where(NamedRevisionRow.character_id == character_id)
            rows = session.execute(own.order_by(NamedRevisionRow.created_at.desc()))
            return [_told(*row) for row in rows]

    def one(self, character_id: str, named_id: str) -> Named:
        """One of them."""
        with self._session() as session:
            own = (NamedRevisionRow.character_id == character_id) & (NamedRevisionRow.id == named_id)
            row = session.execute(NAMED.where(own)).first()
            if row is None:
                raise _missing(character_id, named_id)
            return _told(*row)

    def name(self, character_id: str, name: str) -> str:
        """Give the present state a name, with the picture that there is of it; its id."""
        with self._session.begin() as session:
            row = locked(session, character_id)
            own = NamedRevisionRow(
                id=uuid.uuid4().hex[:12], character_id=character_id, revision_id=row.head_id, name=name,
                picture_hash=row.picture_hash,
            )  # fmt: skip
            session.add(own)
            return own.id

    def set_picture(self, character_id: str, named_id: str, data: bytes) -> None:
        """Keep a picture of a state that has a name."""
        with self._session.begin() as session:
            row, hash_ = _named(session, character_id, named_id), digest(data)
            put_blobs(session, {hash_: data})
            session.flush()
            row.picture_hash = hash_

    def unname(self, character_id: str, named_id: str) -> None:
        """Take a name away; the state stays in the line."""
        with self._session.begin() as session:
            session.delete(_named(session, character_id, named_id))

    def thin(self, character_id: str, keep: int) -> int:
        """Forget all but the newest steps that lead to the present state, the first, and those with a name.

        Returns
        -------
        int
            How many went, in small transactions.
        """
        gone = 0
        while True:
            with self._session.begin() as session:
                locked(session, character_id)
                number = _head(session, character_id).number
                old = select(RevisionRow.id).where(
                    RevisionRow.character_id == character_id,
                    RevisionRow.number > 0,
                    (RevisionRow.number <= number - keep) | RevisionRow.overwritten.is_(True),
                    RevisionRow.id.not_in(held()),
                )
                went = delete(RevisionRow).where(RevisionRow.id.in_(old.limit(BATCH))).returning(RevisionRow.id)
                now = len(session.scalars(went).all())
            gone += now
            if now < BATCH:
                return gone


def _line(character_id: str) -> Any:
    return (RevisionRow.character_id == character_id) & RevisionRow.overwritten.is_(False)


def _head(session: Session, character_id: str) -> RevisionRow:
    row = session.get(CharacterRow, character_id)
    if row is None or row.removed_at is not None:
        raise Missing(f"character {character_id}")
    return session.get_one(RevisionRow, row.head_id)


def _named(session: Session, character_id: str, named_id: str) -> NamedRevisionRow:
    row = session.get(NamedRevisionRow, named_id)
    if row is None or row.character_id != character_id:
        raise _missing(character_id, named_id)
    return row


def _told(named: NamedRevisionRow, revision: RevisionRow) -> Named:
    step = Step(revision.id, revision.number, revision.label, revision.created_at)
    return Named(named.id, named.name, named.picture_hash, step, revision.document)


def _missing(character_id: str, named_id: str) -> Missing:
    return Missing(f"named revision {named_id} of {character_id}")
