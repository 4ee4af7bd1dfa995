"""Skinning against usd-core: UsdSkel.SkinPoints, linear and dual quaternion; linear also against libigl."""

import unittest

import igl
import numpy as np
from pxr import Gf, UsdSkel, Vt
from scipy.spatial.transform import Rotation

from plethos.core.skinning import exact
from plethos.core.skinning.kernels import deform


class AgainstOthers(unittest.TestCase):
    def setUp(self):
        generator = np.random.default_rng(11)
        self.count, self.bones = 500, 12
        self.points = generator.normal(size=(self.count, 3)).astype(np.float32)
        self.slots = np.stack([generator.choice(self.bones, 4, replace=False) for _ in range(self.count)]).astype(
            np.int32
        )
        weights = generator.dirichlet(np.ones(4), self.count)
        self.weights = weights.astype(np.float32)
        self.matrices = np.tile(np.eye(4), (self.bones, 1, 1))
        # Within 80 degrees of each other, so that no pair of rotations is antipodal.
        turns = Rotation.from_rotvec(generator.uniform(-0.8, 0.8, (self.bones, 3)))
        self.matrices[:, :3, :3] = turns.as_matrix()
        self.matrices[:, :3, 3] = generator.normal(size=(self.bones, 3))

    def usd(self, method) -> np.ndarray:
        # USD multiplies row vectors: its matrices are the transposes of ours.
        transforms = Vt.Matrix4dArray([Gf.Matrix4d(*m.T.ravel().tolist()) for m in self.matrices])
        points = Vt.Vec3fArray.FromNumpy(self.points.copy())
        indices = Vt.IntArray.FromNumpy(self.slots.ravel().copy())
        weights = Vt.FloatArray.FromNumpy(self.weights.ravel().copy())
        done = UsdSkel.SkinPoints(method, Gf.Matrix4d(1), transforms, indices, weights, 4, points, True)
        self.assertIsNot(done, False)
        return np.array(points)

    def ours(self, blend: float) -> np.ndarray:
        maps = exact.affine_skin(self.matrices, self.slots, self.weights, np.full(self.count, blend, np.float32))
        return exact.apply_skin(*maps, self.points)

    def test_linear_agrees_with_usd(self):
        np.testing.assert_allclose(self.ours(0.0), self.usd(UsdSkel.Tokens.classicLinear), atol=5e-6)

    def test_dual_quaternion_agrees_with_usd(self):
        np.testing.assert_allclose(self.ours(1.0), self.usd(UsdSkel.Tokens.dualQuaternion), atol=5e-6)

    def test_linear_agrees_with_libigl(self):
        dense = np.zeros((self.count, self.bones))
        np.put_along_axis(dense, self.slots.astype(np.int64), self.weights.astype(np.float64), axis=1)
        system = igl.lbs_matrix(self.points.astype(np.float64), dense)
        stacked = self.matrices[:, :3, :].transpose(0, 2, 1).reshape(-1, 3)
        np.testing.assert_allclose(self.ours(0.0), system @ stacked, atol=1e-6)

    def test_the_compiled_kernel_agrees_with_usd(self):
        out = np.empty_like(self.points)
        bones = np.ascontiguousarray(self.matrices[:, :3, :].reshape(-1, 12), np.float32)
        offsets = np.zeros(self.count + 1, np.int32)
        deform(
            self.points, offsets, np.zeros(0, np.int32), np.zeros((0, 3), np.float32), np.zeros(0, np.float32),
            self.slots, self.weights, bones, np.zeros((12, 8), np.float32), np.zeros((12, 9), np.float32), False,
            np.zeros(self.count, np.float32), out,
        )  # fmt: skip
        np.testing.assert_allclose(out, self.usd(UsdSkel.Tokens.classicLinear), atol=5e-6)
