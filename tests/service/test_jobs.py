"""Long work as jobs: progress, cancel, faults, what is left of a server that is gone, and work in another process."""

import asyncio
import contextlib
import os
import shutil
import signal
import tempfile
import time
import unittest
from pathlib import Path
from threading import Event, Timer
from unittest.mock import patch

import numpy as np
from sqlalchemy.exc import OperationalError

from plethos.core.errors import BadEditError
from plethos.demo.catalogue import shipped
from plethos.launch.cluster import Cluster
from plethos.service.edits import weight_edits
from plethos.service.jobs.jobs import SERVER_GONE, Jobs
from plethos.service.library.workbench import Workbench
from plethos.service.schemas.bind import VertexChoice
from plethos.store.migrate import migrate
from plethos.store.repository import Store
from plethos.store.work import CANCELLED, DONE, FAILED, RUNNING, UNDER_WAY, WAITING
from tests.figures import tube_file
from tests.server import fresh_database


class Case(unittest.TestCase):
    def setUp(self):
        self.url = fresh_database()
        self.store = Store(self.url)
        self.addCleanup(self.store.close)
        self.bench = Workbench(self.store)
        self.jobs = Jobs(self.bench)
        self.list = self.jobs.list
        self.id = self.bench.bring_in("Tube", tube_file().pack())

    async def ended(self, work, seen: list | None = None):
        for _ in range(600):
            now = self.list.find(work.id)
            if seen is not None and now.share not in seen:
                seen.append(now.share)
            if now.state not in UNDER_WAY:
                return now
            await asyncio.sleep(0.02)
        self.fail("the work did not end")


class Working(Case):
    def test_work_is_done_with_progress_and_stored(self):
        keeper = self.bench.bring_in("Lock keeper", shipped("lock-keeper-bare"))
        seen: list[float] = []

        async def run():
            async with self.jobs.working():
                work = await self.jobs.ask("automatic", keeper)
                self.assertEqual(self.list.under_way(keeper, "automatic").id, work.id)
                return await self.ended(work, seen)

        self.assertEqual(asyncio.run(run()).state, DONE)
        self.assertGreater(len(seen), 2)
        self.assertEqual(seen, sorted(seen))
        self.assertEqual(self.bench.open(keeper).revision.label, "Automatic weights")
        self.assertIsNone(self.list.under_way(keeper, "automatic"))

    def test_who_asks_once_gets_what_is_under_way_of_that_kind_only(self):
        keeper = self.bench.bring_in("Lock keeper", shipped("lock-keeper-bare"))

        async def run():
            async with self.jobs.working(elsewhere=True):
                first = await self.jobs.ask("automatic", keeper)
                other = await asyncio.to_thread(self.list.ask, keeper, "sweep")
                self.assertEqual((await self.jobs.ask_once("automatic", keeper)).id, first.id)
                self.assertEqual(self.list.under_way(keeper, "sweep").id, other.id)

        asyncio.run(run())

    def test_what_is_cancelled_changes_nothing_waiting_or_running(self):
        keeper = self.bench.bring_in("Lock keeper", shipped("lock-keeper-bare"))

        async def run():
            before = await self.jobs_before_working(keeper)
            async with self.jobs.working():
                waiting = await self.ended(before)
                work = await self.jobs.ask("automatic", keeper)
                while self.list.find(work.id).state == WAITING:
                    await asyncio.sleep(0.005)
                self.list.cancel(work.id)
                return waiting, await self.ended(work)

        waiting, running = asyncio.run(run())
        self.assertEqual((waiting.state, running.state), (CANCELLED, CANCELLED))
        self.assertEqual(self.bench.open(keeper).revision.number, 0)

    async def jobs_before_working(self, character):
        """Something asked for and cancelled before anyone is at work."""
        async with self.jobs.app.open_async():
            work = await self.jobs.ask("automatic", character)
        self.list.cancel(work.id)
        return work

    def test_a_fault_is_one_sentence(self):
        async def run():
            async with self.jobs.working():
                return await self.ended(await self.jobs.ask("automatic", self.id, joints=["tail"]))

        ended = asyncio.run(run())
        self.assertEqual(ended.state, FAILED)
        self.assertIn("no joint called “tail”", ended.detail)

    def test_what_nobody_is_at_work_on_any_more_is_given_up(self):
        """A server that is gone had taken it up, or was gone before it could ask for it."""
        taken, lost = self.list.ask(self.id, "automatic"), self.list.ask(self.id, "automatic")
        self.assertTrue(self.list.begin(taken.id))
        self.assertEqual(self.list.find(taken.id).state, RUNNING)

        async def run():
            async with Jobs(self.bench, lost_after=0.3).working():
                return await self.ended(taken), await self.ended(lost)

        for now in asyncio.run(run()):
            self.assertEqual((now.state, now.detail), (FAILED, SERVER_GONE))
        self.assertFalse(self.list.begin(taken.id))
        self.assertFalse(self.list.progress(taken.id, 0.5))
        self.list.finish(taken.id, DONE)
        self.assertEqual(self.list.find(taken.id).state, FAILED, "what has ended stays as it ended")

    def test_work_in_hand_is_not_given_up_however_long_it_thinks(self):
        async def run():
            jobs = Jobs(self.bench, lost_after=1.0)
            thinks = patch.object(weight_edits, "automatic", lambda *_: time.sleep(2.5))
            async with jobs.working():
                with thinks:
                    return await self.ended(await jobs.ask("automatic", self.id))

        self.assertEqual(asyncio.run(run()).state, DONE)


class DatabaseAway(unittest.TestCase):
    """A database of its own that is killed, and comes back."""

    def setUp(self):
        folder = Path(tempfile.mkdtemp(prefix="plethos-away-", dir="/var/tmp"))
        self.addCleanup(shutil.rmtree, folder, True)
        folder.chmod(0o755)
        self.cluster = Cluster(folder / "database")
        url = self.cluster.start()
        self.addCleanup(self.cluster.stop)
        migrate(url)
        self.store = Store(url)
        self.addCleanup(self.store.close)
        self.bench = Workbench(self.store)
        self.id = self.bench.bring_in("Tube", tube_file().pack())

    def kill(self):
        number = int((self.cluster.folder / "data" / "postmaster.pid").read_text().split()[0])
        os.kill(number, signal.SIGKILL)
        while self.cluster.runs():
            time.sleep(0.02)

    def back(self):
        while not self.cluster.restart():
            time.sleep(0.1)

    def test_an_edit_waits_for_it_and_is_stored_once(self):
        opened = self.bench.open(self.id)
        self.kill()
        Timer(0.5, self.back).start()
        made = weight_edits.give(self.bench, self.id, VertexChoice(part="tube"), "upper")
        self.assertEqual((made.revision.number, made.revision.last), (1, 1))
        self.assertIs(opened.version, made)
        self.assertEqual(self.store.current(self.id).id, made.revision.id)

    def test_an_edit_that_cannot_wait_longer_is_told_and_changes_nothing(self):
        before = self.bench.open(self.id).version
        self.kill()
        self.store.give_up()
        with self.assertRaises(OperationalError):
            weight_edits.give(self.bench, self.id, VertexChoice(part="tube"), "upper")
        self.back()
        self.assertIs(self.bench.open(self.id).version, before)
        self.assertEqual(self.store.current(self.id).number, 0)

    def test_work_that_lost_it_has_failed_and_the_next_is_taken_up(self):
        begun = Event()

        def stuck(*_):
            begun.set()
            time.sleep(0.5)
            self.jobs.list.progress("nothing", 0.5)  # as between two steps: the database is asked

        async def run():
            self.jobs = Jobs(self.bench, lost_after=3.0)
            async with self.jobs.working():
                with patch.object(weight_edits, "automatic", stuck):
                    first = await self.jobs.ask("automatic", self.id)
                    await asyncio.to_thread(begun.wait)
                    await asyncio.to_thread(self.kill)
                    self.store.transactions.patience = 0.2
                    await asyncio.sleep(1.5)
                    self.store.transactions.patience = 5.0
                    await asyncio.to_thread(self.back)
                    came_back = time.monotonic()
                    while self.jobs.list.find(first.id).state in UNDER_WAY:
                        await asyncio.sleep(0.05)
                    waited = time.monotonic() - came_back
                second = None
                while second is None:
                    with contextlib.suppress(BadEditError):
                        second = await self.jobs.ask("automatic", self.id)
                    await asyncio.sleep(0.1)
                while self.jobs.list.find(second.id).state in UNDER_WAY:
                    await asyncio.sleep(0.05)
                return self.jobs.list.find(first.id), self.jobs.list.find(second.id), waited

        first, second, waited = asyncio.run(run())
        self.assertEqual((first.state, second.state), (FAILED, DONE))
        self.assertLess(waited, 10)


class TwoProcesses(Case):
    def test_a_worker_elsewhere_does_it_and_the_server_catches_up(self):
        elsewhere = Jobs(Workbench(Store(self.url)))
        self.addCleanup(elsewhere.bench.store.close)
        opened = self.bench.open(self.id)

        async def run():
            async with self.jobs.app.open_async(), elsewhere.working():
                return await self.ended(await self.jobs.ask("automatic", self.id))

        self.assertEqual(asyncio.run(run()).state, DONE)
        self.assertEqual(opened.revision.number, 0)
        self.bench.shelf.catch_up(self.id)
        self.assertEqual(opened.revision.label, "Automatic weights")
        there = elsewhere.bench.open(self.id).character.binding.joint_weights
        np.testing.assert_allclose(opened.character.binding.joint_weights, there, atol=1e-6)

    def test_an_edit_of_a_version_that_was_overtaken_is_refused_and_shows_the_newer(self):
        other = Workbench(Store(self.url))
        self.addCleanup(other.store.close)
        self.bench.open(self.id)
        weight_edits.give(other, self.id, VertexChoice(part="tube"), "upper")
        with self.assertRaisesRegex(BadEditError, "changed meanwhile"):
            weight_edits.give(self.bench, self.id, VertexChoice(part="tube"), "lower")
        self.assertEqual(self.bench.open(self.id).revision.label, "Give tube to upper")
        weight_edits.give(self.bench, self.id, VertexChoice(part="tube"), "lower")
        self.assertEqual(self.bench.open(self.id).revision.number, 2)
