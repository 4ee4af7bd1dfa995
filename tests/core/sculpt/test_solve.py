"""From sculpt to shape: the heart."""

import math
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator, evaluate_exact
from plethos.core.measure.travel import bent
from plethos.core.rules.response import Response
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.sculpt.solve import guess_trigger, invert_offsets, solve_corrective
from plethos.core.skeleton.hinge import Hinge
from tests.figures import activation, tied, tube

UP = (0.0, 1.0, 0.0)


def sculpted(character, degrees=100.0, push=0.02):
    """A bent tube with its middle pushed out."""
    joint = character.skeleton.find("upper")
    pose = bent(character.skeleton.rest_pose(), joint, (0, 0, 1), math.radians(degrees))
    base = evaluate_exact(character, pose)
    rest = Evaluator.of(character).rest()
    near = np.abs(rest[:, 1] - 0.5) < 0.12
    target = base.copy()
    target[near] += push * np.array([0.6, 0.8, 0.3])
    return joint, pose, base, target, near


def wrung(degrees):
    """A tube twisted about its length, its skin there, and the vertices of its middle."""
    character = tube(softness=0.5)
    joint = character.skeleton.find("upper")
    pose = bent(character.skeleton.rest_pose(), joint, UP, math.radians(degrees))
    middle = np.abs(character.mesh.points[:, 1] - 0.5) < 0.02
    return character, joint, pose, evaluate_exact(character, pose), middle


class Solve(unittest.TestCase):
    def test_it_comes_back_exactly_and_is_nothing_at_rest(self):
        character = tube()
        _, pose, _, target, near = sculpted(character)
        shape, report = solve_corrective(Evaluator.of(character).pose(pose), target, "bulge")
        mended = character.with_remedy(*tied(shape, guess_trigger(character, pose, shape)))
        np.testing.assert_allclose(evaluate_exact(mended, pose), target, atol=1e-5 * 1.0)
        rest = character.skeleton.rest_pose()
        np.testing.assert_array_equal(evaluate_exact(mended, rest), evaluate_exact(character, rest))
        self.assertEqual(report.moved, int(near.sum()))
        self.assertLess(report.round_trip_error, 1e-7)

    def test_what_is_nearly_flat_is_solved_the_same_below_a_scaled_and_turned_rest(self):
        generator = np.random.default_rng(5)
        bent_maps = np.array([np.diag([1.0, 0.9, s]) for s in np.linspace(0.02, 0.28, 40)])
        bent_maps = Rotation.random(40, rng=generator).as_matrix() @ bent_maps
        offsets = generator.normal(size=(40, 3))
        plain, sigma, _ = invert_offsets(bent_maps, offsets, np.tile(np.eye(3), (40, 1, 1)))
        rest = 50.0 * Rotation.random(40, rng=generator).as_matrix()
        below, same, _ = invert_offsets(bent_maps @ rest, offsets, rest)
        np.testing.assert_allclose(np.einsum("vij,vj->vi", rest, below), plain, atol=1e-9)
        np.testing.assert_allclose(sigma, same, atol=1e-12)
        self.assertLess(sigma.max(), 0.3)

    def test_float64_inverse_comes_back_to_1e_12(self):
        generator = np.random.default_rng(2)
        linear = np.eye(3) + 0.3 * generator.normal(size=(100, 3, 3))
        linear = linear[np.linalg.svd(linear, compute_uv=False)[:, 2] > 0.35]
        offsets = generator.normal(size=(len(linear), 3))
        deltas, _, _ = invert_offsets(linear, offsets, np.tile(np.eye(3), (len(linear), 1, 1)))
        np.testing.assert_allclose(np.einsum("vij,vj->vi", linear, deltas), offsets, atol=1e-12)

    def test_a_second_shape_takes_the_first_into_account(self):
        character = tube()
        _, pose, _, target, _ = sculpted(character)
        shape, _ = solve_corrective(Evaluator.of(character).pose(pose), target, "one")
        once = character.with_remedy(*tied(shape, guess_trigger(character, pose, shape), id="one"))
        further = target + np.array([0.0, 0.0, 0.01])
        second, _ = solve_corrective(Evaluator.of(once).pose(pose), further, "two")
        both = once.with_remedy(*tied(second, guess_trigger(once, pose, second), id="two"))
        np.testing.assert_allclose(evaluate_exact(both, pose), further, atol=1e-6)

    def test_a_shape_that_is_half_on_in_its_pose_is_twice_as_large(self):
        character = tube()
        joint, pose, _, target, _ = sculpted(character)
        trigger = HingeTrigger(joint, (0, 0, 1), Response((0.0, math.radians(200)), (0.0, 1.0)))
        posed = Evaluator.of(character).pose(pose)
        shape, _ = solve_corrective(posed, target, "half", 0.5, trigger)
        mended = character.with_remedy(*tied(shape, trigger))
        self.assertAlmostEqual(activation(mended, mended.rules.remedies[0], pose), 0.5, places=6)
        np.testing.assert_allclose(evaluate_exact(mended, pose), target, atol=1e-6)
        whole, _ = solve_corrective(posed, target, "whole")
        np.testing.assert_allclose(shape.deltas, 2 * whole.deltas, atol=1e-6)

    @given(st.floats(20, 140), st.floats(0, 0.9), st.booleans())
    @settings(max_examples=12, deadline=None)
    def test_the_neighbours_are_what_the_character_shows_there_the_worse_of_both(self, degrees, before, falls):
        character = tube()
        joint, pose, _, target, _ = sculpted(character, degrees)
        knots = (degrees - 10, degrees, degrees + 10)
        values = (1.0, 0.6 + 0.4 * before, before) if falls else (before, 0.6 + 0.4 * before, 1.0)
        trigger = HingeTrigger(joint, (0, 0, 1), Response(tuple(math.radians(k) for k in knots), values))
        on = 0.6 + 0.4 * before
        shape, report = solve_corrective(Evaluator.of(character).pose(pose), target, "bulge", on, trigger)
        mended = character.with_remedy(*tied(shape, trigger))

        def shift(angle: float) -> float:
            there = bent(pose, joint, (0, 0, 1), math.radians(angle))
            return float(np.linalg.norm(evaluate_exact(mended, there) - evaluate_exact(character, there), axis=1).max())

        wanted = max(shift(degrees - 10), shift(degrees + 10)) / shift(degrees)
        self.assertAlmostEqual(report.neighbour_factor / wanted, 1, places=4)
        told = any("10 degrees away" in w for w in report.warnings)
        self.assertEqual(told, report.neighbour_factor > 1.5)

    def test_a_rest_that_its_file_squashes_has_not_collapsed(self):
        # Turned about the way it is squashed, so that the pose itself collapses nothing.
        for scale, axis in (([1, 0.1, 1], (0, 1, 0)), ([0.05, 1, 1], (1, 0, 0))):
            character = tube(root={"scale": scale})
            pose = bent(character.skeleton.rest_pose(), 2, axis, math.radians(40))
            target = evaluate_exact(character, pose)
            target[np.abs(character.mesh.points[:, 1] - 0.5) < 0.1] += 0.002
            shape, report = solve_corrective(Evaluator.of(character).pose(pose), target, "squashed")
            self.assertEqual((report.damped, report.hopeless), (0, 0))
            mended = character.with_remedy(*tied(shape, guess_trigger(character, pose, shape)))
            np.testing.assert_allclose(evaluate_exact(mended, pose), target, atol=1e-6)

    def test_a_small_edit_of_collapsed_skin_is_judged_by_its_own_size(self):
        character = tube(softness=0.5)
        pose = bent(character.skeleton.rest_pose(), 2, (0, 1, 0), math.radians(179))
        target = evaluate_exact(character, pose)
        middle = np.abs(character.mesh.points[:, 1] - 0.5) < 0.02
        target[middle] += [0.002, 0, 0]
        alone = solve_corrective(Evaluator.of(character).pose(pose), target, "small")[1].hopeless
        target[character.mesh.points[:, 1] > 0.9] += [0.5, 0, 0]
        self.assertEqual(solve_corrective(Evaluator.of(character).pose(pose), target, "both")[1].hopeless, alone)
        self.assertGreater(alone, 0)

    def test_collapsed_skin_is_damped_and_said(self):
        character, _, pose, target, middle = wrung(179)
        target[middle] += [0.02, 0, 0]
        shape, report = solve_corrective(Evaluator.of(character).pose(pose), target, "wrung")
        self.assertGreater(report.hopeless, 0)
        self.assertTrue(report.warnings)
        # Undamped, the same edit would be 0.02 / cos(89.5 degrees): more than two metres.
        self.assertLess(np.abs(shape.deltas).max(), 0.2)

    def test_bones_nearly_half_a_turn_apart_under_dual_quaternions_and_an_angle_at_its_cut_are_told(self):
        character = tube(softness=0.4)
        joint = character.skeleton.find("upper")
        dual = replace(character.binding, blend=np.ones(len(character.mesh), np.float32))

        def warned(character, degrees, end, trigger=True):
            pose = bent(character.skeleton.rest_pose(), joint, (0, 0, 1), math.radians(degrees))
            target = evaluate_exact(character, pose)
            near = np.abs(character.mesh.points[:, 1] - 0.5) < 0.12
            target[near] += [0.01, 0, 0]
            own = HingeTrigger(joint, (0.0, 0.0, 1.0), Response((0.0, math.radians(end)), (0.0, 1.0)))
            report = solve_corrective(Evaluator.of(character).pose(pose), target, "x", 1.0, own)[1]
            return " ".join(report.warnings)

        twisted = replace(character, binding=dual)
        self.assertIn("nearly half a turn apart", warned(twisted, 172, 172))
        self.assertNotIn("half a turn apart", warned(twisted, 150, 150))
        self.assertNotIn("half a turn apart", warned(character, 172, 172))
        # From -90 (its range) to where it is fully on: the cut lies half a turn beyond the middle of both.
        hinges = [None] * len(character.skeleton)
        hinges[joint] = Hinge((0.0, 0.0, 1.0), math.radians(-90), math.radians(150))
        known = replace(character, skeleton=replace(character.skeleton, hinges=tuple(hinges)))
        self.assertIn("counts as turned the other way", warned(known, 255, 255))
        self.assertNotIn("turned the other way", warned(known, 240, 240))
        # Where no range is known it lies opposite the middle of the response: nothing flips near where it is sculpted.
        for degrees in (175, 181, 255):
            self.assertNotIn("turned the other way", warned(character, degrees, degrees))

    def test_a_shape_that_grows_towards_its_neighbours_wants_an_in_between(self):
        # Nearly collapsed in its pose, the skin is less so ten degrees before: there a shape that is on throws it far.
        for degrees, wanted in ((165, True), (120, False)):
            character, joint, pose, target, middle = wrung(degrees)
            target[middle, 0] *= 1.5
            own = HingeTrigger(joint, UP, Response((0.0, math.radians(degrees - 15)), (0.0, 1.0)))
            report = solve_corrective(Evaluator.of(character).pose(pose), target, "x", 1.0, own)[1]
            self.assertEqual(report.neighbour_factor > 1.5, wanted, report.neighbour_factor)
            self.assertEqual(any("in-between" in w for w in report.warnings), wanted)
            self.assertEqual(report.to_json()["warnings"], list(report.warnings))
            self.assertEqual(report.to_json()["neighbour_factor"], report.neighbour_factor)

    def test_a_shape_that_is_hardly_on_and_a_pose_at_rest_are_refused(self):
        character = tube()
        _, pose, _, target, _ = sculpted(character)
        with self.assertRaisesRegex(BadEditError, "hardly on"):
            solve_corrective(Evaluator.of(character).pose(pose), target, "x", 0.04)
        rest = character.skeleton.rest_pose()
        moved = evaluate_exact(character, rest) + [0.01, 0, 0]
        shape, report = solve_corrective(Evaluator.of(character).pose(rest), moved, "x")
        self.assertEqual(report.neighbour_factor, 1.0)
        with self.assertRaisesRegex(BadEditError, "No joint has left rest"):
            guess_trigger(character, rest, shape)

    def test_the_bent_joint_is_guessed_not_one_turned_elsewhere(self):
        character = tube()
        joint, pose, base, target, _ = sculpted(character, 60)
        turned = bent(pose, character.skeleton.find("lower"), (1, 0, 0), math.radians(80))
        moved = evaluate_exact(character, turned) + (target - base)
        shape, _ = solve_corrective(Evaluator.of(character).pose(turned), moved, "bulge")
        trigger = guess_trigger(character, turned, shape)
        self.assertEqual(trigger.joint, joint)
        self.assertAlmostEqual(math.degrees(trigger.response.end), 60, places=4)

    def test_nothing_sculpted_another_mesh_and_nan_are_refused(self):
        character = tube()
        _, pose, base, _, _ = sculpted(character)
        bad = base.copy()
        bad[0, 0] = np.nan
        for sculpt, words in ((base, "same as"), (base[:-1], "same mesh"), (bad, "not numbers")):
            with self.assertRaisesRegex(BadEditError, words):
                solve_corrective(Evaluator.of(character).pose(pose), sculpt, "x")
