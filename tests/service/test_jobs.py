"""Long work as jobs: whose it is, parts, a fixed version, offers, and what is left of workers that are gone."""

import asyncio
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from threading import Event, Thread, Timer
from unittest.mock import patch

import numpy as np
from sqlalchemy.exc import OperationalError

from plethos.core.errors import BadEditError
from plethos.demo.catalogue import shipped
from plethos.launch.cluster import Cluster
from plethos.service.edits import joint_edits, weight_edits
from plethos.service.jobs.automatic_weights import AutomaticWeightsJob
from plethos.service.jobs.jobs import MOST_OF_A_PAGE, Jobs
from plethos.service.jobs.kinds import KINDS
from plethos.service.jobs.worker import DEADLY, MEANWHILE, Worker
from plethos.service.library.open_character import NotThereError
from plethos.service.library.workbench import Workbench
from plethos.service.schemas.bind import VertexChoice
from plethos.store.migrate import migrate
from plethos.store.owned_work import OwnedWork, Report
from plethos.store.repository import Store
from plethos.store.sweep import Sweep
from plethos.store.work import CANCELLED, DONE, FAILED, OFFERED, RUNNING, WAITING, DisownedError
from tests.figures import tube_file
from tests.server import fresh_database
from tests.service.counting import COUNTING, begun_by


class Case(unittest.TestCase):
    def setUp(self):
        self.url = fresh_database()
        self.store = Store(self.url)
        self.addCleanup(self.store.close)
        self.bench = Workbench(self.store)
        self.jobs = Jobs(self.bench)
        self.list, self.owned = self.jobs.list, OwnedWork(self.store.transactions)
        self.id = self.bench.bring_in("Tube", tube_file().pack())
        self.enterContext(patch.dict(KINDS, {COUNTING.name: COUNTING}))

    def ended(self, work, seen: list | None = None):
        for _ in range(3000):
            now = self.list.find(work.id)
            if seen is not None and now.share not in seen:
                seen.append(now.share)
            if not now.is_under_way:
                return now
            time.sleep(0.02)
        self.fail("the work did not end")

    def working(self, bench=None, lapsed=8.0):
        """A worker in a thread of this process until the test ends."""
        return self.enterContext(Hired(Worker(bench or self.bench, lapsed)))

    def while_it_thinks(self, then):
        """What becomes of automatic weights when something happens while they are worked out."""
        run = AutomaticWeightsJob.run

        def thinks(job, task, arguments):
            document = run(job, task, arguments)
            then(task)
            return document

        self.enterContext(patch.object(AutomaticWeightsJob, "run", thinks))
        self.working()
        return self.ended(self.jobs.ask("automatic", self.id))


class Hired:
    def __init__(self, worker):
        self.worker, self.stop = worker, asyncio.Event()

    def __enter__(self):
        begun = Event()

        async def run():
            self.loop = asyncio.get_running_loop()
            async with self.worker.working():
                begun.set()
                await self.stop.wait()

        self.thread = Thread(target=asyncio.run, args=(run(),))
        self.thread.start()
        begun.wait()
        return self.worker

    def __exit__(self, *_):
        self.loop.call_soon_threadsafe(self.stop.set)
        self.thread.join()


class Working(Case):
    def test_work_is_done_with_progress_and_stored(self):
        keeper = self.bench.bring_in("Lock keeper", shipped("lock-keeper-bare"))
        self.working()
        seen: list[float] = []
        ended = self.ended(self.jobs.ask("automatic", keeper), seen)
        self.assertEqual((ended.state, ended.share), (DONE, 1.0))
        self.assertGreater(len(seen), 2)
        self.assertEqual(seen, sorted(seen))
        self.assertEqual(self.bench.open(keeper).revision.label, "Automatic weights")

    def test_what_is_under_way_with_the_same_arguments_is_not_asked_for_twice(self):
        first = self.jobs.ask("automatic", self.id)
        self.assertEqual(self.jobs.ask("automatic", self.id).id, first.id)
        self.assertNotEqual(self.jobs.ask("automatic", self.id, joints=["upper"]).id, first.id)
        weight_edits.give(self.bench, self.id, VertexChoice(part="tube"), "upper")
        self.assertNotEqual(self.jobs.ask("automatic", self.id).id, first.id, "it is of another revision")

    def test_one_page_does_not_fill_the_list(self):
        page = Jobs(self.bench.of("a page"))
        for number in range(MOST_OF_A_PAGE):
            page.ask("counting", self.id, count=number + 1)
        with self.assertRaisesRegex(BadEditError, "too much under way"):
            page.ask("counting", self.id, count=99)
        Jobs(self.bench.of("another")).ask("counting", self.id, count=99)
        page.leave_page("a page")
        self.assertEqual(self.list.under_way("a page"), [])
        self.assertEqual(len(self.list.under_way("another")), 1)

    def test_what_is_cancelled_changes_nothing_waiting_or_running(self):
        waiting = self.jobs.ask("automatic", self.id)
        self.list.cancel(waiting.id)
        self.assertEqual(self.ended(waiting).state, CANCELLED)

        def cancelled(task):
            self.list.cancel(task.work.id)
            task._told = 0.0
            task.progress(0.9)

        self.assertEqual(self.while_it_thinks(cancelled).state, CANCELLED)
        self.assertEqual(self.bench.open(self.id).revision.number, 0)

    def test_a_fault_is_one_sentence(self):
        self.working()
        ended = self.ended(self.jobs.ask("automatic", self.id, joints=["tail"]))
        self.assertEqual(ended.state, FAILED)
        self.assertIn("no joint called “tail”", ended.detail)


class FixedVersion(Case):
    def test_it_is_of_the_revision_it_was_asked_for_and_is_offered_when_that_was_edited(self):
        def edited(task):
            if task.work.character_id == self.id:
                weight_edits.give(self.bench, self.id, VertexChoice(part="tube"), "upper")
            before = self.bench.version_at(task.work.character_id, task.work.revision_id)
            self.assertEqual(before.revision.number, 0)
            self.assertIs(task.version, task.version)

        ended = self.while_it_thinks(edited)
        self.assertEqual((ended.state, ended.detail), (OFFERED, MEANWHILE))
        opened = self.bench.open(self.id)
        self.assertEqual(opened.revision.label, "Give tube to upper", "the edit meanwhile is kept")
        self.assertEqual([w.id for w in self.list.of_character(self.id)], [ended.id])
        made = self.jobs.take(ended.id)
        self.assertEqual((made.revision.label, made.revision.number), ("Automatic weights", 2))
        with self.assertRaises(NotThereError):
            self.jobs.take(ended.id)  # as another page does that saw it offered
        self.assertEqual(self.store.current(self.id).number, 2)
        again = self.bench.bring_in("Tube", tube_file().pack())
        self.assertEqual(self.ended(self.jobs.ask("automatic", again)).state, DONE)
        at_once = self.bench.shelf.catch_up(again).character.binding.joint_weights
        np.testing.assert_array_equal(made.character.binding.joint_weights, at_once)
        self.assertEqual(self.list.of_character(self.id), [])

    def test_what_is_offered_is_refused_where_it_fits_no_more(self):
        ended = self.while_it_thinks(lambda task: joint_edits.rename(self.bench, self.id, "upper", "top", False))
        with self.assertRaisesRegex(BadEditError, "“upper” is gone"):
            self.jobs.take(ended.id)
        self.list.cancel(ended.id)
        self.assertEqual(self.list.find(ended.id).state, CANCELLED)

    def test_no_edit_is_asked_for_in_the_middle_of_a_sculpt(self):
        opened = self.bench.open(self.id)
        with patch.object(type(opened), "sculpt", object()), self.assertRaisesRegex(BadEditError, "sculpt"):
            self.jobs.ask("automatic", self.id)
        with self.assertRaises(NotThereError):
            self.bench.version_at(self.id, "gone")


class Ownership(Case):
    def tickets(self, statement):
        with self.store.transactions.begin() as session:
            return session.connection().exec_driver_sql(statement)

    def taken(self):
        work = self.jobs.ask("counting", self.id, count=1)
        return work, self.owned.take(work.id)

    def test_a_silent_owner_loses_it_only_to_another(self):
        work, owner = self.taken()
        self.assertIsNone(self.owned.take(work.id), "it is taken up once")
        self.owned.lapse(5.0, DEADLY)
        self.assertEqual(self.list.find(work.id).state, RUNNING, "five seconds have not gone by")
        self.owned.lapse(0.0, DEADLY)
        self.assertEqual(self.list.find(work.id).state, WAITING)
        self.assertEqual(self.owned.beat([owner]), {owner}, "whoever was only slow goes on")
        self.assertEqual(self.list.find(work.id).state, RUNNING)
        self.tickets("delete from procrastinate_jobs")
        self.owned.lapse(0.0, DEADLY)
        self.assertEqual(self.tickets("select id from procrastinate_jobs").rowcount, 1, "workers are told")
        other = self.owned.take(work.id)
        self.assertEqual(self.owned.beat([owner, other]), {other})
        for late in (
            lambda: self.owned.progress(work.id, owner, 0.9),
            lambda: self.owned.finish(work.id, owner, DONE, report=Report({"sum": 1})),
            lambda: self.owned.part(work.id, owner, [{}, {}]),
        ):
            self.assertRaises(DisownedError, late)
        self.assertIsNone(self.list.report(work.id))
        for so_far in (0, 1):
            self.assertTrue(self.owned.progress(work.id, other, 0.5, Report({"sum": so_far})))
            self.assertEqual(self.list.report(work.id), {"sum": so_far})
        self.owned.finish(work.id, other, DONE, report=Report({"sum": 2}))
        self.assertRaises(DisownedError, self.owned.finish, work.id, other, FAILED)
        self.assertEqual(self.list.report(work.id), {"sum": 2})

    def test_what_costs_one_owner_after_the_other_has_failed(self):
        work, _ = self.taken()
        for _ in range(2):
            self.owned.lapse(0.0, DEADLY)
            self.assertIsNotNone(self.owned.take(work.id))
        self.owned.lapse(0.0, DEADLY)
        ended = self.list.find(work.id)
        self.assertEqual((ended.state, ended.detail), (FAILED, DEADLY))

    def test_an_edit_is_stored_with_its_end_or_not_at_all(self):
        """A worker that was suspended while another did it comes back, and brings nothing."""

        def overtaken(task):
            self.owned.lapse(0.0, DEADLY)
            other = self.owned.take(task.work.id)
            self.owned.finish(task.work.id, other, FAILED, "told by the other")

        self.assertEqual(self.while_it_thinks(overtaken).detail, "told by the other")
        self.assertEqual(self.store.current(self.id).number, 0)

    def test_what_is_let_go_or_lost_its_ticket_is_taken_up_anew(self):
        first, owner = self.taken()
        self.tickets("delete from procrastinate_jobs")
        with patch("plethos.store.owned_work.LATE", 0.0):
            self.owned.release([owner])
            self.assertEqual(self.list.find(first.id).state, WAITING)
            self.assertRaises(DisownedError, self.owned.progress, first.id, owner, 0.5)
            self.owned.repair()
        self.working()
        self.assertEqual(self.ended(first).state, DONE)


class Parts(Case):
    def test_parts_are_put_together_in_their_order(self):
        self.working()
        work = self.jobs.ask("counting", self.id, count=5)
        seen: list[float] = []
        self.assertEqual(self.ended(work, seen).state, DONE)
        self.assertEqual(self.list.report(work.id), {"numbers": [0, 1, 2, 3, 4]})
        self.assertEqual(seen, sorted(seen))
        self.assertEqual([p.state for p in self.list.parts(work.id)], [DONE] * 5)
        self.assertEqual(self.owned.reports_of_parts(work.id), [], "they are of no use by themselves")
        self.assertEqual(Sweep(self.store.transactions).work(hours=0.0), 1)
        self.assertIsNone(self.list.report(work.id))

    def test_what_parts_came_to_is_in_their_order_whoever_was_first(self):
        work = self.jobs.ask("counting", self.id, count=3)
        self.owned.part(work.id, self.owned.take(work.id), [{}, {}, {}])
        for part in reversed(self.list.parts(work.id)):
            owner = self.owned.take(part.id)
            self.owned.finish(part.id, owner, DONE, report=Report({"number": part.part}))
        self.assertEqual([d["number"] for d in self.owned.reports_of_parts(work.id)], [0, 1, 2])
        self.assertEqual(self.list.find(work.id).state, WAITING, "whoever puts them together is told")
        self.assertIsNotNone(self.owned.take(work.id))

    def test_one_that_fails_ends_the_whole(self):
        self.working()
        work = self.jobs.ask("counting", self.id, count=6, breaks=2)
        ended = self.ended(work)
        self.assertEqual((ended.state, ended.detail), (FAILED, "The number 2 cannot be counted."))
        following = self.jobs.ask("counting", self.id, count=1)
        self.assertEqual(self.ended(following).state, DONE)
        self.assertEqual({p.state for p in self.list.parts(work.id)}, {DONE, FAILED, CANCELLED})

    def test_a_cancelled_whole_stops_its_parts(self):
        self.working()
        work = self.jobs.ask("counting", self.id, count=4, seconds=60)
        while not any(p.state == RUNNING for p in self.list.parts(work.id)):
            time.sleep(0.02)
        self.list.cancel(work.id)
        self.assertEqual(self.list.find(work.id).state, CANCELLED)
        self.assertEqual(self.ended(self.jobs.ask("counting", self.id, count=1)).state, DONE)
        self.assertEqual({p.state for p in self.list.parts(work.id)}, {CANCELLED})

    def test_workers_that_die_or_sleep_lose_and_double_nothing(self):
        """Three processes of their own share the parts of one job; one is killed, one suspended and resumed."""
        folders = [self.enterContext(tempfile.TemporaryDirectory()) for _ in range(3)]
        paths = {**os.environ, "PYTHONPATH": str(Path(__file__).parents[2])}
        command = [sys.executable, "-m", "tests.service.counting", self.url]
        workers = [subprocess.Popen(command, cwd=folder, env=paths) for folder in folders]
        for worker in workers:
            self.addCleanup(worker.wait)
            self.addCleanup(worker.kill)
        work = self.jobs.ask("counting", self.id, count=12, seconds=0.4)
        killed, suspended = workers[:2]
        # Both have a part in hand when it happens.
        while not {killed.pid, suspended.pid} <= begun_by(self.store):
            self.assertTrue(self.list.find(work.id).is_under_way, "it was over before both had a part")
            time.sleep(0.02)
        killed.send_signal(signal.SIGKILL)
        suspended.send_signal(signal.SIGSTOP)
        ended = self.ended(work)
        suspended.send_signal(signal.SIGCONT)
        self.assertEqual((ended.state, self.list.report(work.id)), (DONE, {"numbers": list(range(12))}))
        again = self.jobs.ask("counting", self.id, count=3)
        self.assertEqual(self.ended(again).state, DONE)
        self.assertEqual(self.list.report(work.id), {"numbers": list(range(12))})


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

    def test_work_that_lost_it_goes_on_once_it_is_back(self):
        begun = Event()

        def stuck(job, task, arguments):
            begun.set()
            time.sleep(1.0)
            task.progress(0.5)
            return run(job, task, arguments)

        run = AutomaticWeightsJob.run
        jobs = Jobs(self.bench)
        with Hired(Worker(self.bench, 3.0)), patch.object(AutomaticWeightsJob, "run", stuck):
            work = jobs.ask("automatic", self.id)
            begun.wait()
            self.kill()
            time.sleep(0.5)
            self.back()
            while jobs.find(work.id).is_under_way:
                time.sleep(0.05)
        self.assertEqual(jobs.find(work.id).state, DONE)
        self.assertEqual(self.store.current(self.id).number, 1, "it is stored once")


class TwoProcesses(Case):
    def test_a_worker_elsewhere_does_it_and_the_server_catches_up(self):
        elsewhere = Workbench(Store(self.url))
        self.addCleanup(elsewhere.store.close)
        opened = self.bench.open(self.id)
        self.working(elsewhere)
        self.assertEqual(self.ended(self.jobs.ask("automatic", self.id)).state, DONE)
        self.assertEqual(opened.revision.number, 0)
        self.bench.shelf.catch_up(self.id)
        self.assertEqual(opened.revision.label, "Automatic weights")
        there = elsewhere.open(self.id).character.binding.joint_weights
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
