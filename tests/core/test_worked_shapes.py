"""Worked cases of correctives: the half-way bulge, two that are wrong together, a dial times a joint, flat skin."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator
from scipy.spatial.transform import Rotation

from plethos.core.evaluate import Evaluator
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.travel import bent
from plethos.core.propose.first_mend import FirstMend
from plethos.core.rules.dials import Dial
from plethos.core.rules.remedies import Corrective, Remedy
from plethos.core.rules.response import Response
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.rules.triggers.product import ProductTrigger
from plethos.core.sculpt.solve import invert_offsets, solve_corrective
from plethos.core.skeleton.pose_files import pose_from_document
from plethos.core.skin.shape import Shape
from tests.figures import tube

Z = (0.0, 0.0, 1.0)
STEPS = ((0, 0.0), (15, 0.2), (22, 0.6), (30, 1.0))  # common practice, no source: of 30 steps


class Bulge(unittest.TestCase):
    """A straight response bulges half way; the practised one is exact at its knots and monotone between."""

    def test_the_practised_values_are_met_and_nothing_goes_back_between(self):
        response = Response.of_knots([(float(s), v) for s, v in STEPS])
        for step, value in STEPS:
            self.assertEqual(float(response.at(float(step))), value)
        between = response.at(np.linspace(0, 30, 601))
        self.assertTrue((np.diff(between) >= -1e-12).all())
        # The same monotone cubic as SciPy's.
        theirs = PchipInterpolator([s for s, _ in STEPS], [v for _, v in STEPS])(np.linspace(0, 30, 601))
        np.testing.assert_allclose(between, theirs, atol=1e-12)

    def test_the_strip_shows_the_bulge_go(self):
        character = tube(rings=61)
        joint = character.skeleton.find("upper")
        rest, full = character.skeleton.rest_pose(), math.radians(110)
        posed = Evaluator.of(character).pose(bent(rest, joint, np.array(Z), full))
        mend = FirstMend.of(character, joint).solved(posed, 1.0, 1.6)
        shape, _ = solve_corrective(posed, mend.points, "Elbow")

        def worst(knots) -> float:
            trigger = HingeTrigger(joint, Z, Response.of_knots(knots))
            made = character.with_remedy(Remedy(Corrective.of(shape), "Elbow", by=trigger.id), trigger)
            measure = BendMeasure.of(made, joint)
            way = [measure.at(bent(rest, joint, np.array(Z), a)).volume for a in np.linspace(0, full, 23)]
            return float(max(way)) - 100

        straight = worst([(0.0, 0.0), (full, 1.0)])
        practised = worst([(full * s / 30, v) for s, v in STEPS])
        self.assertGreater(straight, 2.0)
        self.assertLess(practised, 0.6 * straight)


class Together(unittest.TestCase):
    """Two correctives that are right alone are wrong together: the product mends it and is silent otherwise."""

    def setUp(self):
        self.character = tube(rings=31)
        self.skeleton = self.character.skeleton
        self.upper, self.lower = (self.skeleton.find(n) for n in ("upper", "lower"))

    def hinge(self, joint, axis, end):
        return HingeTrigger(joint, axis, Response.of_knots([(0.0, 0.0), (math.radians(end), 1.0)]))

    def pose(self, bend=0.0, twist=0.0, **dials):
        joints = {"upper": {"euler_xyz_deg": [0, 0, bend]}, "lower": {"euler_xyz_deg": [0, twist, 0]}}
        return pose_from_document(self.skeleton, {"joints": joints, "dials": dials})

    def test_exact_when_both_are_on_and_silent_when_either_is_off(self):
        one, two = self.hinge(self.upper, Z, 90), self.hinge(self.lower, (0.0, 1.0, 0.0), 60)
        both = ProductTrigger((one.id, two.id))
        shapes = [
            Shape(n, np.array([300 + k], np.int32), np.array([[0.01, 0.02, 0.0]], np.float32))
            for k, n in enumerate("abc")
        ]
        made = self.character
        for name, shape, trigger in zip("abc", shapes, (one, two, both), strict=True):
            made = made.with_remedy(Remedy(Corrective.of(shape), name, by=trigger.id, id=name), trigger)
        evaluator = Evaluator.of(made)
        wanted = evaluator.pose(self.pose(90, 60)).exact_points()
        wanted[302] += [0.003, -0.004, 0.005]
        base = Evaluator.of(made.with_rules(made.rules.without_remedy("c"))).pose(self.pose(90, 60))
        third, _ = solve_corrective(base, wanted, "c")
        made = made.with_remedy(Remedy(Corrective.of(third), "c", by=both.id, id="c"))
        evaluator = Evaluator.of(made)
        np.testing.assert_allclose(evaluator.pose(self.pose(90, 60)).exact_points(), wanted, atol=1e-7)
        for bend, twist in ((90, 0), (0, 60), (0, 0), (-20, 60), (90, -30)):
            self.assertEqual(evaluator.pose(self.pose(bend, twist)).activation("c"), 0)
        self.assertAlmostEqual(
            evaluator.pose(self.pose(45, 60)).activation("c"), evaluator.pose(self.pose(45, 0)).activation("a")
        )

    def test_a_dial_times_a_joint_is_silent_for_the_other_character(self):
        bend, dial = self.hinge(self.upper, Z, 90), Dial("Stout", 0.0, 1.0, 0.0, "stout")
        both = ProductTrigger((bend.id, dial.id))
        shape = Shape("belly", np.array([300], np.int32), np.array([[0.01, 0.0, 0.0]], np.float32))
        rules = self.character.rules.with_dial(dial).with_trigger(bend)
        made = self.character.with_rules(rules).with_remedy(
            Remedy(Corrective.of(shape), "belly", by=both.id, id="b"), both
        )
        evaluator = Evaluator.of(made)
        for share in (0.0, 0.3, 1.0):
            self.assertAlmostEqual(evaluator.pose(self.pose(90, Stout=share)).activation("b"), share)
        plain = Evaluator.of(self.character).pose(self.pose(90)).points
        np.testing.assert_array_equal(evaluator.pose(self.pose(90)).points, plain)


class FlatSkin(unittest.TestCase):
    """The least singular value in closed form, and offsets turned back, against NumPy's own."""

    @settings(max_examples=60, deadline=None)
    @given(st.integers(0, 2**31), st.floats(0.0, 1.0), st.floats(1e-3, 1e3))
    def test_as_numpy_finds_them(self, seed, flat, size):
        rng = np.random.default_rng(seed)
        linear = size * rng.standard_normal((20, 3, 3))
        # Some as flat as they may be: one direction drawn in.
        u, s, v = np.linalg.svd(linear[:10])
        s[:, 2] *= flat
        linear[:10] = u @ (s[:, :, None] * v)
        rest = Rotation.random(20, rng=rng).as_matrix() * rng.uniform(0.2, 2, 20)[:, None, None]
        rest[:5] = np.eye(3)
        offsets = rng.standard_normal((20, 3))
        activation = rng.uniform(0.05, 1)
        deltas, sigma, error = invert_offsets(linear, offsets, rest, activation)
        stored = np.float32(deltas / activation).astype(np.float64) * activation
        off = np.linalg.norm(np.einsum("vij,vj->vi", linear, stored) - offsets, axis=1)
        np.testing.assert_allclose(error, off, rtol=1e-6, atol=1e-12 * size)
        bent_ = linear @ np.linalg.inv(rest)
        singular = np.linalg.svd(bent_, compute_uv=False)
        np.testing.assert_allclose(sigma, singular[:, 2], atol=2e-7 * singular[:, 0].max())
        sound = singular[:, 2] > 0.3
        np.testing.assert_allclose(
            np.einsum("vij,vj->vi", linear[sound], deltas[sound]), offsets[sound], atol=1e-8 * size
        )
        self.assertTrue(np.isfinite(deltas).all())

    def test_a_rest_map_without_inverse_counts_as_none(self):
        linear = np.tile(np.eye(3), (2, 1, 1))
        rest = np.stack([np.zeros((3, 3)), np.eye(3)])
        deltas, sigma, _ = invert_offsets(linear, np.ones((2, 3)), rest)
        np.testing.assert_allclose(sigma, 1)
        np.testing.assert_allclose(deltas, 1)
