"""A first mend in a person's hands: previewed as a sculpt, solved again, kept, undone; the response fitted to it."""

from __future__ import annotations

import math
import unittest
import unittest.mock

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.evaluate import ALL, NONE
from plethos.core.propose.first_mend import FirstMend
from plethos.core.sculpt.session import Dab
from plethos.demo.catalogue import shipped
from plethos.service.desk import charts
from plethos.service.edits import mask_edits, rule_edits
from plethos.service.jobs.jobs import Jobs
from plethos.service.library.poses import pose_of
from plethos.service.library.version import OvertakenError
from plethos.service.library.workbench import Workbench
from plethos.service.proposals import correctives, helpers, tried_kinds
from plethos.service.proposals.first_mends import MendAsked, first_mend, mending
from plethos.service.sculpts import kept_sculpt, session
from plethos.store.repository import Store
from tests.cases import BenchCase
from tests.server import fresh_database
from tests.strokes import sculpt

LOW = {"joints": {"lower": {"euler_xyz_deg": [0, 0, 50]}}}
BENT = {"joints": {"upper": {"euler_xyz_deg": [0, 0, 90]}}}


class AFirstMend(BenchCase):
    rings = 41

    def setUp(self):
        super().setUp()
        self.pose = pose_of(self.opened.version, BENT)

    def solved(self, **asked):
        return first_mend(self.bench, self.id, MendAsked(self.pose, **asked))

    def test_it_is_shown_as_a_sculpt_and_kept_like_one(self):
        note = self.solved().sculpt.note
        self.assertEqual((note.strokes, note.mend["joint"], note.mend["strokes"]), (1, "upper", 1))
        self.assertGreater(note.mend["volume"], note.mend["volume_before"] + 1)
        rule = kept_sculpt.propose_trigger(self.opened.version)
        fitted = correctives.fit(self.opened.version, rule)
        self.assertLessEqual(fitted.worst, fitted.worst_before + 1e-9)
        kept = kept_sculpt.keep(
            self.bench, self.id, "Elbow", fitted.trigger.to_document(self.opened.character.skeleton)
        ).character
        measure = self.opened.version.measures.bend(kept.skeleton.find("upper"))
        self.assertAlmostEqual(measure.at(self.pose, ALL).volume, note.mend["volume"], delta=0.05)
        self.assertAlmostEqual(measure.at(self.pose, NONE).volume, note.mend["volume_before"], delta=0.05)

    def test_it_tells_how_far_it_is_and_whoever_goes_away_changes_nothing(self):
        asked = {"pose": {"joints": {"upper": (0, 0, 0.5**0.5, 0.5**0.5)}}, "joint": "upper"}
        steps = Jobs(self.bench).have_done("first_mend", self.id, **asked)
        shares = [next(steps).share for _ in range(2)]
        steps.close()
        self.assertEqual((shares[0], self.opened.sculpt, self.opened.revision.number), (0.0, None, 0))
        *told, last = Jobs(self.bench).have_done("first_mend", self.id, **asked)
        shares = [now.share for now in told]
        self.assertEqual(shares, sorted(set(shares)))
        self.assertLess(shares[-1], 1.0)
        self.assertEqual({now.version for now in told}, {None})
        self.assertIs(last.version, self.opened.version)
        at_rest = self.opened.character.skeleton.rest_pose()
        session.drop(self.bench, self.id)
        with self.assertRaisesRegex(BadEditError, "loses no volume"):
            next(mending(self.opened.version, MendAsked(at_rest, "upper")))

    def test_solved_again_it_replaces_what_was_there_and_undo_brings_it_back(self):
        whole = self.solved().sculpt.points
        dab = Dab(300, tuple(self.opened.sculpt.points[150].tolist()), 0.1, 0.5)
        sculpt(self.bench, self.opened, "inflate", dab)
        touched = self.opened.sculpt.points
        self.assertGreater(np.abs(touched - whole).max(), 1e-4)
        half = self.solved(give_back=0.5).sculpt
        self.assertEqual((half.note.strokes, half.note.mend["give_back"]), (3, 0.5))
        self.assertLess(half.note.mend["volume"], 100)
        self.bench.step(self.id, -1)
        np.testing.assert_allclose(self.opened.sculpt.points, touched, atol=1e-12)
        self.assertEqual(self.opened.sculpt.note.mend["give_back"], 1.0)

    def test_it_is_all_there_after_a_restart(self):
        made = self.solved(give_back=0.7).sculpt
        again = Workbench(self.store).open(self.id).sculpt
        self.assertEqual(again.note.mend, made.note.mend)
        np.testing.assert_allclose(again.points, made.points, atol=1e-9)

    def test_what_is_changed_meanwhile_is_not_overwritten(self):
        solve = FirstMend.solving

        def meddled(mend, *arguments):
            other = Workbench(self.store)
            session.begin(other, self.id, self.pose, None)
            self.bench.shelf.catch_up(self.id)
            return solve(mend, *arguments)

        with unittest.mock.patch.object(FirstMend, "solving", meddled), self.assertRaises(OvertakenError):
            self.solved()
        self.assertEqual(self.opened.sculpt.note.strokes, 0)

    def test_what_cannot_be_mended_is_told_and_nothing_is_stored(self):
        before = self.opened.revision
        rest = pose_of(self.opened.version, {"joints": {}})
        with self.assertRaisesRegex(BadEditError, "has left rest"):
            first_mend(self.bench, self.id, MendAsked(rest))
        with self.assertRaisesRegex(BadEditError, "bends no skin"):
            self.solved(joint="lower")
        with self.assertRaisesRegex(BadEditError, "which pose"):
            first_mend(self.bench, self.id, MendAsked(None))
        self.assertEqual(self.opened.revision, before)

    def test_a_corrective_gets_another_curve_only_for_a_hinge(self):
        self.solved()
        made = kept_sculpt.keep(self.bench, self.id, "Loose", None).character.rules.remedies[-1]
        with self.assertRaisesRegex(BadEditError, "hinge"):
            correctives.fit_remedy(self.opened.version, made.id, None)
        rule = {
            "kind": "hinge", "joint": "upper", "axis": [0, 0, 1],
            "knots": [{"angle_deg": 0, "value": 0}, {"angle_deg": 90, "value": 1}],
        }  # fmt: skip
        fitted = correctives.fit_remedy(self.opened.version, made.id, rule)
        self.assertLessEqual(fitted.worst, fitted.worst_before + 1e-9)
        self.assertAlmostEqual(np.degrees(fitted.trigger.response.end), 90)


class TheKindThatSuits(BenchCase):
    rings = 41

    def setUp(self):
        super().setUp()
        self.pose = pose_of(self.opened.version, BENT)

    def take(self, kind):
        return tried_kinds.take_kind(self.bench, self.id, kind, self.pose, "upper")

    def test_trying_changes_nothing_and_taking_is_one_step(self):
        before = self.opened.revision
        *steps, kinds = tried_kinds.which_kind(self.opened.version, self.pose, None)
        self.assertEqual([s.left for s in steps], list(range(len(steps), 0, -1)))
        self.assertEqual([len(s.kinds) for s in steps], list(range(len(steps))))
        self.assertEqual(self.opened.revision, before)
        tried = {k.kind: k for k in kinds.kinds}
        self.assertEqual(set(tried), {"twist", "skin_blend", "corrective", "helper", "hem", "volume_keeper", "relaxer",
                                      "blend_and_corrective"})  # fmt: skip
        self.assertIsNone(tried["twist"].tried)
        self.assertIn("hardly rolls", tried["twist"].why)
        self.assertIn(kinds.proposed, [k for k, t in tried.items() if t.tried])
        made = self.take("volume_keeper")
        self.assertEqual([r.kind for r in made.character.rules.remedies], ["volume_keeper"])
        self.assertEqual(made.revision.number, before.number + 1)
        self.assertAlmostEqual(made.measures.bend(2).at(self.pose, ALL).volume, 100, delta=3)
        self.bench.step(self.id, -1)
        self.assertEqual(self.opened.character.rules.remedies, ())

    def test_a_corrective_is_shown_first_and_holds_everything_else_up(self):
        self.assertEqual(self.take("corrective").sculpt.note.mend["joint"], "upper")
        with self.assertRaisesRegex(BadEditError, "sculpt"):
            self.take("relaxer")

    def test_numbers_and_masks_are_changed_and_stored(self):
        keeper = self.take("volume_keeper").character.rules.remedies[0].id
        rule_edits.set_body(self.bench, self.id, keeper, {"share": 0.9, "most": 0.01})
        relaxer = self.take("relaxer").character.rules.remedies[1].id
        rule_edits.set_body(self.bench, self.id, relaxer, {"steps": 25})
        before = self.opened.character.rules.remedy(keeper).body.mask.dense(self.count)
        softer = mask_edits.set_mask(self.bench, self.id, keeper, "soften").character.rules.remedy(keeper).body.mask
        self.assertGreater(len(softer.vertices), (before > 0).sum())
        picked = mask_edits.set_mask(self.bench, self.id, keeper, "pick").character.region()
        np.testing.assert_allclose(picked, softer.dense(self.count), atol=1e-6)
        mask_edits.set_mask(self.bench, self.id, relaxer, "picked")
        again = Workbench(self.store).open(self.id).character.rules
        self.assertEqual((again.remedy(keeper).body.share, again.remedy(keeper).body.most), (0.9, 0.01))
        self.assertEqual(again.remedy(relaxer).body.steps, 25)
        np.testing.assert_allclose(again.remedy(relaxer).body.mask.dense(self.count), picked, atol=1e-6)
        for changes in ({"steps": 3}, {"mask": {}}, {"share": 9.0}):
            with self.assertRaises(BadEditError):
                rule_edits.set_body(self.bench, self.id, keeper, changes)
        with self.assertRaisesRegex(BadEditError, "cannot be made"):
            mask_edits.set_mask(self.bench, self.id, keeper, "guess")

    @property
    def count(self):
        return len(self.opened.character.mesh)

    def test_a_helper_joint_is_made_at_the_bend_changed_and_undone(self):
        with self.assertRaisesRegex(BadEditError, "hangs on nothing"):
            helpers.start_helper(self.bench, self.id, "half", pose_of(self.opened.version, LOW), "lower")
        made = helpers.start_helper(self.bench, self.id, "outside", self.pose, None).character
        helper = made.rules.remedies[0]
        self.assertEqual((helper.name, helper.kind), ("upper_outside", "helper"))
        rules = [r.to_document(made.skeleton) for r in helper.body.rules]
        rules += [{"kind": "limit", "axis": [0, 0, 1], "low_deg": None, "high_deg": 30.0}]
        rule_edits.set_body(self.bench, self.id, helper.id, {"rules": rules})
        again = Workbench(self.store).open(self.id).character.rules.remedies[0].body
        self.assertEqual([r.kind for r in again.rules], [r["kind"] for r in rules])
        self.bench.step(self.id, -1)
        self.bench.step(self.id, -1)
        self.assertNotIn("upper_outside", self.opened.character.skeleton.names)

    def test_the_bars_name_the_remedies(self):
        self.take("volume_keeper")
        ((remedy, volume),) = charts.bars(self.opened.version, self.pose, "upper")
        self.assertEqual(remedy.kind, "volume_keeper")
        measure = self.opened.version.measures.bend(2)
        self.assertAlmostEqual(volume, measure.at(self.pose, ALL).volume - measure.at(self.pose, NONE).volume)


class TwinsInStep(unittest.TestCase):
    """On the lock keeper, who has two sides."""

    @classmethod
    def setUpClass(cls):
        cls.store = Store(fresh_database())
        cls.addClassCleanup(cls.store.close)
        cls.bench = Workbench(cls.store)
        cls.id = cls.bench.bring_in("Half done", shipped("lock-keeper-half-done"))

    def setUp(self):
        self.opened = self.bench.open(self.id)
        self.start = self.opened.revision.number

    def tearDown(self):
        while self.opened.revision.number > self.start:
            self.bench.step(self.id, -1)

    def remedy(self, name):
        return next(r for r in self.opened.character.rules.remedies if r.name == name)

    def test_an_edit_of_either_side_changes_both_in_one_step_until_they_are_freed(self):
        elbow = self.remedy("Left elbow bent")
        rule_edits.add_twin(self.bench, self.id, elbow.id)
        other = self.remedy("Right elbow bent")
        before = self.opened.revision.number
        rule_edits.set_amount(self.bench, self.id, other.id, 0.5)
        self.assertEqual(self.opened.revision.number, before + 1)
        self.assertEqual(self.remedy("Left elbow bent").amount, 0.5)
        rule = self.opened.character.rules.trigger_of(elbow).to_document(self.opened.character.skeleton)
        rule["knots"] = [{"angle_deg": 10, "value": 0}, {"angle_deg": 100, "value": 1}]
        rule_edits.set_trigger(self.bench, self.id, elbow.id, rule)
        there = self.opened.character.rules.trigger_of(self.remedy("Right elbow bent"))
        self.assertEqual(self.opened.character.skeleton.names[there.joint], "right_forearm")
        np.testing.assert_allclose(np.degrees(there.response.inputs), [10, 100])
        rule_edits.free_twin(self.bench, self.id, other.id)
        rule_edits.switch(self.bench, self.id, elbow.id, False)
        self.assertEqual((self.remedy("Left elbow bent").on, self.remedy("Right elbow bent").on), (False, True))
        self.assertIsNone(self.remedy("Left elbow bent").twin)

    def test_the_roll_along_a_limb_is_told_before_and_after(self):
        pose = pose_of(self.opened.version, {"joints": {"left_hand": {"euler_xyz_deg": [0, -70, 0]}}})
        before = charts.roll(self.opened.version, pose, "left_hand")
        self.assertAlmostEqual(before["ideal_deg"][-1], before["roll_deg"])
        self.assertLess(before["roll_deg"], -60)
        tried_kinds.take_kind(self.bench, self.id, "twist", pose, "left_hand")
        after = charts.roll(self.opened.version, pose, "left_hand")
        worst = [
            max(abs(p - i) for p, i in zip(r["present_deg"], r["ideal_deg"], strict=True)) for r in (before, after)
        ]
        self.assertLess(worst[1], worst[0] / 3)
        self.assertIsNone(charts.roll(self.opened.version, pose, "left_forearm"), "it does not roll")
        self.assertIsNone(charts.roll(self.opened.version, pose, "neck"), "it does not roll")

    def test_twist_joints_are_made_where_there_are_none_and_shares_are_even_or_eased(self):
        pose = pose_of(self.opened.version, {"joints": {"neck": {"euler_xyz_deg": [0, 60, 0]}}})
        bare = charts.roll(self.opened.version, pose, "neck")
        self.assertEqual((bare["twists"], bare["flips"]), (0, None))
        made = helpers.share_roll(self.bench, self.id, "neck", 3, False).character
        pose = pose_of(self.opened.version, {"joints": {"neck": {"euler_xyz_deg": [0, 60, 0]}}})
        even = charts.roll(self.opened.version, pose, "neck")
        self.assertEqual(even["twists"], 3)
        own = [r for r in made.rules.remedies if r.kind == "helper"]
        self.assertEqual(len(own), 3)
        eased = helpers.share_roll(self.bench, self.id, "neck", 3, True).character
        again = [r for r in eased.rules.remedies if r.kind == "helper"]
        self.assertEqual([r.id for r in again], [r.id for r in own], "the same helpers, with other shares")
        shares = [[abs(r.body.rules[0].share) for r in rs] for rs in (own, again)]
        # Slow at both ends: less near the start, more near the end.
        self.assertLess(shares[1][0], shares[0][0])
        self.assertGreaterEqual(shares[1][-1], shares[0][-1])

    def test_a_roll_near_half_a_turn_is_warned_of(self):
        pose = pose_of(self.opened.version, {"joints": {"neck": {"euler_xyz_deg": [0, 175, 0]}}})
        self.assertIn("turned the other way", charts.roll(self.opened.version, pose, "neck")["flips"])

    def test_a_sculpt_of_one_side_is_kept_on_both(self):
        elbow = self.remedy("Left elbow bent")
        rule_edits.add_twin(self.bench, self.id, elbow.id)
        bent = {"joints": {"left_forearm": {"euler_xyz_deg": [0, 0, 125]}}}
        pose = pose_of(self.opened.version, bent)
        session.begin(self.bench, self.id, pose, elbow.id)
        moved = int(np.linalg.norm(self.opened.sculpt.points - self.opened.sculpt.base.exact_points(), axis=1).argmax())
        triangles = self.opened.character.mesh.topology.triangles
        triangle = int(np.flatnonzero((triangles == moved).any(axis=1))[0])
        place = tuple(self.opened.sculpt.points[moved].tolist())
        sculpt(self.bench, self.opened, "inflate", Dab(triangle, place, 0.05, 1.0))
        kept_sculpt.keep(self.bench, self.id, elbow.name, None)
        shapes = [self.remedy(f"{s} elbow bent").body.targets[-1].shape for s in ("Left", "Right")]
        sizes = [np.sort(np.linalg.norm(s.deltas, axis=1))[-30:] for s in shapes]
        np.testing.assert_allclose(*sizes, rtol=2e-3)

    def test_a_target_further_on_is_led_to_on_both_sides(self):
        rule_edits.add_twins(self.bench, self.id)
        elbow = self.remedy("Left elbow bent")
        end = self.opened.character.rules.trigger_of(elbow).response.end
        correctives.add_between(self.bench, self.id, elbow.id, math.degrees(end) + 15)
        rules = self.opened.character.rules
        both = [self.remedy(f"{side} elbow bent") for side in ("Left", "Right")]
        for remedy in both:
            self.assertAlmostEqual(abs(rules.trigger_of(remedy).response.end), end + math.radians(15), places=6)
        self.assertEqual(*([t.at for t in r.body.targets] for r in both))
        self.assertEqual(len(both[0].body.targets), len(elbow.body.targets) + 1)

    def test_all_twins_at_once_and_what_has_no_partner_is_told(self):
        rule_edits.add_twins(self.bench, self.id)
        names = [r.name for r in self.opened.character.rules.remedies]
        self.assertEqual(sorted(names), ["Left elbow bent", "Left knee bent", "Right elbow bent", "Right knee bent"])
        with self.assertRaisesRegex(BadEditError, "has its twin already"):
            rule_edits.add_twins(self.bench, self.id)
        rules, pairs = self.opened.character.rules, self.opened.character.mesh.pairs
        for side, other in (("Left", "Right"), ("Right", "Left")):
            for joint in ("elbow", "knee"):
                remedy, source = self.remedy(f"{side} {joint} bent"), self.remedy(f"{other} {joint} bent")
                self.assertEqual(remedy.twin, source.id)
                own = np.unique(np.concatenate([s.vertices for s in source.body.shapes]))
                told = [n for n in remedy.notes if "no partner" in n]
                self.assertEqual(bool(told), side == "Right" and bool((pairs[own] < 0).any()), remedy.name)
        self.assertEqual(len(rules.remedies), 4)
