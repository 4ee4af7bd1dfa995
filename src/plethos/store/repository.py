"""Reading and writing characters, revisions and blobs."""

from __future__ import annotations

import uuid
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Engine, create_engine, delete, func, select, text
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, sessionmaker

from plethos.store.blobs import digest, squeeze, unsqueeze
from plethos.store.models import Blob, CharacterRow, RevisionRow


@dataclass(frozen=True)
class Revision:
    """One state of a character.

    Parameters
    ----------
    number, last
        Its own number, and the highest there is to redo to.
    label
        What the edit that led here was.
    """

    character_id: str
    name: str
    number: int
    last: int
    label: str
    document: dict[str, Any]
    file_hash: str
    demo: bool
    saved_at: datetime


class Missing(Exception):  # noqa: N818
    """There is no such character, revision or blob."""


class Overtaken(Exception):  # noqa: N818
    """The character was edited by someone else since."""


class Store:
    """The database. Every method is one transaction."""

    def __init__(self, url: str) -> None:
        self.engine: Engine = create_engine(url, pool_pre_ping=True, pool_size=5)
        self._session = sessionmaker(self.engine, expire_on_commit=False)

    def close(self) -> None:
        self.engine.dispose()

    def ping(self) -> None:
        """Raise when the database cannot be reached."""
        with self.engine.connect() as connection:
            connection.execute(text("select 1"))

    def add_character(
        self, name: str, file: bytes, document: dict[str, Any], blobs: Iterable[bytes], demo: bool = False
    ) -> str:
        """A new character with its first revision; returns its id."""
        character_id = uuid.uuid4().hex[:12]
        with self._session.begin() as session:
            file_hash = _put(session, file)
            for data in blobs:
                _put(session, data)
            session.add(CharacterRow(id=character_id, name=name, file_hash=file_hash, demo=demo))
            session.flush()
            session.add(RevisionRow(character_id=character_id, number=0, label="Brought in", document=document))
        return character_id

    def characters(self, removed: bool = False) -> list[Revision]:
        """The current revision of every character, newest change first; or of those that were removed."""
        with self._session() as session:
            rows = session.execute(
                select(CharacterRow, RevisionRow)
                .join(
                    RevisionRow,
                    (RevisionRow.character_id == CharacterRow.id) & (RevisionRow.number == CharacterRow.head),
                )
                .where(CharacterRow.removed_at.is_not(None) if removed else CharacterRow.removed_at.is_(None))
                .order_by(CharacterRow.changed_at.desc())
            ).all()
            return [self._revision(session, c, r) for c, r in rows]

    def current(self, character_id: str) -> Revision:
        """The revision that the character's head points to."""
        with self._session() as session:
            return self._current(session, character_id)

    def append(
        self, character_id: str, label: str, document: dict[str, Any], blobs: Iterable[bytes], after: int | None = None
    ) -> Revision:
        """Store an edit: its blobs, its revision and the new head, or nothing. What could be redone is forgotten.

        Parameters
        ----------
        after
            The revision that the edit was made of. When it is not the head any more, another process has edited the
            character meanwhile, and `Overtaken` is raised.
        """
        with self._session.begin() as session:
            row = _locked(session, character_id)
            if after is not None and row.head != after:
                raise Overtaken(f"character {character_id} is at {row.head}, not {after}")
            for data in blobs:
                _put(session, data)
            session.execute(
                delete(RevisionRow).where(RevisionRow.character_id == character_id, RevisionRow.number > row.head)
            )
            row.head += 1
            row.changed_at = func.now()
            session.add(RevisionRow(character_id=character_id, number=row.head, label=label[:200], document=document))
            session.flush()
            return self._current(session, character_id)

    def step(self, character_id: str, by: int) -> Revision:
        """Undo (-1) or redo (+1); at either end nothing changes."""
        with self._session.begin() as session:
            row = _locked(session, character_id)
            target = row.head + by
            if session.get(RevisionRow, (character_id, target)) is not None:
                row.head = target
                row.changed_at = func.now()
                session.flush()
            return self._current(session, character_id)

    def rename(self, character_id: str, name: str) -> None:
        with self._session.begin() as session:
            _locked(session, character_id).name = name

    def remove(self, character_id: str) -> None:
        """Take a character out of the library, with its history; `restore` brings both back."""
        with self._session.begin() as session:
            _locked(session, character_id).removed_at = func.now()

    def restore(self, character_id: str) -> Revision:
        """Bring a removed character back as it was."""
        with self._session.begin() as session:
            _locked(session, character_id, removed=True).removed_at = None
            session.flush()
            return self._current(session, character_id)

    def erase(self, character_id: str) -> None:
        """Delete a removed character for good; blobs that nothing names any more stay until `sweep_blobs`."""
        with self._session.begin() as session:
            session.delete(_locked(session, character_id, removed=True))

    def blob(self, hash_: str) -> bytes:
        """The bytes under a hash."""
        with self._session() as session:
            row = session.get(Blob, hash_)
            if row is None:
                raise Missing(f"blob {hash_}")
            return unsqueeze(row.data)

    def sweep_blobs(self) -> int:
        """Delete blobs that no character and no revision names; returns how many."""
        with self._session.begin() as session:
            used = set(session.scalars(select(CharacterRow.file_hash)))
            for document in session.scalars(select(RevisionRow.document)):
                used |= _hashes(document)
            unused = [h for h in session.scalars(select(Blob.hash)) if h not in used]
            session.execute(delete(Blob).where(Blob.hash.in_(unused)))
            return len(unused)

    def _current(self, session: Session, character_id: str) -> Revision:
        row = session.get(CharacterRow, character_id, populate_existing=True)
        if row is None or row.removed_at is not None:
            raise Missing(f"character {character_id}")
        revision = session.get(RevisionRow, (character_id, row.head))
        if revision is None:
            raise Missing(f"revision {row.head} of {character_id}")
        return self._revision(session, row, revision)

    def _revision(self, session: Session, row: CharacterRow, revision: RevisionRow) -> Revision:
        last = session.scalar(select(func.max(RevisionRow.number)).where(RevisionRow.character_id == row.id))
        return Revision(
            row.id, row.name, revision.number, int(last or 0), revision.label, revision.document,
            row.file_hash, row.demo, row.changed_at,
        )  # fmt: skip


def _hashes(value: Any) -> set[str]:
    """All strings in a document that look like a blob's hash."""
    if isinstance(value, dict):
        return set().union(*(_hashes(v) for v in value.values())) if value else set()
    if isinstance(value, list):
        return set().union(*(_hashes(v) for v in value)) if value else set()
    return {value} if isinstance(value, str) and len(value) == 64 else set()


def _put(session: Session, data: bytes) -> str:
    name = digest(data)
    if session.get(Blob, name) is None:
        row = insert(Blob).values(hash=name, size=len(data), data=squeeze(data)).on_conflict_do_nothing()
        session.execute(row)
    return name


def _locked(session: Session, character_id: str, removed: bool = False) -> CharacterRow:
    row = session.get(CharacterRow, character_id, with_for_update=True)
    if row is None or (row.removed_at is not None) != removed:
        raise Missing(f"character {character_id}")
    return row
