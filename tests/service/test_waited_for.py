"""Long work that somebody waits for: by a worker it comes to what it comes to at once."""

import time
from types import SimpleNamespace
from unittest.mock import patch

import numpy as np

from plethos.core.errors import BadEditError
from plethos.service.edits import weight_edits
from plethos.service.jobs import jobs as asking
from plethos.service.jobs.delivery import DeliveryJob
from plethos.service.jobs.first_mend import FirstMendJob
from plethos.service.jobs.jobs import Jobs
from plethos.service.jobs.kind import UnwantedError
from plethos.service.jobs.put_to_use import CANCELLED, delivery_in, which_kinds
from plethos.service.jobs.task_here import TaskHere
from plethos.service.jobs.which_kind import WhichKindJob
from plethos.service.jobs.worker import MEANWHILE, Worker
from plethos.service.library.poses import pose_of
from plethos.service.library.workbench import Workbench
from plethos.service.schemas.bind import VertexChoice
from plethos.service.schemas.mending import ProposalRequest
from plethos.service.sculpts import session
from plethos.store.repository import Store
from plethos.store.work import OFFERED
from tests.cases import BenchCase
from tests.service.test_jobs import Hired

BENT = {"joints": {"upper": (0.0, 0.0, 0.5**0.5, 0.5**0.5)}}
FOLDED = {"joints": {"upper": (0.0, 0.0, np.sin(1.2), np.cos(1.2))}}


class WaitedFor(BenchCase):
    rings = 41

    def setUp(self):
        super().setUp()
        self.jobs = Jobs(self.bench)

    def by_a_worker(self, *kinds):
        """Have these kinds done by a worker that knows nothing but the database, until the test ends."""
        for kind in kinds:
            self.enterContext(patch.object(kind, "takes_long", return_value=True))
        self.enterContext(patch.object(asking, "PATIENCE", 60.0))
        elsewhere = Workbench(Store(self.url))
        self.addCleanup(elsewhere.store.close)
        self.enterContext(Hired(Worker(elsewhere)))

    def both(self, kind, ask):
        """What an asking comes to at once, and by a worker."""
        at_once = ask()
        self.by_a_worker(kind)
        with patch.object(asking, "TaskHere", side_effect=AssertionError("it is done by the worker")):
            return at_once, ask()

    def test_a_first_mend_is_the_same_sculpt(self):
        def mended():
            *told, last = self.jobs.have_done("first_mend", self.id, pose=BENT, joint="upper")
            self.assertTrue(all(now.version is None for now in told))
            self.assertIs(last.version, self.opened.version)
            held = last.version.sculpt
            label = last.version.revision.label
            session.drop(self.bench, self.id)
            return held, label

        (one, label), (other, again) = self.both(FirstMendJob, mended)
        self.assertEqual((label, again), ("Solve a first mend",) * 2)
        np.testing.assert_array_equal(one.points, other.points)
        self.assertEqual(one.note, other.note)
        self.assertGreater(np.abs(one.points - one.start).max(), 0.001)

    def test_what_is_pushed_apart_goes_on_top_of_the_sculpt(self):
        kind = asking.KINDS["push_apart"]

        def pushed():
            session.begin(self.bench, self.id, pose_of(self.opened.version, FOLDED), None)
            *told, last = self.jobs.have_done("push_apart", self.id, joint="upper")
            lefts = [now.document["left"] for now in told if now.document]
            self.assertGreater(lefts[0], last.document["left"])
            held = self.opened.sculpt
            session.drop(self.bench, self.id)
            return held, last.document["left"]

        (one, left), (other, again) = self.both(type(kind), pushed)
        np.testing.assert_array_equal(one.points, other.points)
        self.assertEqual((left, one.note.strokes), (again, 1))

    def test_which_kind_tells_the_same_and_its_trials_are_at_hand(self):
        asked = ProposalRequest(pose=BENT, joint="upper")

        def tried():
            told = [t for t in which_kinds(self.jobs, self.id, asked, lambda: None) if t is not None]
            characters = {k: t.character for k, t in self.opened.trials.of(None).found.items()}
            return told[-1], characters

        (one, here), (other, there) = self.both(WhichKindJob, tried)
        self.assertEqual(one, other)
        self.assertEqual(here.keys(), there.keys())
        for kind, character in here.items():
            self.assertEqual(
                [r.kind for r in character.rules.remedies], [r.kind for r in there[kind].rules.remedies], kind
            )
            self.assertEqual(len(character.skeleton), len(there[kind].skeleton), kind)

    def test_which_kind_stops_in_the_middle_of_a_kind(self):
        shares = list[float]()

        def progress(task, share, so_far=None):
            shares.append(share)
            if so_far is None:
                raise UnwantedError

        version = self.opened.version
        with patch.object(TaskHere, "progress", progress), self.assertRaises(UnwantedError):
            WhichKindJob().run(TaskHere(self.bench, version, {}), {"pose": BENT, "joint": "upper"})
        self.assertEqual(shares, sorted(shares))
        self.assertLess(shares[-1], 3 / 8, "the corrective is the first that has steps")

    def test_a_delivery_is_the_same_file_and_whoever_goes_away_ends_it(self):
        handed = []

        def delivery():
            *_, last = self.jobs.have_done("delivery", self.id, lambda: handed.append(1))
            return delivery_in(last)

        one, other = self.both(DeliveryJob, delivery)
        self.assertEqual(one, other)
        self.assertEqual(handed, [1], "only what is handed on lets others have their turn")
        steps = self.jobs.following("delivery", self.id, lambda: None)
        with self.assertRaisesRegex(BadEditError, CANCELLED):
            delivery_in(next(steps))
        self.assertIsNone(next(steps), "nobody sleeps in between")
        steps.close()
        while self.jobs.list.of_character(self.id):
            time.sleep(0.02)

    def test_what_is_large_takes_long(self):
        begun = session.begin(self.bench, self.id, pose_of(self.opened.version, FOLDED), None)
        for name, asked, large in (
            ("first_mend", {"pose": BENT, "joint": "upper"}, "first_mend.MANY"),
            ("push_apart", {"joint": "upper"}, "push_apart.MANY"),
            ("which_kind", {"pose": BENT, "joint": "upper"}, "which_kind.MANY"),
            ("delivery", {}, "delivery.MANY"),
        ):
            kind = asking.KINDS[name]
            arguments = kind.arguments(**asked).model_dump(mode="json")
            self.assertFalse(kind.takes_long(begun, arguments), name)
            with patch(f"plethos.service.jobs.{large}", 10):
                self.assertTrue(kind.takes_long(begun, arguments), name)
        self.assertTrue(asking.KINDS["automatic"].takes_long(begun, {}))
        clip = SimpleNamespace(duration=100.0)
        with patch("plethos.service.jobs.delivery.clip_named", return_value=clip):
            self.assertTrue(asking.KINDS["delivery"].takes_long(begun, {"bake": "long"}))

    def test_what_no_worker_takes_up_is_done_here(self):
        with patch.object(FirstMendJob, "takes_long", return_value=True), patch.object(asking, "PATIENCE", 0.2):
            *_, last = self.jobs.have_done("first_mend", self.id, pose=BENT, joint="upper")
        self.assertIs(last.version, self.opened.version)
        self.assertEqual(self.jobs.list.of_character(self.id), [])

    def test_a_fault_is_told_and_an_edit_meanwhile_is_kept(self):
        self.by_a_worker(FirstMendJob)
        with self.assertRaisesRegex(BadEditError, "loses no volume"):
            list(self.jobs.have_done("first_mend", self.id, pose={}, joint="upper"))
        run = FirstMendJob.run

        def edited(kind, task, arguments):
            document = run(kind, task, arguments)
            weight_edits.give(self.bench, self.id, VertexChoice(part="tube"), "upper")
            return document

        with patch.object(FirstMendJob, "run", edited):
            *_, last = self.jobs.have_done("first_mend", self.id, pose=BENT, joint="upper")
        self.assertIsNone(last.version)
        (offered,) = self.jobs.list.of_character(self.id)
        self.assertEqual((offered.state, offered.detail), (OFFERED, MEANWHILE))
        self.assertEqual(self.jobs.take(offered.id).sculpt.note.strokes, 1)

    def test_whoever_stops_asking_stops_the_worker(self):
        self.by_a_worker(FirstMendJob)
        steps = self.jobs.have_done("first_mend", self.id, pose=BENT, joint="upper")
        next(steps)
        steps.close()
        while self.jobs.list.of_character(self.id):
            time.sleep(0.02)
        self.assertIsNone(self.bench.shelf.catch_up(self.id).sculpt)
