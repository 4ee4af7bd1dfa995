"""What sweeps have measured, way by way, and what people said of their spots."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from typing import Any

from sqlalchemy import delete, func, select
from sqlalchemy.dialects.postgresql import insert

from plethos.store.models import SpotWordRow, SweptWayRow
from plethos.store.transactions import Transactions


@dataclass(frozen=True)
class SweptWay:
    """What was measured on one way.

    Parameters
    ----------
    reads
        What it depends on, as a hash.
    revision_id
        Of which revision it was measured.
    document, before
        What was found, in this run and in the one before; None = there was none.
    """

    name: str
    reads: str
    revision_id: str
    document: dict[str, Any]
    before: dict[str, Any] | None = None


class SweptWays:
    """Of all characters. Every method is one transaction."""

    def __init__(self, transactions: Transactions) -> None:
        self._session = transactions

    def of_character(self, character_id: str) -> dict[str, SweptWay]:
        """All that was measured of a character, by the name of the way."""
        with self._session() as session:
            rows = session.scalars(select(SweptWayRow).where(SweptWayRow.character_id == character_id))
            return {r.name: SweptWay(r.name, r.reads, r.revision_id, r.document, r.before) for r in rows}

    def put(self, character_id: str, way: SweptWay) -> None:
        """Keep what was measured; what was there becomes what was before, unless it is of the same."""
        told = {"reads": way.reads, "revision_id": way.revision_id, "document": way.document}
        own = insert(SweptWayRow).values(character_id=character_id, name=way.name, **told)
        with self._session.begin() as session:
            session.execute(
                own.on_conflict_do_update(
                    index_elements=[SweptWayRow.character_id, SweptWayRow.name],
                    set_={**told, "before": SweptWayRow.document, "measured_at": func.now()},
                    where=SweptWayRow.reads != way.reads,
                )
            )  # fmt: skip

    def keep(self, character_id: str, names: Collection[str]) -> None:
        """Forget all ways but these: the plan has no others any more."""
        gone = SweptWayRow.name.not_in(list(names))
        with self._session.begin() as session:
            session.execute(delete(SweptWayRow).where(SweptWayRow.character_id == character_id, gone))

    def accepted(self, character_id: str) -> dict[str, str]:
        """Why spots are accepted as they are, by their ids."""
        with self._session() as session:
            rows = session.scalars(select(SpotWordRow).where(SpotWordRow.character_id == character_id))
            return {r.spot_id: r.reason for r in rows}

    def accept(self, character_id: str, spot_id: str, reason: str) -> None:
        """Accept a spot as it is."""
        own = insert(SpotWordRow).values(character_id=character_id, spot_id=spot_id, reason=reason)
        with self._session.begin() as session:
            same = [SpotWordRow.character_id, SpotWordRow.spot_id]
            session.execute(own.on_conflict_do_update(index_elements=same, set_={"reason": reason}))

    def reopen(self, character_id: str, spot_id: str) -> None:
        """Accept it no more."""
        with self._session.begin() as session:
            session.execute(
                delete(SpotWordRow).where(SpotWordRow.character_id == character_id, SpotWordRow.spot_id == spot_id)
            )
