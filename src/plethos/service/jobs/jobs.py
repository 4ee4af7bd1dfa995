"""Long work as jobs: run by Procrastinate on the same database, in this process or in `plethos worker`."""

from __future__ import annotations

import asyncio
import contextlib
import functools
from collections.abc import AsyncIterator
from typing import Any

import psycopg
import structlog
from procrastinate import App, PsycopgConnector
from procrastinate.exceptions import AppNotOpen, ConnectorException
from sqlalchemy.exc import InterfaceError, OperationalError

from plethos.core.errors import BadEditError, PlethosError
from plethos.service.jobs.kinds import KINDS, Job
from plethos.service.library.lease import WORKER
from plethos.service.library.workbench import Workbench
from plethos.store.work import CANCELLED, DONE, FAILED, Work, WorkList

WENT_WRONG = "Something went wrong in the server; nothing was changed."
SERVER_GONE = "The server stopped while it was at work; nothing was changed. Start it again."
LOST_AFTER = 6.0  # seconds
AGAIN = 0.5  # seconds, before a worker is begun anew
PATIENCE = 2.0  # seconds for one that is cancelled
log = structlog.get_logger()


class UnwantedError(Exception):
    """Whoever asked for long work does not want it any more."""


class Jobs:
    """All long work on characters.

    Parameters
    ----------
    bench
        Where the results are stored.
    lost_after
        Seconds after which work of which nothing is heard has failed.
    """

    def __init__(self, bench: Workbench, lost_after: float = LOST_AFTER) -> None:
        self.bench, self.list = bench.of(WORKER), WorkList(bench.store.transactions)
        self.lost_after, self._in_hand = lost_after, set[str]()
        at = bench.store.engine.url
        where = {"host": at.host, "port": at.port, "user": at.username, "password": at.password, "dbname": at.database}
        connector = PsycopgConnector(kwargs=where, min_size=1, max_size=4)
        self.app = App(connector=connector)
        self._tasks: dict[str, Any] = {
            kind: self.app.task(name=kind)(functools.partial(self._run, job)) for kind, job in KINDS.items()
        }

    async def ask(self, kind: str, character_id: str, **arguments: Any) -> Work:
        """Have something done; returns at once."""
        work = await asyncio.to_thread(self.list.ask, character_id, kind)
        try:
            await self._tasks[kind].defer_async(work_id=work.id, character_id=character_id, **arguments)
        except (ConnectorException, AppNotOpen):
            # What stands on the list already is given up by whoever tends it.
            raise BadEditError("The database does not answer, so nothing was begun: try again.") from None
        return work

    async def ask_once(self, kind: str, character_id: str, **arguments: Any) -> Work:
        """The same, unless work of that kind is under way on the character already: then that."""
        found = await asyncio.to_thread(self._under_way, character_id, kind)
        return found or await self.ask(kind, character_id, **arguments)

    def _under_way(self, character_id: str, kind: str) -> Work | None:
        self.bench.open(character_id)
        return self.list.under_way(character_id, kind)

    @contextlib.asynccontextmanager
    async def working(self, elsewhere: bool = False) -> AsyncIterator[asyncio.Task[None]]:
        """Do what is asked for, in threads of this process, until the context ends; gives the task that does it.

        Parameters
        ----------
        elsewhere
            Whether other processes do it: then this one only asks for work, and looks after the list.
        """
        tasks = [asyncio.create_task(one) for one in (self._work(elsewhere), self._tend())]
        try:
            yield tasks[0]
        finally:
            # A worker that is cancelled while it begins takes that for its own end, and is begun anew: once more, then.
            while under_way := {t for t in tasks if not t.done()}:
                for task in under_way:
                    task.cancel()
                await asyncio.wait(under_way, timeout=PATIENCE)

    async def _work(self, elsewhere: bool) -> None:
        """Take up what is asked for; when the database went away, begin anew once it is back."""
        while True:
            try:
                async with self.app.open_async():
                    if elsewhere:
                        await asyncio.Event().wait()
                    await self.app.run_worker_async(
                        install_signal_handlers=False, fetch_job_polling_interval=1.0, shutdown_graceful_timeout=1.0
                    )
            except (OSError, psycopg.Error, ConnectorException):
                log.warning("the database is away: no work is taken up")
            await asyncio.sleep(AGAIN)

    async def _tend(self) -> None:
        """Say that the work in hand goes on, and give up what nobody has in hand any more."""
        while True:
            try:
                await asyncio.to_thread(self.list.beat, set(self._in_hand))
                await asyncio.to_thread(self.list.give_up_lost, SERVER_GONE, self.lost_after)
            except (OperationalError, InterfaceError):
                log.warning("the database is away: the list of work is not looked after")
            except Exception:
                log.exception("the list of work is not looked after")
            await asyncio.sleep(min(self.lost_after / 3, 2.0))

    def _run(self, job: Job, work_id: str, character_id: str, **arguments: Any) -> None:
        """Do a piece of work and say on the list how it goes."""
        if not self.list.begin(work_id):
            return

        def progress(share: float) -> None:
            if not self.list.progress(work_id, share):
                raise UnwantedError

        self._in_hand.add(work_id)
        try:
            self.bench.shelf.catch_up(character_id)
            job(self.bench, character_id, progress, **arguments)
            self.list.finish(work_id, DONE)
        except UnwantedError:
            self.list.finish(work_id, CANCELLED)
        except PlethosError as error:
            self.list.finish(work_id, FAILED, error.sentence)
        except Exception:
            log.exception("long work failed")
            self.list.finish(work_id, FAILED, WENT_WRONG)
        finally:
            # What could not be written on the list for want of a database is given up by whoever tends it.
            self._in_hand.discard(work_id)
