"""Reading and writing characters, revisions and blobs."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Iterable, Mapping
from typing import Any

import psycopg
from sqlalchemy import Engine, create_engine, event, func, select, text, update
from sqlalchemy.orm import Session

from plethos.store.blob_table import Like, put_blobs, read_blobs
from plethos.store.blobs import digest, hashes_of, keys_of
from plethos.store.models import CharacterRow, RevisionRow
from plethos.store.revision import Missing, Overtaken, Revision, Unkept
from plethos.store.transactions import AWAY, Transactions

SUSPENDED = 10_000  # milliseconds
CHANGES = "plethos_changes"  # the channel on which changed characters are told


class Store:
    """The database. Every method is one transaction; while the database is away it is waited for, for a while.

    Parameters
    ----------
    connections
        How many are kept.
    """

    def __init__(self, url: str, connections: int = 5) -> None:
        # Whoever is suspended in the middle of a transaction holds nobody up for long.
        bounds = {"options": f"-c idle_in_transaction_session_timeout={SUSPENDED}"}
        self.engine: Engine = create_engine(
            url, pool_pre_ping=True, pool_size=connections, max_overflow=15, connect_args=bounds
        )
        event.listen(self.engine, "before_cursor_execute", _in_binary)
        self.transactions = Transactions(self.engine)

    def give_up(self) -> None:
        """Wait for the database no more: the process is about to stop."""
        self.transactions.patience = 0.0

    def close(self) -> None:
        self.engine.dispose()

    def ping(self) -> None:
        """Raise when the database cannot be reached."""
        with self.engine.connect() as connection:
            connection.execute(text("select 1"))

    def add_character(
        self, name: str, file: bytes, document: dict[str, Any], blobs: Mapping[str, bytes], demo: bool = False
    ) -> str:
        """A new character with its first revision; returns its id."""
        character_id = uuid.uuid4().hex[:12]
        with self.transactions.begin() as session:
            file_hash, first = digest(file), _new_id()
            put_blobs(session, {**blobs, file_hash: file})
            row = CharacterRow(id=character_id, name=name, file_hash=file_hash, demo=demo, head_id=first)
            session.add(row)
            session.flush()
            session.add(
                RevisionRow(
                    id=first, character_id=character_id, number=0, label="Brought in", document=document,
                    names=keys_of(hashes_of(document)),
                )
            )  # fmt: skip
        return character_id

    def characters(self, removed: bool = False) -> list[Revision]:
        """The current revision of every character, newest change first; or of those that were removed."""
        with self.transactions() as session:
            rows = session.execute(
                select(CharacterRow, RevisionRow)
                .join(
                    RevisionRow,
                    RevisionRow.id == CharacterRow.head_id,
                )
                .where(CharacterRow.removed_at.is_not(None) if removed else CharacterRow.removed_at.is_(None))
                .order_by(CharacterRow.changed_at.desc())
            ).all()
            return [self._revision(session, c, r) for c, r in rows]

    def current(self, character_id: str) -> Revision:
        """The revision that the character's head points to."""
        with self.transactions() as session:
            return self._current(session, character_id)

    def revision(self, character_id: str, revision_id: str) -> Revision:
        """A revision of a character, whether it is the current one or not."""
        with self.transactions() as session:
            row, revision = session.get(CharacterRow, character_id), session.get(RevisionRow, revision_id)
            if row is None or row.removed_at is not None or revision is None or revision.character_id != row.id:
                raise Missing(f"revision {revision_id} of {character_id}")
            return self._revision(session, row, revision)

    def head(self, character_id: str) -> tuple[str | None, str]:
        """The id of the revision that a character is at, and its name; None when it is not in the library."""
        with self.transactions() as session:
            own = select(CharacterRow.head_id, CharacterRow.name).where(
                CharacterRow.id == character_id, CharacterRow.removed_at.is_(None)
            )
            found = session.execute(own).first()
            return (None, "") if found is None else (found.head_id, found.name)

    def append(
        self,
        character_id: str,
        label: str,
        document: dict[str, Any],
        blobs: Mapping[str, bytes],
        after: str | None = None,
        along: Callable[[Session], None] | None = None,
        like: Mapping[str, Like] | None = None,
        surely: bool = False,
    ) -> Revision:
        """Store an edit: its blobs, its revision and the new head, or nothing. What could be redone leaves the line.

        Parameters
        ----------
        blobs
            By their hashes; those that are stored already are passed over.
        after
            The id of the revision that the edit was made of. When it is not the head any more, someone else has edited
            the character meanwhile, and `Overtaken` is raised.
        along
            What else is stored with it, in the same transaction, or keeps it from being stored.
        like
            Blobs that those are much like: see `put_blobs`.
        surely
            Store it though the document names what is no blob: something else may look like a hash. Otherwise `Unkept`
            is raised, and what was thought to be stored has to be brought along.
        """
        own_id = _new_id()
        try:
            return self._append(own_id, character_id, label, document, blobs, after, along, like, surely)
        except AWAY:
            # The database went away in the middle: whether it was stored shows when it is back.
            return self._append(own_id, character_id, label, document, blobs, after, along, like, surely)

    def _append(
        self,
        own_id: str,
        character_id: str,
        label: str,
        document: dict[str, Any],
        blobs: Mapping[str, bytes],
        after: str | None,
        along: Callable[[Session], None] | None,
        like: Mapping[str, Like] | None,
        surely: bool,
    ) -> Revision:
        with self.transactions.begin() as session:
            row = locked(session, character_id)
            if row.head_id == own_id:
                return self._current(session, character_id)
            if after is not None and row.head_id != after:
                raise Overtaken(f"character {character_id} is at {row.head_id}, not {after}")
            named = hashes_of(document)
            gone = put_blobs(session, blobs, like, named)
            if gone and not surely:
                raise Unkept(gone)
            head = session.get_one(RevisionRow, row.head_id)
            undone = (RevisionRow.character_id == character_id) & (RevisionRow.number > head.number)
            session.execute(update(RevisionRow).where(undone).values(overwritten=True))
            fresh = RevisionRow(
                id=own_id, character_id=character_id, number=head.number + 1, parent=head.id, label=label[:200],
                document=document, names=keys_of(named - gone),
            )  # fmt: skip
            session.add(fresh)
            row.head_id = fresh.id
            row.changed_at = func.now()
            _tell(session, character_id)
            if along is not None:
                along(session)
            session.flush()
            return self._current(session, character_id)

    def step(self, character_id: str, by: int) -> Revision:
        """Undo (-1) or redo (+1) to the nearest step that is kept; at either end nothing changes."""
        with self.transactions.begin() as session:
            row = locked(session, character_id)
            head = session.get_one(RevisionRow, row.head_id)
            wanted = select(RevisionRow.id).where(
                RevisionRow.character_id == character_id,
                RevisionRow.number < head.number if by < 0 else RevisionRow.number > head.number,
                RevisionRow.overwritten.is_(False),
            )
            nearest = RevisionRow.number.desc() if by < 0 else RevisionRow.number.asc()
            target = session.scalars(wanted.order_by(nearest).limit(1)).first()
            if target is not None:
                row.head_id = target
                row.changed_at = func.now()
                _tell(session, character_id)
                session.flush()
            return self._current(session, character_id)

    def rename(self, character_id: str, name: str) -> Revision:
        with self.transactions.begin() as session:
            locked(session, character_id).name = name
            _tell(session, character_id)
            session.flush()
            return self._current(session, character_id)

    def set_picture(self, character_id: str, data: bytes) -> None:
        """Keep a picture of a character, in place of the one before."""
        with self.transactions.begin() as session:
            row, name = locked(session, character_id), digest(data)
            put_blobs(session, {name: data})
            session.flush()
            row.picture_hash = name

    def remove(self, character_id: str) -> None:
        """Take a character out of the library, with its history; `restore` brings both back."""
        with self.transactions.begin() as session:
            locked(session, character_id).removed_at = func.now()
            _tell(session, character_id)

    def restore(self, character_id: str) -> Revision:
        """Bring a removed character back as it was."""
        with self.transactions.begin() as session:
            locked(session, character_id, removed=True).removed_at = None
            session.flush()
            return self._current(session, character_id)

    def erase(self, character_id: str) -> None:
        """Delete a removed character for good; blobs that nothing names any more stay until a `Sweep`."""
        with self.transactions.begin() as session:
            session.delete(locked(session, character_id, removed=True))

    def blobs(self, hashes: Iterable[str]) -> dict[str, bytes]:
        """The bytes under some hashes, in one go; those that are not there are left out."""
        with self.transactions() as session:
            return read_blobs(session, hashes)

    def blob(self, hash_: str) -> bytes:
        """The bytes under a hash."""
        found = self.blobs([hash_])
        if hash_ not in found:
            raise Missing(f"blob {hash_}")
        return found[hash_]

    def _current(self, session: Session, character_id: str) -> Revision:
        row = session.get(CharacterRow, character_id, populate_existing=True)
        if row is None or row.removed_at is not None:
            raise Missing(f"character {character_id}")
        revision = session.get(RevisionRow, row.head_id)
        if revision is None:
            raise Missing(f"revision {row.head_id} of {character_id}")
        return self._revision(session, row, revision)

    def _revision(self, session: Session, row: CharacterRow, revision: RevisionRow) -> Revision:
        line = (RevisionRow.character_id == row.id) & RevisionRow.overwritten.is_(False)
        last = session.scalar(select(func.max(RevisionRow.number)).where(line))
        return Revision(
            revision.id, row.id, row.name, revision.number, int(last or 0), revision.label, revision.document,
            row.file_hash, row.picture_hash, row.demo, row.changed_at,
        )  # fmt: skip


def _new_id() -> str:
    return uuid.uuid4().hex


def _tell(session: Session, character_id: str) -> None:
    """Let every process that listens know, once this transaction is through."""
    session.execute(text("select pg_notify(:channel, :who)"), {"channel": CHANGES, "who": character_id})


def locked(session: Session, character_id: str, removed: bool = False) -> CharacterRow:
    row = session.get(CharacterRow, character_id, with_for_update=True)
    if row is None or (row.removed_at is not None) != removed:
        raise Missing(f"character {character_id}")
    return row


def _in_binary(
    connection: Any, cursor: psycopg.Cursor, statement: str, parameters: Any, context: Any, many: bool
) -> None:
    """Have the database answer in bytes where that is asked for: in digits, blobs take four times as long."""
    if context is not None and context.execution_options.get("binary"):
        cursor.format = psycopg.pq.Format.BINARY
