"""The trouble list: swept in parts, kept way by way, and measured again only where an edit reaches."""

import math
from dataclasses import replace

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.rules.remedies import Corrective, Remedy
from plethos.core.rules.response import Response
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.skin.shape import Shape
from plethos.service.edits import joint_edits
from plethos.service.jobs.jobs import Jobs
from plethos.service.jobs.worker import Worker
from plethos.service.library.open_character import NotThereError
from plethos.service.stress.plan import plan_of
from plethos.service.stress.trouble import Trouble
from plethos.store.swept import SweptWays
from plethos.store.work import CANCELLED, DONE
from tests.cases import BenchCase
from tests.figures import pair_file


class Case(BenchCase):
    brought = pair_file().pack()

    def setUp(self):
        super().setUp()
        joint_edits.set_hinge(self.bench, self.id, "upper", (0, 0, 1), -60, 90, False)
        self.kept = SweptWays(self.store.transactions)

    def told(self):
        return Trouble(self.bench.open(self.id).version, self.kept).told()

    def swept(self, until=99):
        """Have it swept by this thread; how many poses were measured."""
        jobs, worker = Jobs(self.bench), Worker(self.bench)
        work = jobs.ask_anew("sweep", self.id)
        worker.do(work.id)
        for part in jobs.list.parts(work.id)[:until]:
            worker.do(part.id)
        worker.do(work.id)
        self.assertIn(jobs.find(work.id).state, (DONE, "parted"))
        report = jobs.list.report(work.id)
        return None if report is None else report["poses"]

    def corrective(self, by, size=0.004):
        """A corrective at the upper joint that swells it, fully on at 90 degrees."""
        version = self.bench.open(self.id).version
        rest = version.character.mesh.rest
        near = np.flatnonzero(np.abs(rest[:, 1] - 0.5) < 0.1).astype(np.int32)
        out = rest[near] * (1, 0, 1)
        shape = Shape("swell", near, (size * out / np.linalg.norm(out, axis=1, keepdims=True)).astype(np.float32))
        upper = version.character.skeleton.find("upper")
        trigger = HingeTrigger(upper, (0.0, 0.0, 1.0), Response((0.0, math.radians(90)), (0.0, by)))
        made = version.character.with_remedy(Remedy(Corrective.of(shape), "swell", by=trigger.id), trigger)
        self.bench.commit(self.bench.open(self.id), "Swell", made)


class Swept(Case):
    def test_nothing_is_told_before_and_everything_after(self):
        self.assertFalse(self.told().swept)
        poses = self.swept()
        told = self.told()
        ways = self.kept.of_character(self.id)
        self.assertEqual({n for n in ways if not n.startswith("clip:")}, {"joint:upper:z+", "joint:upper:z-"})
        self.assertEqual((told.poses, told.missing, told.older, told.gone), (poses, 0, 0, []))
        self.assertEqual({s.change for s in told.spots}, {None})
        self.assertAlmostEqual(told.total.bare, sum(s.badness.bare for s in told.spots), places=2)
        order = [s.badness.with_remedies for s in told.spots]
        self.assertEqual(order, sorted(order, reverse=True))

    def test_what_was_measured_is_not_measured_again(self):
        self.swept()
        self.assertEqual(self.swept(), 0)
        # An edit that no pose sees, and one that every pose sees.
        joint_edits.rename(self.bench, self.id, "lower", "base", False)
        self.assertGreater(self.told().older, 0)

    def test_a_sweep_that_was_left_in_the_middle_goes_on_where_it_stopped(self):
        whole = self.swept()
        self.kept.keep(self.id, ["joint:upper:z+"])
        self.assertEqual((self.told().missing > 0, self.told().swept), (True, True))
        self.assertEqual(self.swept(), whole - 10)

    def test_what_an_edit_reaches_is_measured_again_and_the_list_says_what_became_of_it(self):
        self.corrective(1.0)
        whole = self.swept()
        for amount, change in ((0.0, "worse"), (1.0, "better")):
            self.corrective_at(amount)
            self.assertEqual(self.told().older, len(self.kept.of_character(self.id)))
            self.assertEqual(self.swept(), whole)
            self.assertEqual({s.id: s.change for s in self.told().spots}["joint:upper:z+:loss"], change)

    def corrective_at(self, amount):
        character = self.bench.open(self.id).version.character
        (remedy,) = character.rules.remedies
        made = character.with_rules(replace(character.rules, remedies=(replace(remedy, amount=amount),)))
        self.bench.commit(self.bench.open(self.id), "Amount", made)

    def test_a_chosen_joint_comes_first_and_an_older_sweep_is_stopped(self):
        plan = plan_of(self.bench.open(self.id).version)
        parts = plan.parts(plan.ways, "upper")
        self.assertEqual(parts[0], ["joint:upper:z+", "joint:upper:z-"])
        jobs = Jobs(self.bench)
        first = jobs.ask_anew("sweep", self.id)
        self.assertEqual(jobs.ask_anew("sweep", self.id, first="upper").id, first.id)
        joint_edits.set_hinge(self.bench, self.id, "upper", (0, 0, 1), -30, 30, False)
        self.assertNotEqual(jobs.ask_anew("sweep", self.id).id, first.id)
        self.assertEqual(jobs.find(first.id).state, CANCELLED)

    def test_ways_that_the_plan_has_no_more_are_forgotten(self):
        self.swept()
        joint_edits.set_hinge(self.bench, self.id, "upper", (0, 0, 1), 0, 90, False)
        self.swept()
        self.assertNotIn("joint:upper:z-", self.kept.of_character(self.id))


class Said(Case):
    def test_a_spot_is_accepted_with_a_reason_until_it_is_opened_again(self):
        self.swept()
        trouble = Trouble(self.bench.open(self.id).version, self.kept)
        worst = trouble.told().spots[0].id
        trouble.accept(worst, " Hidden by the coat.\x00 ")
        (spot,) = (s for s in trouble.told().spots if s.id == worst)
        self.assertEqual((spot.state, spot.reason), ("accepted", "Hidden by the coat."))
        trouble.reopen(worst)
        self.assertEqual({s.state for s in trouble.told().spots}, {"open"})
        with self.assertRaises(BadEditError):
            trouble.accept(worst, "  ")
        with self.assertRaises(NotThereError):
            trouble.accept("joint:nobody:z+:loss", "why not")
