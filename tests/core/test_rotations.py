"""Rotations against scipy.spatial.transform.Rotation."""

import unittest

import numpy as np
from scipy.spatial.transform import Rotation

from plethos.core import rotations


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

    def test_twist_at_swing_180_is_zero_and_finite(self):
        q = rotations.from_axis_angle([1.0, 0, 0], np.pi)
        self.assertEqual(float(rotations.twist_angle(q, [0, 0, 1.0])), 0.0)
