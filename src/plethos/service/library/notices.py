"""What other processes have stored, and how far long work has got: told by the database as it happens."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator, Callable

import psycopg
import structlog
from sqlalchemy import URL

from plethos.service.library.workbench import Workbench
from plethos.store.repository import CHANGES
from plethos.store.work import WORK

log = structlog.get_logger()
AGAIN = 1.0  # seconds between two tries to listen, while the database is away

WorkListener = Callable[[], None]


class Notices:
    """Listens to the database for as long as the server runs.

    Parameters
    ----------
    bench
        Whose open characters are brought up to what others have stored.
    """

    def __init__(self, bench: Workbench) -> None:
        self.bench = bench
        self._of_work: dict[str, list[WorkListener]] = {}

    def on_work(self, character_id: str, listener: WorkListener) -> Callable[[], None]:
        """Have every step of work on a character told, in the event loop; what is returned ends it."""
        self._of_work.setdefault(character_id, []).append(listener)

        def leave() -> None:
            left = [one for one in self._of_work.get(character_id, []) if one is not listener]
            if left:
                self._of_work[character_id] = left
            else:
                self._of_work.pop(character_id, None)

        return leave

    @contextlib.asynccontextmanager
    async def listening(self) -> AsyncIterator[None]:
        """Listen until the context ends."""
        task = asyncio.create_task(self._listen(self.bench.store.engine.url))
        try:
            yield
        finally:
            task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await task

    async def _listen(self, at: URL) -> None:
        while True:
            try:
                connection = await psycopg.AsyncConnection.connect(
                    host=at.host,
                    port=at.port,
                    user=at.username,
                    password=at.password,
                    dbname=at.database,
                    autocommit=True,
                )
                async with connection:
                    for channel in (CHANGES, WORK):
                        await connection.execute(f"listen {channel}")
                    # Whatever happened while nobody listened.
                    await asyncio.to_thread(self.bench.shelf.catch_up_all)
                    for character_id in list(self._of_work):
                        self._tell(character_id)
                    async for notice in connection.notifies():
                        if notice.channel == WORK:
                            self._tell(notice.payload)
                        else:
                            await asyncio.to_thread(self.bench.shelf.catch_up_if_open, notice.payload)
            except (psycopg.Error, OSError):
                log.warning("not listening to the database")
            await asyncio.sleep(AGAIN)

    def _tell(self, character_id: str) -> None:
        for listener in list(self._of_work.get(character_id, ())):
            listener()
