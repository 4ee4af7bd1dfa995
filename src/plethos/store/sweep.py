"""Cleaning up while the server runs: what nothing reaches goes, in small transactions, and no document is read for it.

Which blobs a document names stands beside it, eight bytes each (`blobs.keys_of`): a sweep reads these.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from plethos.store.blobs import KEY, key_of
from plethos.store.models import Blob, CharacterRow, NamedRevisionRow, ReportRow, RevisionRow, WorkRow
from plethos.store.tickets import sweep_tickets
from plethos.store.transactions import Transactions
from plethos.store.work import OFFERED, UNDER_WAY

BATCH = 200  # rows a transaction
OVERWRITTEN_FOR = 24.0  # hours that an overwritten revision is kept: someone may just look at it
ENDED_FOR = 24.0  # hours that work which has ended stays on the list
CLOCKS = timedelta(minutes=5)  # that a transaction may take


class Sweep:
    """Deletes what nothing reaches any more.

    Parameters
    ----------
    pause
        Called between two batches; may raise to end it.
    """

    def __init__(self, transactions: Transactions, pause: Callable[[], None] = lambda: None) -> None:
        self._session, self._pause = transactions, pause

    def all(self) -> int:
        """Everything, in the order in which one sets the other free; how many rows went."""
        gone = self.revisions() + self.work()
        return gone + self.blobs()

    def revisions(self, hours: float = OVERWRITTEN_FOR) -> int:
        """Revisions that were undone and overwritten long ago: nothing leads there any more."""
        over = select(RevisionRow.id).where(
            RevisionRow.overwritten.is_(True),
            RevisionRow.created_at < func.now() - timedelta(hours=hours),
            RevisionRow.id.not_in(held()),
        )
        return self._in_batches(lambda session: _delete(session, RevisionRow.id, over))

    def work(self, hours: float = ENDED_FOR) -> int:
        """Work that has ended long ago, with its parts and reports; used tickets."""
        over = select(WorkRow.id).where(
            WorkRow.parent_id.is_(None),
            WorkRow.state.not_in((*UNDER_WAY, OFFERED)),
            WorkRow.asked_at < func.now() - timedelta(hours=hours),
        )
        gone = self._in_batches(lambda session: _delete(session, WorkRow.id, over))
        with self._session.begin() as session:
            sweep_tickets(session)
        return gone

    def blobs(self) -> int:
        """Blobs that no character, revision or report names, and none that is named stands on."""
        with self._session() as session:
            began = session.scalar(select(func.now()))
            assert began is not None
            named = _named(session)
            rows = session.execute(select(Blob.hash, Blob.base).order_by(Blob.depth.desc())).all()
        used: set[str] = set()
        loose = list[str]()
        for name, base in rows:  # what stands on others comes before them
            if name in used or _is_in(named, name):
                if base is not None:
                    used.add(base)
            else:
                loose.append(name)
        gone = 0
        for start in range(0, len(loose), BATCH):
            gone += self._loose(loose[start : start + BATCH], began)
            self._pause()
        return gone

    def _loose(self, batch: list[str], began: datetime) -> int:
        """Delete these, unless someone has come to name them since they were looked for."""
        with self._session.begin() as session:
            # Whoever stores a document holds its blobs: who was faster keeps them, who is later finds them gone.
            own = select(Blob.hash).where(Blob.hash.in_(batch)).with_for_update(skip_locked=True)
            alone = list(session.scalars(own))
            named = _named(session, began - CLOCKS)
            on_them = select(Blob.base).where(Blob.base.in_(alone), Blob.hash.not_in(alone))
            held = set(session.scalars(on_them))
            going = [name for name in alone if name not in held and not _is_in(named, name)]
            session.execute(delete(Blob).where(Blob.hash.in_(going)))
            return len(going)

    def _in_batches(self, some: Callable[[Session], int]) -> int:
        gone = 0
        while True:
            with self._session.begin() as session:
                now = some(session)
            gone += now
            if now < BATCH:
                return gone
            self._pause()


def held() -> Any:
    """Revisions that have a name, or that work under way or offered is of."""
    under_way = WorkRow.state.in_((*UNDER_WAY, OFFERED))
    works = select(WorkRow.revision_id).where(under_way, WorkRow.revision_id.is_not(None))
    return select(NamedRevisionRow.revision_id).union(works)


def _delete(session: Session, column: Any, which: Any) -> int:
    own = column.in_(which.limit(BATCH))
    return len(session.scalars(delete(column.class_).where(own).returning(column)).all())


def _named(session: Session, since: datetime | None = None) -> NDArray[np.uint64]:
    """The keys of all blobs that are named, by what was stored since then or at any time; sorted."""
    rows = list[bytes]()
    for table in (RevisionRow, ReportRow):
        wanted = select(table.names)
        rows += session.scalars(wanted if since is None else wanted.where(table.created_at > since))
    for column in (CharacterRow.file_hash, CharacterRow.picture_hash, NamedRevisionRow.picture_hash):
        rows += [key_of(name) for name in session.scalars(select(column)) if name]
    return np.unique(np.frombuffer(b"".join(rows), KEY))


def _is_in(keys: NDArray[np.uint64], name: str) -> bool:
    key = np.frombuffer(key_of(name), KEY)[0]
    at = int(np.searchsorted(keys, key))
    return at < len(keys) and bool(keys[at] == key)
