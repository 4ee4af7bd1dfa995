"""Masks painted in Mend, helpers shown on their way, and kinds that are looked at before one is taken."""

import math
import unittest

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.evaluate import ALL, NONE, Evaluator
from plethos.core.measure.travel import bent
from plethos.core.propose.made_helpers import pose_with_added_joints
from plethos.core.sculpt.session import Dab
from plethos.core.skeleton.pose_files import pose_to_json
from plethos.demo.catalogue import shipped
from plethos.service.desk.bend_strip import bend_curves
from plethos.service.desk.frame import frame
from plethos.service.edits import mask_edits, region_edits, rule_edits
from plethos.service.jobs.jobs import Jobs
from plethos.service.jobs.put_to_use import which_kinds
from plethos.service.library.poses import pose_of
from plethos.service.library.workbench import Workbench
from plethos.service.proposals import helpers, tried_kinds
from plethos.service.schemas.bind import Pick
from plethos.service.schemas.mending import ProposalRequest
from plethos.service.schemas.tools import MaskSettings
from plethos.service.schemas.want import Want
from plethos.service.sculpts import given_way, kept_sculpt, session
from plethos.store.repository import Store
from tests.cases import BenchCase
from tests.server import fresh_database
from tests.strokes import desk, sculpt
from tests.web.test_api import unpack

BENT = {"joints": {"upper": {"euler_xyz_deg": [0, 0, 90]}}}


class OnATube(BenchCase):
    rings = 41

    def setUp(self):
        super().setUp()
        self.pose = pose_of(self.opened.version, BENT)
        self.count = len(self.opened.character.mesh)

    def remedy(self):
        return self.opened.character.rules.remedies[-1]

    def seen(self, at, **wanted):
        return unpack(frame(at, at.version, self.pose, Want(**wanted), {"seq": 1}))


class Painting(OnATube):
    def setUp(self):
        super().setUp()
        mask_edits.add_masked(self.bench, self.id, "skin_blend", "upper")
        self.own = self.remedy().id
        points = self.opened.version.evaluator.pose(self.pose).points
        self.triangle = 970
        self.at = tuple(points[self.opened.character.mesh.topology.triangles[970]].mean(axis=0).tolist())

    def dab(self, strength=0.5, radius=0.08):
        return Dab(self.triangle, self.at, radius, strength)

    def mask(self):
        return self.opened.character.rules.remedy(self.own).mask.dense(self.count)

    def paint(self, mode, *dabs):
        at = desk(self.opened)
        for dab in dabs:
            at.touch(at.version, "mask", self.pose, MaskSettings(remedy_id=self.own, mode=mode), [dab])
        return at

    def test_what_is_painted_moves_the_skin_at_once_and_is_stored_when_the_stroke_ends(self):
        mask_edits.set_mask(self.bench, self.id, self.own, "clear")
        plain = self.opened.version.evaluator.pose(self.pose).points
        at = self.paint("add", self.dab(), self.dab())
        _, fields = self.seen(at, mask=self.own)
        self.assertGreater(np.abs(fields["with"].reshape(-1, 3) - plain).max(), 1e-4)
        self.assertEqual(float(self.mask().max()), 0.0, "not stored yet")
        self.assertAlmostEqual(float(fields["region"].max()), 1.0, places=1)
        at.end_stroke(self.bench)
        np.testing.assert_allclose(self.mask(), fields["region"], atol=1e-6)
        again = Workbench(self.store).open(self.id).character.rules.remedy(self.own).mask.dense(self.count)
        np.testing.assert_array_equal(again, self.mask())
        self.bench.step(self.id, -1)
        self.assertEqual(float(self.mask().max()), 0.0)

    def test_add_and_take_are_each_other_turned_round_and_smooth_evens_out(self):
        start = self.mask()
        self.paint("take", self.dab()).end_stroke(self.bench)
        less = self.mask()
        self.assertTrue((less <= start + 1e-6).all() and (less < start - 0.1).any())
        self.bench.step(self.id, -1)
        self.paint("add", self.dab(-0.5)).end_stroke(self.bench)
        np.testing.assert_allclose(self.mask(), less, atol=1e-6)
        edges = self.opened.character.mesh.topology.edges
        step = np.square(less[edges[:, 0]] - less[edges[:, 1]]).sum()
        self.paint("smooth", *[self.dab(1.0, 0.15)] * 4).end_stroke(self.bench)
        self.assertLess(np.square(self.mask()[edges[:, 0]] - self.mask()[edges[:, 1]]).sum(), 0.97 * step)

    def test_what_others_do_to_the_mask_meanwhile_stays_where_this_stroke_did_not_paint(self):
        at = self.paint("take", self.dab())
        painted = at.stroke.shares != at.stroke.before
        mask_edits.set_mask(self.bench, self.id, self.own, "clear")
        at.end_stroke(self.bench)
        self.assertEqual(float(self.mask()[~painted].max()), 0.0)
        self.assertGreater(float(self.mask()[painted].min()), 0.0)

    def test_masks_of_a_joint_a_part_or_what_is_picked(self):
        mask_edits.set_mask(self.bench, self.id, self.own, "part", "tube")
        self.assertEqual(float(self.mask().min()), 1.0)
        mask_edits.set_mask(self.bench, self.id, self.own, "joint", "upper")
        self.assertEqual((float(self.mask().min()), float(self.mask().max())), (0.0, 1.0))
        mask_edits.set_mask(self.bench, self.id, self.own, "clear")
        self.assertEqual(len(self.remedy().mask.vertices), 0)
        with self.assertRaisesRegex(BadEditError, "Nothing is picked"):
            mask_edits.set_mask(self.bench, self.id, self.own, "picked")
        region_edits.choose(self.bench, self.id, Pick(by="all"), None, False)
        mask_edits.set_mask(self.bench, self.id, self.own, "picked")
        self.assertEqual(float(self.mask().min()), 1.0)
        region_edits.reshape(self.bench, self.id, "none", 0.0)
        region_edits.choose(self.bench, self.id, Pick(by="joint", name="upper", least=0.5), None, False)
        region_edits.keep(self.bench, self.id, "upper half")
        mask_edits.set_mask(self.bench, self.id, self.own, "region", "upper half")
        self.assertTrue(0.3 < float(self.mask().mean()) < 0.7)

    def test_nonsense_is_told_and_changes_nothing(self):
        at = self.paint("add", self.dab())
        with self.assertRaisesRegex(BadEditError, "Another mask"):
            at.touch(at.version, "mask", self.pose, MaskSettings(remedy_id="x", mode="add"), [self.dab()])
        with self.assertRaisesRegex(BadEditError, "nothing that acts"):
            mask_edits.add_masked(self.bench, self.id, "corrective", "upper")
        with self.assertRaisesRegex(BadEditError, "bends no skin"):
            mask_edits.add_masked(self.bench, self.id, "relaxer", "lower")


class HelpersOnTheirWay(OnATube):
    def setUp(self):
        super().setUp()
        helpers.start_helper(self.bench, self.id, "outside", self.pose, "upper")
        self.pose = pose_of(self.opened.version, BENT)

    def test_the_path_is_where_the_joint_is_in_each_pose_and_stops_are_on_it(self):
        angles = [0.0, 30.0, 60.0, 90.0]
        found = helpers.path(self.opened.version, self.remedy().id, self.pose, "upper", (0, 0, 1), angles)
        joint = self.remedy().body.joint
        for angle, place in zip(angles, found.places, strict=True):
            pose = pose_of(self.opened.version, {"joints": {"upper": {"euler_xyz_deg": [0, 0, angle]}}})
            np.testing.assert_allclose(place, self.opened.version.evaluator.pose(pose).world[joint][:3, 3])
        self.assertEqual([(s.rule, s.knot) for s in found.stops], [(1, 0), (1, 1)])
        np.testing.assert_allclose(found.stops[1].at, found.places[-1], atol=1e-9)
        np.testing.assert_allclose(found.stops[0].at, found.places[0], atol=1e-9)

    def test_a_stop_that_is_moved_moves_the_helper_as_far_along_its_way(self):
        found = helpers.path(self.opened.version, self.remedy().id, self.pose, "upper", (0, 0, 1), [90.0])
        rules = [r.to_document(self.opened.character.skeleton) for r in self.remedy().body.rules]
        rules[1]["knots"][1]["metres"] += 0.02
        rule_edits.set_body(self.bench, self.id, self.remedy().id, {"rules": rules})
        rule_edits.set_amount(self.bench, self.id, self.remedy().id, 0.5)
        now = helpers.path(self.opened.version, self.remedy().id, self.pose, "upper", (0, 0, 1), [90.0])
        self.assertAlmostEqual(float(np.linalg.norm(found.stops[1].along)), 1.0)
        np.testing.assert_allclose(now.stops[1].along, 0.5 * found.stops[1].along, atol=1e-9)
        rule_edits.set_amount(self.bench, self.id, self.remedy().id, 1.0)
        full = helpers.path(self.opened.version, self.remedy().id, self.pose, "upper", (0, 0, 1), [90.0])
        np.testing.assert_allclose(full.places - found.places, [0.02 * found.stops[1].along], atol=1e-6)

    def test_rules_that_are_being_changed_are_seen_and_not_stored(self):
        at, before = desk(self.opened), self.opened.revision
        rules = [r.to_document(self.opened.character.skeleton) for r in self.remedy().body.rules]
        plain = self.seen(at)[1]["with"]
        rules[1]["knots"][1]["metres"] += 0.02
        shown = self.seen(at, body={"remedy_id": self.remedy().id, "body": {"rules": rules}})[1]["with"]
        self.assertGreater(np.abs(shown - plain).max(), 0.005)
        self.assertEqual(self.opened.revision, before)
        rule_edits.set_body(self.bench, self.id, self.remedy().id, {"rules": rules})
        np.testing.assert_allclose(self.seen(at)[1]["with"], shown, atol=1e-6)

    def test_at_a_spot_of_the_posed_skin(self):
        triangles = self.opened.character.mesh.topology.triangles
        points = self.opened.version.evaluator.pose(self.pose).points
        vertex = int(triangles[700][1])
        found = helpers.vertex_at(self.opened.version, self.pose, 700, points[vertex].tolist())
        self.assertEqual(found, vertex)
        with self.assertRaisesRegex(BadEditError, "does not lie"):
            helpers.vertex_at(self.opened.version, self.pose, 10**6, [0, 0, 0])
        made = helpers.start_helper(self.bench, self.id, "spot", self.pose, "upper", (vertex, 0.1)).character
        self.assertEqual(float(made.rules.remedies[-1].mask.dense(self.count)[vertex]), 1.0)
        for spot in (None, (10**6, 0.1), (vertex, math.nan), (vertex, 0.0)):
            with self.assertRaises(BadEditError):
                helpers.start_helper(self.bench, self.id, "spot", self.pose, "upper", spot)

    def test_only_helpers_go_anywhere(self):
        mask_edits.add_masked(self.bench, self.id, "relaxer", "upper")
        with self.assertRaisesRegex(BadEditError, "no helper joint"):
            helpers.path(self.opened.version, self.remedy().id, self.pose, "upper", (0, 0, 1), [0.0])


class Trials(OnATube):
    def tried(self, pose, page=None):
        """Tries the kinds for a page, and gives what the core makes of each."""
        skeleton = self.opened.character.skeleton
        asked = ProposalRequest(pose=pose_to_json(skeleton, pose), joint="upper")
        list(which_kinds(Jobs(self.bench.of(page)), self.id, asked, lambda: None))
        return tried_kinds.which_kind(self.opened.version, pose, "upper")

    def test_a_kind_is_seen_at_work_before_it_is_taken_and_nothing_is_stored(self):
        before, at = self.opened.revision, desk(self.opened)
        *_, kinds = self.tried(self.pose, at.page)
        # Another page that asks for another joint takes nothing of it away.
        skeleton = self.opened.character.skeleton
        rolled = bent(skeleton.rest_pose(), skeleton.find("upper"), (0, 1, 0), 1.0)
        list(self.tried(rolled, "another"))
        for kind in ("skin_blend", "helper", "volume_keeper"):
            tried = next(k.tried for k in kinds.kinds if k.kind == kind)
            head, fields = self.seen(at, trial=kind, measure="upper", without=True)
            wanted = Evaluator.of(tried.character).pose(pose_with_added_joints(self.pose, tried.character), ALL).points
            np.testing.assert_allclose(fields["with"].reshape(-1, 3), wanted, atol=1e-6)
            self.assertEqual(head["trial"], kind)
            self.assertAlmostEqual(head["measures"]["with"]["volume"], tried.measured.volume, delta=0.01)
            self.assertEqual(len(fields["joints"]), 7 * len(self.opened.character.skeleton))
            seen = self.opened.trials.of(at.page).evaluator(kind, self.opened.version.evaluator)
            (point,) = bend_curves(self.opened.version, "upper", (0, 0, 1), [90.0], BENT, seen)
            self.assertAlmostEqual(point["with"]["volume"], tried.measured.volume, delta=0.01)
        self.assertEqual(self.opened.revision, before)

    def test_what_is_taken_is_what_was_seen(self):
        list(self.tried(self.pose))
        tried = self.opened.trials.of(None).found["helper"].character
        made = tried_kinds.take_kind(self.bench, self.id, "helper", self.pose, "upper").character
        self.assertEqual(made.rules.remedies[-1].id, tried.rules.remedies[-1].id)

    def test_a_trial_of_another_version_or_kind_shows_what_is_stored(self):
        list(self.tried(self.pose))
        mask_edits.add_masked(self.bench, self.id, "relaxer", "upper")
        head, fields = self.seen(desk(self.opened), trial="skin_blend")
        self.assertNotIn("trial", head)
        np.testing.assert_array_equal(
            fields["with"].reshape(-1, 3), self.opened.version.evaluator.pose(self.pose).points
        )


class WithoutAPartner(unittest.TestCase):
    def test_vertices_are_shown_and_joints_are_named(self):
        store = Store(fresh_database())
        self.addCleanup(store.close)
        bench = Workbench(store)
        own = bench.bring_in("Keeper", shipped("lock-keeper-half-done"))
        opened = bench.open(own)
        remedy = opened.character.rules.remedies[0]
        pairs = opened.character.mesh.pairs
        lone = set(np.flatnonzero(pairs < 0).tolist())
        at = desk(opened)
        _, fields = unpack(frame(at, at.version, opened.character.skeleton.rest_pose(), Want(lone=remedy.id), {}))
        moved = {int(v) for shape in remedy.body.shapes for v in shape.vertices}
        self.assertEqual(set(np.flatnonzero(fields["region"]).tolist()), lone & moved)


class GivingWay(OnATube):
    """A sculpt through what acts after the skin: what cannot come back is told, and let through."""

    def sculpted(self, kind):
        mask_edits.add_masked(self.bench, self.id, kind, "upper")
        rule_edits.set_amount(self.bench, self.id, self.remedy().id, 1.0)
        if kind == "relaxer":
            rule_edits.set_body(self.bench, self.id, self.remedy().id, {"steps": 40})
        session.begin(self.bench, self.id, self.pose, None)
        points = self.opened.sculpt.points
        triangle = 970
        at = tuple(points[self.opened.character.mesh.topology.triangles[triangle]].mean(axis=0).tolist())
        for _ in range(3):
            sculpt(self.bench, self.opened, "inflate", Dab(triangle, at, 0.05, 1.0))
        return self.opened.sculpt.points

    def given_way(self, kind):
        wanted = self.sculpted(kind)
        (found,) = given_way.holding_back(self.opened.version)
        self.assertEqual(found.remedy.kind, kind)
        self.assertGreater(found.most, 1e-4)
        made = given_way.give_way(self.bench, self.id, found.remedy.id)
        np.testing.assert_allclose(made.sculpt.points, wanted, atol=1e-12)
        again = Workbench(self.store).open(self.id).sculpt
        np.testing.assert_allclose(again.points, wanted, atol=1e-9)
        left = sum((h.most for h in given_way.holding_back(self.opened.version)), 0.0)
        self.assertLess(left, 0.1 * found.most)
        kept_sculpt.keep(self.bench, self.id, "bump", kept_sculpt.propose_trigger(self.opened.version))
        back = self.opened.version.evaluator.pose(self.pose).points
        self.assertLess(np.abs(back - wanted).max(), 0.2 * found.most)

    def test_a_relaxer_fades_under_the_sculpt(self):
        self.given_way("relaxer")

    def test_a_volume_keeper_takes_the_volume_of_the_sculpt(self):
        self.given_way("volume_keeper")

    def test_a_frame_tells_what_a_keeper_holds_and_where_its_bound_stops_it(self):
        mask_edits.add_masked(self.bench, self.id, "volume_keeper", "upper")
        own = self.remedy().id
        self.assertAlmostEqual(self.seen(desk(self.opened))[0]["kept"][own], 100, delta=0.1)
        rule_edits.set_body(self.bench, self.id, own, {"most": 0.001})
        bound = self.seen(desk(self.opened))[0]["kept"][own]
        self.assertLess(bound, 99)
        ready = self.remedy().body.ready(self.opened.character.mesh)
        plain = self.opened.version.evaluator.pose(self.pose, NONE).points
        self.assertAlmostEqual(bound, 100 * ready.reached(plain), delta=0.1)

    def test_nothing_is_held_back_without_them(self):
        session.begin(self.bench, self.id, self.pose, None)
        self.assertEqual(given_way.holding_back(self.opened.version), [])
        masked = self.opened.character
        self.assertEqual(masked.rules.remedies, ())
        with self.assertRaises(BadEditError):
            given_way.give_way(self.bench, self.id, "nobody")
