"""Long work as jobs: run by Procrastinate on the same database, in this process or in `plethos worker`."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator, Callable
from typing import Any

import structlog
from procrastinate import App, PsycopgConnector

from plethos.core.errors import PlethosError
from plethos.service import binding
from plethos.service.lease import WORKER
from plethos.service.workbench import Workbench
from plethos.store.work import CANCELLED, DONE, FAILED, Work, WorkList

WENT_WRONG = "Something went wrong in the server; nothing was changed."
SERVER_GONE = "The server stopped while it was at work; nothing was changed. Start it again."
log = structlog.get_logger()


class UnwantedError(Exception):
    """Whoever asked for long work does not want it any more."""


class Jobs:
    """All long work on characters.

    Parameters
    ----------
    bench
        Where the results are stored.
    """

    def __init__(self, bench: Workbench) -> None:
        self.bench, self.list = bench.of(WORKER), WorkList(bench.store.engine)
        at = bench.store.engine.url
        where = {"host": at.host, "port": at.port, "user": at.username, "password": at.password, "dbname": at.database}
        connector = PsycopgConnector(kwargs=where, min_size=1, max_size=4)
        self.app = App(connector=connector)
        # A new kind of long work is one more line here and a method that calls `progress` between its steps.
        self._tasks: dict[str, Any] = {"automatic": self.app.task(name="automatic")(self._automatic)}

    async def ask(self, kind: str, character_id: str, **arguments: Any) -> Work:
        """Have something done; returns at once."""
        work = await asyncio.to_thread(self.list.ask, character_id, kind)
        await self._tasks[kind].defer_async(work_id=work.id, character_id=character_id, **arguments)
        return work

    async def ask_once(self, kind: str, character_id: str, **arguments: Any) -> Work:
        """The same, unless something is under way on the character already: then that."""
        found = await asyncio.to_thread(self._under_way, character_id)
        return found or await self.ask(kind, character_id, **arguments)

    def _under_way(self, character_id: str) -> Work | None:
        self.bench.open(character_id)
        return self.list.under_way(character_id)

    @contextlib.asynccontextmanager
    async def working(self, alone: bool = True) -> AsyncIterator[asyncio.Task[None]]:
        """Do what is asked for, in threads of this process, until the context ends; gives the task that does it.

        Parameters
        ----------
        alone
            Whether no other process may be at work: what is still on the list has been left by one that is gone.
        """
        if alone:
            await asyncio.to_thread(self.list.give_up, SERVER_GONE)
        async with self.app.open_async():
            worker = asyncio.create_task(
                self.app.run_worker_async(
                    install_signal_handlers=False, fetch_job_polling_interval=1.0, shutdown_graceful_timeout=1.0
                )
            )
            try:
                yield worker
            finally:
                worker.cancel()
                with contextlib.suppress(asyncio.CancelledError):
                    await worker

    def _automatic(
        self, work_id: str, character_id: str, joints: list[str] | None = None, region: str | None = None
    ) -> None:
        def work(progress: Callable[[float], None]) -> None:
            self.bench.catch_up(character_id)
            binding.automatic(self.bench, character_id, joints, progress, region)

        self._run(work_id, work)

    def _run(self, work_id: str, work: Callable[[Callable[[float], None]], None]) -> None:
        """Do a piece of work and say on the list how it goes."""
        if not self.list.begin(work_id):
            return

        def progress(share: float) -> None:
            if not self.list.progress(work_id, share):
                raise UnwantedError

        try:
            work(progress)
            self.list.finish(work_id, DONE)
        except UnwantedError:
            self.list.finish(work_id, CANCELLED)
        except PlethosError as error:
            self.list.finish(work_id, FAILED, error.sentence)
        except Exception:
            log.exception("long work failed")
            self.list.finish(work_id, FAILED, WENT_WRONG)
