"""A hem that a bend drives into the limb: pushed out by a helper joint."""

import itertools
import math
import unittest
from functools import cache

import igl
import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.evaluate import ALL, NONE, Evaluator
from plethos.core.measure.contact import fresh_pairs, intersecting_pairs
from plethos.core.measure.travel import bent
from plethos.core.propose.held import Held
from plethos.core.propose.hem import Hem, NoSlideError, pushed
from plethos.core.propose.hem_ground import Ground
from plethos.core.propose.kinds import Judge, proposed, reason
from plethos.core.propose.made_helpers import pose_with_added_joints
from plethos.core.rules.rules import Rules
from plethos.demo.catalogue import open_demo
from tests.figures import hemmed

Z = (0.0, 0.0, 1.0)


def held(degrees, character=None, joint="upper"):
    character = character or hemmed()
    number = character.skeleton.find(joint)
    return Held.of(character, number, bent(character.skeleton.rest_pose(), number, Z, math.radians(degrees)))


@cache
def freed(degrees=100):
    """The bent tube whose sleeve is pushed clear."""
    at = held(degrees)
    return at, pushed(at)


def new_pairs(character, there):
    triangles = character.mesh.topology.triangles
    return fresh_pairs(there, triangles, intersecting_pairs(character.mesh.rest, triangles))


def points(at, character, share, acting=ALL):
    return Evaluator.of(character).pose(pose_with_added_joints(at.at(share), character), acting).points


def sleeve(character):
    return character.mesh.part_numbers == 1


class Pushing(unittest.TestCase):
    def test_worked_case_6_no_triangle_crosses_at_100_degrees_nor_on_the_way(self):
        at, made = freed()
        triangles = at.character.mesh.topology.triangles
        self.assertEqual(len(intersecting_pairs(at.character.mesh.rest, triangles)), 0)
        cloth = sleeve(made)[triangles].all(axis=1)
        for share in (0.5, 0.6, 0.7, 0.8, 0.9, 1.0):
            pairs = intersecting_pairs(points(at, made, share), triangles)
            self.assertEqual(int((cloth[pairs].sum(axis=1) == 1).sum()), 0, share)
        self.assertGreater(len(intersecting_pairs(points(at, made, 1.0, NONE), triangles)), 10)

    def test_outside_no_point_of_the_hem_is_left_inside_the_limb_as_libigl_sees_it(self):
        at, made = freed()
        limb = ~sleeve(at.character)
        triangles = at.character.mesh.topology.triangles
        hem = Hem.all(at)[0].border
        for acting, some in ((NONE, True), (ALL, False)):
            there = points(at, made, 1.0, acting)
            skin = triangles[limb[triangles].all(axis=1)].astype(np.int64)
            inside = igl.winding_number(there.astype(np.float64), skin, there[hem].astype(np.float64))
            self.assertEqual(bool((np.abs(inside) > 0.5).any()), some)

    def test_it_goes_no_further_than_it_has_to_and_never_back(self):
        at, made = freed()
        _, slide = made.rules.remedies[-1].body.rules
        self.assertTrue((np.diff(slide.response.values) >= 0).all())
        self.assertEqual(slide.response.values[0], 0.0)
        self.assertLessEqual(len(slide.response.values), 5)
        ground = Ground.of(made, sleeve(made), np.ones(len(made.mesh), bool))
        full = points(at, made, 1.0)
        self.assertEqual(ground.count(full), 0)
        plain = points(at, made, 1.0, NONE)
        self.assertGreater(ground.count(plain + 0.9 * (full - plain)), 0)

    def test_the_limb_and_the_rest_pose_stay_as_they_are(self):
        at, made = freed(-100)
        limb = ~sleeve(made)
        np.testing.assert_array_equal(points(at, made, 1.0)[limb], points(at, made, 1.0, NONE)[limb])
        rest = Evaluator.of(made).pose(made.skeleton.rest_pose()).points
        np.testing.assert_allclose(rest, made.mesh.rest, atol=1e-6)
        # The other direction is none of its business.
        other = held(60)
        np.testing.assert_allclose(points(other, made, 1.0), points(other, made, 1.0, NONE), atol=1e-6)

    def test_what_crosses_is_found_on_both_sides(self):
        at = held(100)
        ground = Ground.of(at.character, sleeve(at.character), np.ones(len(at.character.mesh), bool))
        there = Evaluator.of(at.character).pose(at.at(1.0)).points
        (hem,) = Hem.all(at)
        crossed = ground.crossed(there)
        self.assertTrue(sleeve(at.character)[hem.crossing].all())
        self.assertFalse(sleeve(at.character)[crossed].any())
        pairs = intersecting_pairs(there, ground.triangles)
        self.assertEqual(ground.count(there), int(((pairs < ground.own).sum(axis=1) == 1).sum()))

    def test_the_kind_that_suits_a_hem_is_a_helper_that_pushes_it(self):
        judge = Judge.of(held(100))
        now = judge.tried("", judge.held.character)
        self.assertGreater(now.contacts, 20)
        hem, blend = judge.of_trial("hem"), judge.of_trial("skin_blend")
        self.assertLess(hem.contacts, 0.3 * now.contacts)
        self.assertLess(hem.rank, now.rank - 0.5)
        self.assertIn(proposed([hem], now), [hem])
        self.assertGreater(blend.contacts, 20, "a blend frees no hem")

    def test_what_cannot_be_pushed_is_told(self):
        with self.assertRaisesRegex(BadEditError, "No hem"):
            pushed(held(40))
        with self.assertRaisesRegex(NoSlideError, "No slide frees.*a corrective"):
            pushed(held(120))


class Apart(unittest.TestCase):
    """A bend of 120 degrees, which no slide frees: the kind *hem* is a corrective there."""

    @classmethod
    def setUpClass(cls):
        cls.judge = Judge.of(held(120))
        cls.now = cls.judge.tried("", cls.judge.held.character)
        cls.tried = cls.judge.of_trial("hem")

    def crossing(self, character, share):
        there = points(self.judge.held, character, share)
        return len(new_pairs(character, there))

    def test_nothing_crosses_in_the_pose_and_hardly_anything_on_the_way(self):
        at, made = self.judge.held, self.tried.character
        self.assertGreater(self.crossing(at.character, 1.0), 100)
        self.assertEqual((self.crossing(made, 1.0), self.tried.contacts), (0, 0))
        skin = made.mesh.topology.triangles[~sleeve(made)[made.mesh.topology.triangles].any(axis=1)]
        for share in np.linspace(0, 1, 31):
            self.assertLess(self.crossing(made, share), 8, share)
            there = points(at, made, share).astype(np.float64)
            hem = Hem.all(at)[0].border
            self.assertLess(np.abs(igl.winding_number(there, skin.astype(np.int64), there[hem])).max(), 0.5, share)

    def test_it_sets_out_where_the_hem_first_crosses_and_has_in_betweens(self):
        at, made = self.judge.held, self.tried.character
        (remedy,) = made.rules.remedies
        self.assertEqual((remedy.kind, self.tried.made), ("corrective", (remedy.id,)))
        begins = made.rules.trigger_of(remedy).response.start / at.angle
        self.assertEqual(self.crossing(at.character, begins), 0)
        self.assertGreater(self.crossing(at.character, begins + 0.1), 0)
        np.testing.assert_array_equal(points(at, made, begins), points(at, made, begins, NONE))
        self.assertTrue(2 <= len(remedy.body.targets) <= 5)
        angles = [remedy.body.target_at(t.at).made_in(made.skeleton).rotations[at.joint] for t in remedy.body.targets]
        self.assertTrue(all(a[2] < b[2] for a, b in itertools.pairwise(angles)), "each in the pose of its own angle")

    def test_what_is_on_already_stays(self):
        """Its targets are what the others leave to be done: with them on, nothing crosses either."""
        blended = self.judge.of_trial("skin_blend").character
        judge = Judge.of(held(120, blended))
        made = judge.of_trial("hem").character
        targets = made.rules.remedies[-1].body.targets
        self.assertGreater(len(targets), 1)
        for target in targets:
            there = Evaluator.of(made).pose(target.made_in(made.skeleton)).points
            self.assertEqual(len(new_pairs(made, there)), 0, target.at)

    def test_the_reason_says_that_no_slide_did(self):
        self.assertIn("no slide frees it, a corrective pushes it clear", reason(self.tried, self.now))
        slid = Judge.of(held(100))
        self.assertIn("a helper joint pushes it out", reason(slid.of_trial("hem"), slid.tried("", slid.held.character)))


class Plates(unittest.TestCase):
    def test_a_rigid_plate_is_lifted_off_the_arm_that_is_raised_into_it(self):
        mended = open_demo("lock-diver")[0]
        diver = mended.with_rules(Rules())
        at = held(105, diver, "left_upper_arm")
        plate = Hem.all(at)[0]
        self.assertEqual(diver.mesh.parts[diver.mesh.part_numbers[plate.border[0]]].name, "left shoulder plate")
        made = pushed(at)
        ground = Ground.of(made, plate.garment, np.ones(len(made.mesh), bool))
        for share in (0.4, 0.7, 1.0):
            self.assertEqual(ground.count(points(at, made, share)), 0)
        self.assertGreater(ground.count(points(at, made, 1.0, NONE)), 100)
        # It stays as rigid as it was.
        own, now = np.flatnonzero(plate.garment), points(at, made, 1.0)
        for there in (now, points(at, made, 0.7)):
            apart = np.linalg.norm(there[own] - there[own[0]], axis=1)
            np.testing.assert_allclose(
                apart, np.linalg.norm(made.mesh.rest[own] - made.mesh.rest[own[0]], axis=1), atol=1e-5
            )
