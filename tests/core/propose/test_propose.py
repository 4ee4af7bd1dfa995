"""What the program proposes: volumes by slabs, the first mend, the fitted response."""

import math
import unittest
from dataclasses import replace
from functools import cache

import numpy as np
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.contact_counter import ContactCounter
from plethos.core.measure.region import joint_region, region_volume
from plethos.core.measure.travel import bent
from plethos.core.propose.between import refuse_worse, with_between
from plethos.core.propose.first_mend import FirstMend
from plethos.core.propose.held import Held
from plethos.core.propose.response import Fitted, fitted_response
from plethos.core.propose.slabs import Slabs
from plethos.core.propose.solved import solved
from plethos.core.rules.dials import Group
from plethos.core.rules.remedies import Corrective, Remedy
from plethos.core.rules.response import Response
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.sculpt.solve import solve_corrective
from plethos.core.skin.shape import Shape
from plethos.demo.catalogue import open_demo
from tests.figures import tube

Z = (0.0, 0.0, 1.0)


@cache
def keeper():
    return open_demo("lock-keeper-bare")[0]


def slabs_of(character, joint, margin=0.6):
    region = joint_region(character, joint, character.mesh.rest, margin)
    points = character.mesh.rest[region.vertices].astype(np.float64)
    return region, points, Slabs.of(character.skeleton, joint, region, points)


def posed(character, joint, degrees, axis=Z):
    return Evaluator.of(character).pose(
        bent(character.skeleton.rest_pose(), character.skeleton.find(joint), axis, math.radians(degrees))
    )


@cache
def elbow(degrees=120.0, joint="left_forearm", axis=Z, **asked):
    at = posed(keeper(), joint, degrees, axis)
    return at, FirstMend.of(keeper(), keeper().skeleton.find(joint)).solved(at, **asked)


class ByTheSlab(unittest.TestCase):
    def test_slabs_add_up_to_the_region(self):
        # What is too ragged to hold anything is left out of the keeper's.
        for character, joint, most in ((tube(rings=81), "upper", 1e-9), (keeper(), "left_forearm", 0.06)):
            region, points, slabs = slabs_of(character, character.skeleton.find(joint))
            moved = points + 0.01 * np.sin(40 * points[:, [1, 2, 0]])
            self.assertGreater(len(slabs.at_rest), 4)
            for there in (points, moved):
                self.assertAlmostEqual(slabs.volumes(there).sum() / region_volume(region, there), 1, delta=most)

    def test_a_slab_is_what_trimesh_measures(self):
        # Outside: trimesh's signed volume of the closed slab.
        _, points, slabs = slabs_of(keeper(), keeper().skeleton.find("left_forearm"))
        there = points + 0.004 * np.sin(60 * points[:, [2, 0, 1]])
        closed = slabs.extend @ there
        for k, volume in enumerate(slabs.volumes(there)):
            mesh = trimesh.Trimesh(closed, slabs.triangles[slabs.slab == k], process=False)
            self.assertTrue(mesh.is_watertight)
            self.assertAlmostEqual(volume / mesh.volume, 1, delta=1e-6)

    @settings(max_examples=15, deadline=None)
    @given(st.integers(0, 10_000))
    def test_gradients_are_those_of_small_moves(self, seed):
        _, points, slabs = slabs_of(tube(rings=61), tube().skeleton.find("upper"))
        rng = np.random.default_rng(seed)
        there = points + rng.normal(0, 0.01, points.shape)
        way = rng.normal(0, 1, points.shape)
        told = sum(g @ way[:, k] for k, g in enumerate(slabs.gradients(there)))
        step = 1e-5
        measured = (slabs.volumes(there + step * way) - slabs.volumes(there - step * way)) / (2 * step)
        np.testing.assert_allclose(told, measured, rtol=1e-6, atol=1e-6 * np.abs(measured).max())


class FirstMendOfTheElbow(unittest.TestCase):
    """Worked case 8: elbow 120 of the bare lock keeper."""

    def test_volume_comes_back_without_contacts_or_overstretched_skin(self):
        at, mend = elbow()
        self.assertLess(mend.volume_before, 86)
        self.assertGreater(mend.volume, 97)
        self.assertLessEqual(mend.stretch, 1.4)
        self.assertGreater(mend.contacts_before, 50)
        self.assertEqual(mend.contacts, 0)
        counter = ContactCounter.of(keeper().mesh)
        self.assertEqual(counter.count(mend.points.astype(np.float32)), 0, "of the whole character")
        measure = BendMeasure.of(keeper(), keeper().skeleton.find("left_forearm"))
        own = measure.site.region.vertices
        self.assertGreater(measure.of_points(mend.points[own]).girth, measure.of_points(at.points[own]).girth + 40)

    def test_what_lies_outside_the_region_does_not_move(self):
        at, mend = elbow()
        region = FirstMend.of(keeper(), keeper().skeleton.find("left_forearm")).room.region
        moved = np.flatnonzero(np.abs(mend.points - at.exact_points()).max(axis=1) > 0)
        self.assertTrue(np.isin(moved, region.vertices).all())

    def test_the_other_side_is_mended_alike(self):
        at, mend = elbow()
        other_at, other = elbow(joint="right_forearm")
        self.assertAlmostEqual(mend.volume, other.volume, delta=0.3)
        twin = keeper().mesh.pairs
        offset, across = mend.points - at.exact_points(), other.points - other_at.exact_points()
        known = twin >= 0
        np.testing.assert_allclose(across[twin[known]] * [-1, 1, 1], offset[known], atol=3e-3)

    def test_less_is_given_back_when_less_is_asked_for_or_the_stretch_is_capped(self):
        _, whole = elbow()
        _, half = elbow(give_back=0.5)
        _, capped = elbow(most_stretch=1.15)
        self.assertAlmostEqual((half.volume - half.volume_before) / (100 - half.volume_before), 0.5, delta=0.12)
        self.assertLessEqual(capped.stretch, 1.15)
        self.assertLess(capped.given_back, whole.given_back)
        self.assertLess(capped.volume, whole.volume)

    def test_more_asked_for_is_never_less_given_back(self):
        volumes = []
        for asked in (0.5, 0.7, 0.9, 0.95, 1.0):
            _, mend = elbow(give_back=asked)
            self.assertEqual((mend.given_back, mend.contacts), (asked, 0))
            volumes.append(mend.volume)
        self.assertTrue((np.diff(volumes) >= -0.05).all(), volumes)

    def test_size_and_place_do_not_matter(self):
        def mended(character):
            at = posed(character, "upper", 90)
            return FirstMend.of(character, character.skeleton.find("upper")).solved(at)

        small = mended(tube(rings=41))
        large = mended(tube(rings=41, root={"scale": [100.0, 100.0, 100.0], "translation": [3.0, -2.0, 7.0]}))
        self.assertGreater(small.volume, small.volume_before + 1)
        np.testing.assert_allclose((large.points - [3, -2, 7]) / 100, small.points, atol=2e-5)

    def test_knee_under_cloth_shoulder_wrist_and_roll(self):
        for joint, degrees, axis in (
            ("left_shin", 125, Z), ("left_upper_arm", 105, Z), ("left_hand", 65, Z), ("left_hand", 80, (0.0, 1.0, 0.0)),
        ):  # fmt: skip
            _, mend = elbow(degrees, joint, axis, give_back=0.9)
            self.assertEqual(mend.contacts, 0, joint)
            self.assertLessEqual(mend.stretch, 1.4, joint)
            self.assertGreater(mend.volume, min(97, mend.volume_before + 0.8 * (100 - mend.volume_before)), joint)

    def test_nothing_lost_is_told(self):
        at = posed(keeper(), "left_forearm", 2)
        with self.assertRaisesRegex(BadEditError, "loses no volume"):
            FirstMend.of(keeper(), keeper().skeleton.find("left_forearm")).solved(at)
        with self.assertRaisesRegex(BadEditError, "bends no skin"):
            FirstMend.of(tube(), tube().skeleton.find("lower"))


class TooFarBent(unittest.TestCase):
    def test_the_fold_has_no_room_for_all_of_it_and_opens_all_the_same(self):
        _, mend = elbow(140.0, most_stretch=2.0)
        self.assertEqual(mend.contacts, 0)
        self.assertGreater(mend.contacts_before, 100)


class FittedToTheVolume(unittest.TestCase):
    def test_the_worst_is_what_is_furthest_off_either_way_and_an_in_between_is_needed_there(self):
        trigger = HingeTrigger(0, Z, Response.preset("linear", 0, 1.5))
        angles = np.array([0.5, 1.0, 1.5])
        fit = Fitted(trigger, angles, np.array([99.0, 104.0, 97.0]), np.array([100.0, 98.0, 100.0]), 9.0)
        self.assertEqual((fit.worst, fit.between), (6.0, 1.0))
        near = replace(fit, volumes=fit.wanted - [0.1, 0.3, 0.0])
        self.assertAlmostEqual(near.worst, 0.3, places=12)
        self.assertIsNone(near.between)

    def fitted(self, joint="left_forearm", degrees=120.0, preset="linear"):
        at, mend = elbow(degrees, joint)
        shape, _ = solve_corrective(at, mend.points, "mend")
        number = keeper().skeleton.find(joint)
        trigger = HingeTrigger(number, Z, Response.preset(preset, 0, math.radians(degrees)))
        body = Corrective.of(shape)
        return trigger, body, fitted_response(keeper(), body, trigger, keeper().skeleton.rest_pose())

    def test_a_straight_line_bulges_half_way_and_the_fitted_curve_does_not(self):
        trigger, body, fit = self.fitted()
        self.assertGreater(fit.worst_before, 5)
        self.assertLess(fit.worst, 1)
        self.assertIsNone(fit.between)
        measure = BendMeasure.of(
            keeper().with_remedy(Remedy(body, "mend", by=fit.trigger.id), fit.trigger), trigger.joint
        )
        rest = keeper().skeleton.rest_pose()
        volumes = [measure.at(bent(rest, trigger.joint, Z, math.radians(a))).volume for a in range(0, 121, 5)]
        ramp = np.linspace(100, volumes[-1], 25)
        self.assertLess(np.abs(np.array(volumes) - ramp).max(), 1, "between the angles that were fitted too")
        # What is told is what is measured, with the response and with the one before.
        plain = keeper().with_remedy(Remedy(body, "mend", by=trigger.id), trigger)
        for character, told in ((measure.evaluator.character, fit.worst), (plain, fit.worst_before)):
            own = BendMeasure.of(character, trigger.joint)
            at_each = np.array([own.at(bent(rest, trigger.joint, Z, a)).volume for a in fit.angles.tolist()])
            self.assertAlmostEqual(float(np.abs(at_each - fit.wanted).max()), told, delta=0.05)
            if character is not plain:
                np.testing.assert_allclose(at_each, fit.volumes, atol=0.05)

    def test_it_is_monotone_of_few_knots_from_nothing_to_all(self):
        for joint, degrees in (("left_forearm", 120.0), ("left_hand", -65.0), ("left_shin", 125.0)):
            trigger, _, fit = self.fitted(joint, degrees)
            response = fit.trigger.response
            self.assertLessEqual(len(response.inputs), 5)
            values = response.at(np.linspace(0, math.radians(degrees), 50))
            self.assertTrue((np.diff(values) >= -1e-12).all(), joint)
            self.assertEqual((values[0], values[-1]), (0, 1))
            self.assertEqual((fit.trigger.joint, fit.trigger.axis, fit.trigger.id), (trigger.joint, Z, trigger.id))
            self.assertLessEqual(fit.worst, fit.worst_before)

    def test_one_shape_that_cannot_keep_the_volume_asks_for_an_in_between(self):
        trigger, body, _ = self.fitted()
        # Turned over, the shape takes away what it should give: no activation is right on the way.
        shape = body.targets[-1].shape
        wrong = Corrective.of(replace(shape, deltas=-shape.deltas))
        middle = HingeTrigger(trigger.joint, Z, Response.preset("linear", 0, math.radians(60)))
        swollen = Corrective.of(replace(shape, deltas=4 * shape.deltas))
        for one in (wrong, swollen):
            fit = fitted_response(keeper(), one, middle, keeper().skeleton.rest_pose())
            self.assertTrue(np.isfinite(fit.volumes).all())
            self.assertEqual(fit.between is not None, fit.worst > 2)

    def test_a_sheet_is_told(self):
        flat = tube()
        with self.assertRaises(BadEditError):
            fitted_response(
                flat, self.fitted()[1], HingeTrigger(0, Z, Response.preset("late", 0, 1)), flat.skeleton.rest_pose()
            )


class Between(unittest.TestCase):
    def made(self, preset="linear"):
        at, mend = elbow(120.0)
        shape, _ = solve_corrective(at, mend.points, "mend")
        number = keeper().skeleton.find("left_forearm")
        trigger = HingeTrigger(number, Z, Response.preset(preset, 0, math.radians(120)), id="t")
        return keeper().with_remedy(Remedy(Corrective.of(shape), "elbow", by="t", id="e"), trigger)

    def volume(self, character, degrees):
        joint = character.skeleton.find("left_forearm")
        pose = bent(character.skeleton.rest_pose(), joint, Z, math.radians(degrees))
        return BendMeasure.of(character, joint).at(pose).volume

    def test_it_takes_the_bulge_away_where_it_stands_and_leaves_the_ends(self):
        before = self.made()
        self.assertGreater(self.volume(before, 60), 102)
        after = with_between(before, "e", math.radians(60), before.skeleton.rest_pose())
        self.assertAlmostEqual(self.volume(after, 60), 100, delta=2.5)
        self.assertAlmostEqual(self.volume(after, 120), self.volume(before, 120), delta=1e-3)
        np.testing.assert_allclose([t.at for t in after.rules.remedy("e").body.targets], [0.5, 1.0])
        again = with_between(after, "e", math.radians(61), before.skeleton.rest_pose())
        self.assertEqual(len(again.rules.remedy("e").body.targets), 2, "one that stands beside is replaced")
        more = with_between(after, "e", math.radians(90), before.skeleton.rest_pose())
        np.testing.assert_allclose([t.at for t in more.rules.remedy("e").body.targets], [0.5, 0.75, 1.0])

    def test_what_a_group_that_is_off_would_do_is_not_seen_in_the_solve(self):
        before, rest = self.made(), keeper().skeleton.rest_pose()
        number = keeper().skeleton.find("left_forearm")
        near = joint_region(keeper(), number, keeper().mesh.rest).vertices
        swollen = Shape("coat", near, np.full((len(near), 3), 0.02, np.float32))
        coat = before.with_remedy(Remedy(Corrective.of(swollen), "coat", by="t", group="g", id="c"))
        groups = (Group("Coat", on=False, id="g"),)
        after = [
            with_between(c, "e", math.radians(60), rest).rules.remedy("e").body.targets[0].shape
            for c in (before, coat.with_rules(replace(coat.rules, groups=groups)))
        ]
        np.testing.assert_array_equal(after[0].vertices, after[1].vertices)
        np.testing.assert_array_equal(after[0].deltas, after[1].deltas)

    def test_one_more_target_that_makes_it_worse_is_refused(self):
        good = self.made()
        body = good.rules.remedy("e").body
        shape = body.targets[-1].shape
        far = Corrective.of(replace(shape, deltas=3 * shape.deltas))
        bad = good.with_rules(good.rules.with_remedy(replace(good.rules.remedy("e"), body=far)))
        joint = keeper().skeleton.find("left_forearm")
        pose = bent(keeper().skeleton.rest_pose(), joint, Z, math.radians(120))
        refuse_worse(bad, good, joint, pose)
        refuse_worse(good, good, joint, pose)
        with self.assertRaisesRegex(BadEditError, "nothing was changed"):
            refuse_worse(good, bad, joint, pose)

    def capped(self, character, degrees):
        """The volume of the slabs that a first mend asks for, percent of rest."""
        joint = keeper().skeleton.find("left_forearm")
        mend = FirstMend.of(keeper(), joint)
        points = posed(character, "left_forearm", degrees).exact_points()
        return 100 * mend.room.volumes(points).sum() / mend.room.slabs.at_rest.sum()

    def test_worked_case_8_one_more_target_further_on_holds_beyond_and_leaves_the_way_there(self):
        rest, number = keeper().skeleton.rest_pose(), keeper().skeleton.find("left_forearm")
        made = solved(Held.of(keeper(), number, bent(rest, number, Z, math.radians(120))), "elbow")
        trigger = made.fitted.trigger
        self.assertAlmostEqual(math.degrees(made.fitted.further), 130, places=6)
        before = keeper().with_remedy(Remedy(made.body, "elbow", by=trigger.id, id="e"), trigger)
        after = with_between(before, "e", math.radians(130), rest)
        for degrees in (110, 120, 130):
            self.assertTrue(98 < self.capped(after, degrees) < 102, degrees)
        self.assertGreater(self.capped(after, 130), self.capped(before, 130) + 0.5)
        counter = ContactCounter.of(keeper().mesh)
        self.assertEqual(counter.count(posed(after, "left_forearm", 130).points), 0)
        self.assertGreater(counter.count(posed(before, "left_forearm", 130).points), 50)
        targets = after.rules.remedy("e").body.targets
        np.testing.assert_allclose([t.at for t in targets], [12 / 13, 1], atol=1e-6)
        self.assertEqual([t.shape.name for t in targets], ["elbow 92 %", "elbow"])
        for angle in trigger.response.inputs:
            both = [posed(c, "left_forearm", math.degrees(angle)).points for c in (before, after)]
            np.testing.assert_allclose(*both, atol=2e-6, err_msg=str(angle))

    def test_what_else_reads_the_trigger_goes_on_as_it_did(self):
        character, rest = self.made(), keeper().skeleton.rest_pose()
        body = character.rules.remedy("e").body
        shape = replace(body.targets[-1].shape, name="other")
        shared = character.with_remedy(Remedy(Corrective.of(shape), "other", by="t", id="o"))
        for of in (character, shared):
            rules = with_between(of, "e", math.radians(140), rest).rules
            own = rules.trigger_of(rules.remedy("e"))
            self.assertAlmostEqual(float(own.response.at(math.radians(120))), 120 / 140, places=9)
            self.assertEqual(own.id == "t", of is character)
        self.assertEqual(rules.trigger_of(rules.remedy("o")), shared.rules.triggers[0])

    def test_it_has_to_lie_on_the_way_of_a_corrective_with_a_hinge(self):
        character = self.made("late")
        rest = character.skeleton.rest_pose()
        for degrees in (-20, -150, 2, 119, 125):
            with self.assertRaisesRegex(BadEditError, "on the way"):
                with_between(character, "e", math.radians(degrees), rest)
        loose = character.with_rules(character.rules.tied("e", None))
        with self.assertRaisesRegex(BadEditError, "tied to a hinge"):
            with_between(loose, "e", 1.0, rest)
