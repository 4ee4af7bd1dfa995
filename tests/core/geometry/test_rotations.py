"""Rotations against scipy.spatial.transform.Rotation."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.linalg import polar
from scipy.spatial.transform import Rotation, Slerp

from plethos.core.geometry import rotations
from plethos.core.skeleton.mapping import turned_axis


class Rotations(unittest.TestCase):
    def setUp(self):
        self.random = Rotation.random(200, rng=np.random.default_rng(5))
        self.q = self.random.as_quat()

    def test_matrices_and_back_agree_with_scipy(self):
        np.testing.assert_allclose(rotations.to_matrix(self.q), self.random.as_matrix(), atol=1e-12)
        back = rotations.from_matrix(self.random.as_matrix())
        np.testing.assert_allclose(np.abs((back * self.q).sum(1)), 1, atol=1e-12)

    def test_product_agrees_with_scipy(self):
        other = Rotation.random(200, rng=np.random.default_rng(6))
        ours = rotations.multiply(self.q, other.as_quat())
        np.testing.assert_allclose(rotations.to_matrix(ours), (self.random * other).as_matrix(), atol=1e-12)

    def test_euler_angles_are_intrinsic_xyz(self):
        angles = np.random.default_rng(7).uniform(-180, 180, (50, 3))
        theirs = Rotation.from_euler("XYZ", angles, degrees=True).as_matrix()
        np.testing.assert_allclose(rotations.to_matrix(rotations.from_euler_xyz_deg(angles)), theirs, atol=1e-12)

    def test_angles_agree_with_scipy(self):
        np.testing.assert_allclose(rotations.angle(self.q), self.random.magnitude(), atol=1e-12)

    def test_swing_and_twist_recompose_and_the_swing_has_no_twist(self):
        axis = np.array([0.6, 0.0, 0.8])
        swing, twist = rotations.swing_twist(self.q, axis)
        recomposed = rotations.multiply(swing, twist)
        np.testing.assert_allclose(np.abs((recomposed * self.q).sum(1)), 1, atol=1e-12)
        np.testing.assert_allclose(rotations.twist_angle(swing, axis), 0, atol=1e-9)

    def test_twist_is_wrapped_and_signed(self):
        for degrees in (-179, -90, -1, 0, 30, 179, 180):
            q = rotations.from_axis_angle([0, 0, 1.0], np.radians(degrees))
            self.assertAlmostEqual(float(np.degrees(rotations.twist_angle(q, [0, 0, 1.0]))), degrees, places=9)
            self.assertAlmostEqual(float(np.degrees(rotations.twist_angle(-q, [0, 0, 1.0]))), degrees, places=9)

    @given(st.integers(0, 2**31), st.floats(-6, 6))
    @settings(max_examples=50, deadline=None)
    def test_a_twist_lies_within_half_a_turn_of_the_middle_and_is_the_same_turn(self, seed, middle):
        q = Rotation.random(20, rng=np.random.default_rng(seed)).as_quat()
        axis = np.random.default_rng(seed + 1).normal(size=3)
        axis /= np.linalg.norm(axis)
        told, plain = rotations.twist_angle(q, axis, middle), rotations.twist_angle(q, axis)
        self.assertTrue(((told > middle - np.pi - 1e-9) & (told <= middle + np.pi + 1e-9)).all())
        np.testing.assert_allclose(np.cos(told - plain), 1, atol=1e-12)
        # About the axis SciPy finds the same: what is left after it turns the axis the shortest way.
        for turn, one in zip(told, q, strict=True):
            left = (Rotation.from_quat(one) * Rotation.from_rotvec(-turn * axis)).as_rotvec()
            self.assertAlmostEqual(float(left @ axis), 0, places=6)

    @given(st.integers(0, 2**31), st.floats(0, 1))
    @settings(max_examples=50, deadline=None)
    def test_between_two_is_what_scipy_slerps(self, seed, t):
        two = Rotation.random(2, rng=np.random.default_rng(seed))
        theirs = Slerp([0, 1], two)(t)
        for sign in (1, -1):
            ours = rotations.slerp(two.as_quat()[0], sign * two.as_quat()[1], t)
            self.assertAlmostEqual((Rotation.from_quat(ours).inv() * theirs).magnitude(), 0, places=6)
        near = rotations.slerp(two.as_quat()[0], two.as_quat()[0] * (1 + 1e-12), t)
        np.testing.assert_allclose(near, two.as_quat()[0], atol=1e-9)

    def test_axis_and_angle_are_scipys_rotation_vector(self):
        for q, theirs in zip(self.q, self.random.as_rotvec(), strict=True):
            for one in (q, -q):
                axis, angle = rotations.axis_and_angle(one)
                np.testing.assert_allclose(axis * angle, theirs, atol=1e-9)
                self.assertTrue(0 <= angle <= np.pi)
            np.testing.assert_allclose(rotations.from_axis_angle(7 * axis, angle) @ q, np.sign(q[3]), atol=1e-9)
        axis, angle = rotations.axis_and_angle([0, 0, 0, 1])
        self.assertEqual((axis.tolist(), angle), ([1, 0, 0], 0))
        np.testing.assert_array_equal(
            rotations.normalize([[0, 0, 0, 0], [0, 0, 3, 4]]), [[0, 0, 0, 1], [0, 0, 0.6, 0.8]]
        )

    @given(st.integers(0, 2**31))
    @settings(max_examples=50, deadline=None)
    def test_the_rotation_in_a_matrix_is_scipys_polar_factor_and_mirrors_are_told(self, seed):
        draw = np.random.default_rng(seed)
        turn = Rotation.random(rng=draw).as_matrix()
        stretch = np.eye(3) + 0.3 * draw.normal(size=(3, 3))
        sheared = turn @ (stretch @ stretch.T)
        nearest = polar(sheared)[0]
        np.testing.assert_allclose(rotations.rotation_part(sheared), nearest, atol=1e-9)
        # Columns at right angles keep their directions whatever their lengths; a mirror in them is left out.
        lengths = np.diag(draw.uniform(0.2, 5, 3))
        np.testing.assert_allclose(rotations.rotation_part(turn @ lengths), turn, atol=1e-9)
        self.assertGreater(np.linalg.det(rotations.rotation_part(turn @ lengths @ np.diag([1, -1, 1]))), 0)
        self.assertGreater(np.linalg.det(rotations.rotation_part(np.zeros((3, 3)))), 0)
        mirror = turn @ np.diag([-1.0, 1, 1]) * 2.5
        np.testing.assert_allclose(rotations.rotation_or_mirror(mirror), mirror / 2.5, atol=1e-9)
        # Axes are pseudovectors: turning about the mapped axis is turning, seen through the map.
        axis, angle = draw.normal(size=3), draw.uniform(-3, 3)
        axis /= np.linalg.norm(axis)
        seen = mirror @ Rotation.from_rotvec(angle * axis).as_matrix() @ np.linalg.inv(mirror)
        there = Rotation.from_rotvec(angle * (rotations.axis_map(mirror) @ axis)).as_matrix()
        np.testing.assert_allclose(there, seen, atol=1e-9)

    @given(st.integers(0, 2**31), st.sampled_from([1, -1]))
    @settings(max_examples=40, deadline=None)
    def test_a_rotation_seen_through_a_map_is_the_conjugate_matrix(self, seed, mirror):
        draw = np.random.default_rng(seed)
        linear = 1.7 * Rotation.random(random_state=draw).as_matrix() @ np.diag([mirror, 1, 1])
        q = Rotation.random(5, random_state=draw).as_quat()
        wanted = linear @ Rotation.from_quat(q).as_matrix() @ np.linalg.inv(linear)
        np.testing.assert_allclose(Rotation.from_quat(turned_axis(linear, q)).as_matrix(), wanted, atol=1e-9)

    def test_twist_at_swing_180_is_zero_and_finite(self):
        q = rotations.from_axis_angle([1.0, 0, 0], np.pi)
        self.assertEqual(float(rotations.twist_angle(q, [0, 0, 1.0])), 0.0)


class Shortest(unittest.TestCase):
    @given(st.lists(st.floats(-1, 1), min_size=3, max_size=3), st.sampled_from([1.0, -1.0, 0.3]), st.integers(0, 2**31))
    def test_one_direction_comes_to_the_other_by_the_least_turn(self, direction, along, seed):
        one = np.array(direction)
        if np.linalg.norm(one) < 1e-3:
            one = np.array([0.0, 0, 1])
        draw = np.random.default_rng(seed).normal(size=3)
        other = along * one if abs(along) == 1 else draw
        turn = Rotation.from_quat(rotations.shortest(one, other))
        a, b = one / np.linalg.norm(one), other / np.linalg.norm(other)
        np.testing.assert_allclose(turn.apply(a), b, atol=1e-6)
        self.assertAlmostEqual(turn.magnitude(), float(np.arccos(np.clip(a @ b, -1, 1))), delta=1e-5)
