"""Doing long work: taken up by Procrastinate's worker, in this process or in as many others as there are.

Whose a piece is, is for the database to say: see `store.owned_work`. A thread of its own says that we are still at it,
which no event loop holds up; what it finds to be another's by now is let go.
"""

from __future__ import annotations

import asyncio
import contextlib
import random
import threading
import time
from collections.abc import AsyncIterator, Iterator

import psycopg
import structlog
from procrastinate import App, PsycopgConnector
from procrastinate.exceptions import ConnectorException

from plethos.core.errors import PlethosError
from plethos.service.jobs.jobs import LAPSED
from plethos.service.jobs.kind import EditKind, UnwantedError
from plethos.service.jobs.kinds import KINDS
from plethos.service.jobs.owned_task import OwnedTask
from plethos.service.library.lease import WORKER
from plethos.service.library.version import OvertakenError
from plethos.service.library.workbench import Workbench
from plethos.store.owned_work import OwnedWork, Report
from plethos.store.tickets import QUEUE, TICKET
from plethos.store.transactions import AWAY
from plethos.store.work import CANCELLED, DONE, FAILED, OFFERED, DisownedError, WorkList

WENT_WRONG = "Something went wrong in the server; nothing was changed."
MEANWHILE = "The character was changed meanwhile: take what came of it, or leave it."
DEADLY = "Whoever was at work on it was lost, again and again; nothing was changed."
BEAT = 1.0  # seconds between two signs of life
LOOK = 4.0  # seconds between two looks for what lapsed, or waits though nobody was told
AGAIN = 0.5  # seconds, before a worker is begun anew
PATIENCE = 2.0  # seconds for one that is cancelled
log = structlog.get_logger()


class Worker:
    """Takes up pieces of work, one at a time.

    Parameters
    ----------
    bench
        Where the characters are, and the results are stored.
    lapsed
        Seconds after which a piece whose owner is silent may be taken up by another.
    """

    def __init__(self, bench: Workbench, lapsed: float = LAPSED) -> None:
        self.bench, self.lapsed = bench.of(WORKER), lapsed
        self.list, self.owned = WorkList(bench.store.transactions), OwnedWork(bench.store.transactions)
        self._in_hand: dict[str, OwnedTask] = {}
        at = bench.store.engine.url
        where = {"host": at.host, "port": at.port, "user": at.username, "password": at.password, "dbname": at.database}
        self.app = App(connector=PsycopgConnector(kwargs=where, min_size=1, max_size=1))
        self.app.task(name=TICKET, queue=QUEUE)(self.do)

    @contextlib.contextmanager
    def tending(self) -> Iterator[None]:
        """Look after the list until the context ends: say what is in hand, and let go what nobody has in hand."""
        ended = threading.Event()
        thread = threading.Thread(target=self._tend, args=(ended,), name="tending", daemon=True)
        thread.start()
        try:
            yield
        finally:
            ended.set()
            with contextlib.suppress(*AWAY):
                self.owned.release(self._in_hand)
            thread.join(PATIENCE)

    @contextlib.asynccontextmanager
    async def working(self) -> AsyncIterator[asyncio.Task[None]]:
        """Do what is asked for, in a thread of this process, until the context ends; gives the task that does it."""
        with self.tending():
            task = asyncio.create_task(self._work())
            try:
                yield task
            finally:
                # One that is cancelled while it begins takes that for its own end, and is begun anew: once more, then.
                while not task.done():
                    task.cancel()
                    await asyncio.wait({task}, timeout=PATIENCE)

    def do(self, work_id: str) -> None:
        """Do a piece of work, unless it is another's, and store what it comes to."""
        owner = self.owned.take(work_id)
        if owner is None:
            return
        work = self.list.find(work_id)
        assert work is not None
        task = self._in_hand[owner] = OwnedTask(self.bench, self.owned, work, owner)
        try:
            self._done(task)
        except DisownedError:
            log.info("another took it up", work=work_id)
        except AWAY:
            # Taken up anew, by whoever is there, once nothing is heard of it.
            log.warning("the database is away: a piece of work is left", work=work_id)
        finally:
            del self._in_hand[owner]

    def _done(self, task: OwnedTask) -> None:
        work = task.work
        try:
            self._come_to(task)
        except UnwantedError:
            self.owned.finish(work.id, task.owner, CANCELLED)
        except PlethosError as error:
            self.owned.finish(work.id, task.owner, FAILED, error.sentence)
        except (DisownedError, *AWAY):
            raise
        except Exception:
            log.exception("long work failed")
            self.owned.finish(work.id, task.owner, FAILED, WENT_WRONG)

    def _come_to(self, task: OwnedTask) -> None:
        """Do it: a part, a whole that falls into parts, one whose parts are done, or one that is done at once."""
        work, kind = task.work, KINDS[task.work.kind]
        if work.parent_id is not None:
            document = kind.run(task, work.arguments)
            self.owned.finish(work.id, task.owner, DONE, report=Report(document, task.arrays.fresh))
            return
        documents = self.owned.reports_of_parts(work.id)
        if not documents:
            parts = kind.parts(task)
            if len(parts) != 1:
                self.owned.part(work.id, task.owner, parts)
                return
            documents = [kind.run(task, parts[0])]
        document = kind.merge(task, documents)
        task.progress(1.0)
        if not isinstance(kind, EditKind) or not self._edited(task, kind, document):
            state, detail = (OFFERED, MEANWHILE) if isinstance(kind, EditKind) else (DONE, None)
            self.owned.finish(work.id, task.owner, state, detail, Report(document, task.arrays.fresh))

    def _edited(self, task: OwnedTask, kind: EditKind, document: dict[str, object]) -> bool:
        """Make the edit, and end the work with it; False when the character is another by now."""
        work = task.work
        opened = self.bench.shelf.catch_up(work.character_id)
        with opened.editing:
            if opened.revision.id != work.revision_id:
                return False
            try:
                kind.store(self.bench, opened, document, task.arrays, self.owned.ending(work.id, task.owner))
            except OvertakenError:
                return False
        return True

    async def _work(self) -> None:
        """Take up what is asked for; when the database went away, begin anew once it is back."""
        while True:
            try:
                async with self.app.open_async():
                    await self.app.run_worker_async(
                        queues=[QUEUE], install_signal_handlers=False, fetch_job_polling_interval=LOOK,
                        shutdown_graceful_timeout=1.0, delete_jobs="always", update_heartbeat_interval=5.0,
                        stalled_worker_timeout=60.0,
                    )  # fmt: skip
            except (OSError, psycopg.Error, ConnectorException):
                log.warning("the database is away: no work is taken up")
            await asyncio.sleep(AGAIN)

    def _tend(self, ended: threading.Event) -> None:
        look = 0.0
        while not ended.wait(min(BEAT, self.lapsed / 4)):
            try:
                owners = set(self._in_hand)
                for lost in owners - (self.owned.beat(owners) if owners else set()):
                    if (task := self._in_hand.get(lost)) is not None:
                        task.lost.set()
                if time.monotonic() < look:
                    continue
                # Not all workers at the same time.
                look = time.monotonic() + random.uniform(0.5, 1.0) * min(LOOK, self.lapsed / 4)
                self.owned.lapse(self.lapsed, DEADLY)
                self.owned.repair()
            except AWAY:
                log.warning("the database is away: the list of work is not looked after")
            except Exception:
                log.exception("the list of work is not looked after")
