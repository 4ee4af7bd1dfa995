"""Long work as jobs: progress, cancel, faults, what is left of a server that is gone, and work in another process."""

import asyncio
import unittest

import numpy as np

from plethos.core.errors import BadEditError
from plethos.demo.catalogue import shipped
from plethos.service import binding
from plethos.service.binding import Target
from plethos.service.jobs import SERVER_GONE, Jobs
from plethos.service.workbench import Workbench
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
                self.assertEqual(self.list.under_way(keeper).id, work.id)
                return await self.ended(work, seen)

        self.assertEqual(asyncio.run(run()).state, DONE)
        self.assertGreater(len(seen), 2)
        self.assertEqual(seen, sorted(seen))
        self.assertEqual(self.bench.open(keeper).revision.label, "Automatic weights")
        self.assertIsNone(self.list.under_way(keeper))

    def test_what_is_cancelled_changes_nothing_waiting_or_running(self):
        keeper = self.bench.bring_in("Lock keeper", shipped("lock-keeper-bare"))

        async def run():
            before = await self.jobs_before_working(keeper)
            async with self.jobs.working(alone=False):
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

    def test_what_a_server_that_is_gone_left_is_given_up(self):
        left = self.list.ask(self.id, "automatic")
        self.assertTrue(self.list.begin(left.id))
        self.assertEqual(self.list.find(left.id).state, RUNNING)

        async def run():
            async with self.jobs.working():
                return self.list.find(left.id)

        now = asyncio.run(run())
        self.assertEqual((now.state, now.detail), (FAILED, SERVER_GONE))
        self.assertFalse(self.list.begin(left.id))
        self.assertFalse(self.list.progress(left.id, 0.5))


class TwoProcesses(Case):
    def test_a_worker_elsewhere_does_it_and_the_server_catches_up(self):
        elsewhere = Jobs(Workbench(Store(self.url)))
        self.addCleanup(elsewhere.bench.store.close)
        opened = self.bench.open(self.id)

        async def run():
            async with self.jobs.app.open_async(), elsewhere.working(alone=False):
                return await self.ended(await self.jobs.ask("automatic", self.id))

        self.assertEqual(asyncio.run(run()).state, DONE)
        self.assertEqual(opened.revision.number, 0)
        self.bench.catch_up(self.id)
        self.assertEqual(opened.revision.label, "Automatic weights")
        there = elsewhere.bench.open(self.id).character.binding.joint_weights
        np.testing.assert_allclose(opened.character.binding.joint_weights, there, atol=1e-6)

    def test_an_edit_of_a_version_that_was_overtaken_is_refused_and_shows_the_newer(self):
        other = Workbench(Store(self.url))
        self.addCleanup(other.store.close)
        self.bench.open(self.id)
        binding.give(other, self.id, Target(part="tube"), "upper")
        with self.assertRaisesRegex(BadEditError, "changed meanwhile"):
            binding.give(self.bench, self.id, Target(part="tube"), "lower")
        self.assertEqual(self.bench.open(self.id).revision.label, "Give tube to upper")
        binding.give(self.bench, self.id, Target(part="tube"), "lower")
        self.assertEqual(self.bench.open(self.id).revision.number, 2)


if __name__ == "__main__":
    unittest.main()
