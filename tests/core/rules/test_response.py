"""The response against scipy.interpolate.PchipInterpolator; hinge triggers."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator

from plethos.core.errors import BadEditError
from plethos.core.geometry import rotations
from plethos.core.measure.travel import bent
from plethos.core.rules.response import PRESETS, Response
from plethos.core.rules.triggers import trigger_from_document
from plethos.core.rules.triggers.hinge import HingeTrigger, guess_hinge, snap_axis, unit_axis
from plethos.core.skeleton.kinematics import curve_points
from tests.figures import tube, value_of


class ResponseCurve(unittest.TestCase):
    def test_values_are_those_of_pchip(self):
        generator = np.random.default_rng(1)
        for count in (2, 3, 4, 7):
            x, y = np.sort(generator.uniform(-2, 2, count)), np.sort(generator.uniform(0, 1, count))
            at = np.linspace(x[0], x[-1], 101)
            curve = Response(tuple(x), tuple(y))
            with np.errstate(over="ignore"):  # of theirs: beside a slope next to none it is none
                theirs = PchipInterpolator(x, y)(at)
            np.testing.assert_allclose(curve.at(at), theirs, atol=1e-12)

    @given(st.lists(st.tuples(st.floats(0.05, 3), st.floats(0, 1)), min_size=2, max_size=8))
    @settings(max_examples=150, deadline=None)
    def test_any_knots_rising_or_not_are_those_of_pchip(self, steps):
        x = np.cumsum([s for s, _ in steps])
        y = np.array([v for _, v in steps])
        at = np.linspace(x[0], x[-1], 73)
        with np.errstate(over="ignore"):
            theirs = PchipInterpolator(x, y)(at)
        np.testing.assert_allclose(Response(tuple(x), tuple(y)).at(at), theirs, atol=1e-9)

    def test_the_compiled_loop_gives_the_same_inside_and_outside(self):
        generator = np.random.default_rng(5)
        character = tube()
        for count in (2, 3, 9):
            x, y = np.sort(generator.uniform(-2, 2, count)), generator.uniform(0, 1, count)
            curve = Response(tuple(x), tuple(y))
            trigger = HingeTrigger(2, (0.0, 0.0, 1.0), curve)
            middle = 0.5 * (x[0] + x[-1])  # half a turn from it the angle has its cut
            for angle in (*x, *generator.uniform(middle - 3.1, middle + 3.1, 20)):
                pose = bent(character.skeleton.rest_pose(), 2, (0, 0, 1), angle)
                self.assertAlmostEqual(value_of(character, trigger, pose), float(curve.at(angle)), places=12)

    @given(st.lists(st.tuples(st.floats(0.01, 2), st.floats(0, 1)), min_size=2, max_size=9), st.integers(0, 12))
    @settings(max_examples=100, deadline=None)
    def test_a_drawn_curve_is_that_of_pchip_at_its_knots_and_evenly_between(self, steps, between):
        x, y = np.cumsum([s for s, _ in steps]) - 3, np.array([v for _, v in steps])
        points = np.empty((len(x) + between, 2), np.float32)
        curve_points(Response(tuple(x), tuple(y)).rows, points)
        at = np.sort(np.concatenate([np.linspace(x[0], x[-1], between + 2)[1:-1], x]))
        np.testing.assert_allclose(points[:, 0], np.degrees(at), rtol=1e-6, atol=1e-5)
        np.testing.assert_allclose(points[:, 1], PchipInterpolator(x, y)(at), atol=1e-6)

    def test_it_is_flat_outside_and_never_leaves_0_to_1(self):
        curve = Response.preset("ease", 0.2, -1.5)
        values = curve.at(np.linspace(-4, 4, 200))
        self.assertEqual(values[0], 1)
        self.assertEqual(values[-1], 0)
        self.assertTrue(((values >= 0) & (values <= 1)).all())

    def test_presets_go_from_start_to_end_in_both_directions(self):
        for name in PRESETS:
            for start, end in ((0.0, 2.0), (0.0, -1.0), (0.3, 1.0)):
                curve = Response.preset(name, start, end)
                self.assertAlmostEqual(curve.start, start)
                self.assertAlmostEqual(curve.end, end)
                self.assertEqual(float(curve.at(start)), 0)
                self.assertEqual(float(curve.at(end)), 1)

    def test_late_is_late_and_early_is_early(self):
        # Common practice, no source: for a shoulder lifted 30 steps, about 0.2 at 15 and 0.6 at 22.
        late = Response.preset("late", 0.0, 30.0)
        self.assertAlmostEqual(float(late.at(15.0)), 0.2, delta=0.06)
        self.assertAlmostEqual(float(late.at(22.0)), 0.6, delta=0.1)
        self.assertGreater(float(Response.preset("early", 0.0, 1.0).at(0.5)), 0.7)

    @given(
        st.lists(st.floats(0.05, 1), min_size=1, max_size=5),
        st.floats(-1, 1),
        st.floats(1.1, 3),
        st.sampled_from([1, -1]),
    )
    @settings(max_examples=100, deadline=None)
    def test_led_on_it_gives_a_share_up_to_its_old_end_and_is_fully_on_at_the_new_one(self, steps, start, more, way):
        x = way * (start + np.cumsum([0, *steps]))
        y = np.linspace(0, 1, len(x))
        curve = Response.of_knots(list(zip(x, y, strict=True)))
        to = float(x[0] + more * (x[-1] - x[0]))
        longer, share = curve.furthered(to)
        self.assertAlmostEqual(share, 1 / more)
        np.testing.assert_allclose(longer.at(x), share * curve.at(x), atol=1e-9)
        np.testing.assert_array_equal(longer.at([to, to + way]), [1, 1])
        self.assertTrue((np.diff(longer.at(np.linspace(x[0], to, 60))) >= -1e-12).all())
        # Not well beyond, on the way, on the other side, or where it comes down again.
        for other in (x[-1] + 0.04 * (x[-1] - x[0]), x[-1], x[0], x[0] - way):
            self.assertIsNone(curve.furthered(float(other)))
        bump = Response.of_knots([*zip(x, y, strict=True), (x[-1] + way, 0.0)])
        self.assertIsNone(bump.furthered(to + 2 * way))
        flat = Response.of_knots([*zip(x, y, strict=True), (x[-1] + 0.01 * way, 1.0)])
        self.assertEqual(flat.furthered(to), (longer, share))

    def test_broken_knots_are_refused(self):
        for angles, values in (
            ((0.0,), (0.0,)),
            ((1.0, 0.0), (0.0, 1.0)),
            ((0.0, math.nan), (0, 1)),
            ((0.0, 1e300), (0, 1)),
        ):
            with self.assertRaises(BadEditError):
                Response(angles, values)
        with self.assertRaisesRegex(BadEditError, "between 0 and 1"):
            HingeTrigger(0, (0.0, 0.0, 1.0), Response((0.0, 1.0), (0.0, 1.5)))

    @given(st.lists(st.floats(0, 1), min_size=2, max_size=7), st.floats(0.05, 2))
    @settings(max_examples=60, deadline=None)
    def test_where_it_begins_and_where_it_is_fully_on_are_told_of_falling_curves_too(self, values, step):
        # The wide end of both is told by looking: the last knot before it leaves 0, the first where it is highest.
        inputs = [k * step for k in range(len(values))]
        curve = Response(tuple(inputs), tuple(values))
        way = list(zip(inputs, values, strict=True))
        way = way if values[-1] >= values[0] else way[::-1]
        highest = next(a for a, v in way if v == max(values))
        leading = [a for k, (a, _) in enumerate(way) if all(v <= 1e-9 for _, v in way[: k + 1])]
        self.assertEqual((curve.start, curve.end), (leading[-1] if leading else way[0][0], highest))
        self.assertEqual((curve.flipped().flipped()), curve)
        if values[0] != values[-1]:
            self.assertEqual((curve.flipped().start, curve.flipped().end), (-curve.start, -curve.end))


class Axes(unittest.TestCase):
    @given(st.lists(st.floats(-1e6, 1e6), min_size=3, max_size=3), st.floats(1e-3, 1e3))
    @settings(max_examples=80, deadline=None)
    def test_an_axis_keeps_its_way_and_has_length_1_whatever_its_size(self, axis, size):
        if max(map(abs, axis)) < 1e-2:
            return
        unit = np.array(unit_axis(axis))
        self.assertAlmostEqual(float(np.linalg.norm(unit)), 1)
        np.testing.assert_allclose(unit, np.array(axis) / np.linalg.norm(axis), atol=1e-12)
        np.testing.assert_allclose(unit_axis([size * c for c in axis]), unit, atol=1e-9)
        snapped, near = snap_axis(unit), float(np.abs(unit).max())
        if near >= math.cos(math.radians(10)):
            self.assertEqual(float(snapped @ unit), near)
            self.assertEqual(sorted(np.abs(snapped).tolist()), [0, 0, 1])
        else:
            np.testing.assert_array_equal(snapped, unit)

    def test_what_is_no_axis_is_refused(self):
        for axis in ([0, 0, 0], [1e-9, 0, 0], [math.nan, 1, 0], [1, math.inf, 0], [1, 0]):
            with self.assertRaisesRegex(BadEditError, "three finite numbers"):
                unit_axis(axis)


class Hinge(unittest.TestCase):
    def test_guess_snaps_to_the_joints_axis_and_carries_the_sign(self):
        character = tube()
        joint = character.skeleton.find("upper")
        tilted = rotations.from_axis_angle([0.08, 0.0, -1.0], math.radians(100))
        trigger = guess_hinge(character.skeleton, character.skeleton.rest_pose().with_rotation(joint, tilted), joint)
        self.assertEqual(trigger.axis, (0.0, 0.0, 1.0))
        self.assertAlmostEqual(math.degrees(trigger.response.end), -100, delta=0.5)
        self.assertEqual(value_of(character, trigger, character.skeleton.rest_pose()), 0)

    def test_an_oblique_axis_is_kept(self):
        character = tube()
        q = rotations.from_axis_angle([1.0, 0, 1.0], 1.0)
        trigger = guess_hinge(character.skeleton, character.skeleton.rest_pose().with_rotation(2, q), 2)
        np.testing.assert_allclose(trigger.axis, np.array([1, 0, 1]) / math.sqrt(2), atol=1e-9)

    def test_rule_survives_a_round_trip(self):
        character = tube()
        trigger = guess_hinge(character.skeleton, bent(character.skeleton.rest_pose(), 2, (0, 0, 1), 1.1), 2)
        again = trigger_from_document(trigger.to_document(character.skeleton), character.skeleton)
        for angle in np.linspace(-1, 2, 13):
            pose = bent(character.skeleton.rest_pose(), 2, (0, 0, 1), float(angle))
            values = [value_of(character, t, pose) for t in (again, trigger)]
            self.assertAlmostEqual(*values, places=9)

    def test_a_joint_at_rest_cannot_trigger(self):
        with self.assertRaisesRegex(BadEditError, "at rest"):
            guess_hinge(tube().skeleton, tube().skeleton.rest_pose(), 2)
