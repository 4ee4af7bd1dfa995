"""Skinning against usd-core: UsdSkel.SkinPoints, linear and dual quaternion; linear also against libigl."""

import unittest

import igl
import numpy as np
from pxr import Gf, UsdSkel, Vt
from scipy.spatial.transform import Rotation

from plethos.core.character import Character
from plethos.core.evaluate import Evaluator
from plethos.core.geometry import rotations
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skin import exact
from plethos.core.skin.binding import Binding, Bones
from plethos.core.skin.mesh import Mesh, Part, Triangles


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
        # Any rotation: many pairs are more than half a turn apart in quaternions, so that signs have to be chosen.
        turns = Rotation.random(self.bones, rng=generator)
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
        # Through forward kinematics too: every bone is a joint of its own below no other.
        skeleton = Skeleton(
            names=tuple(f"joint_{j}" for j in range(self.bones)),
            parents=np.full(self.bones, -1, np.int32),
            rest_translation=self.matrices[:, :3, 3].copy(),
            rest_rotation=np.tile(rotations.IDENTITY, (self.bones, 1)),
            rest_stretch=np.tile(np.eye(3), (self.bones, 1, 1)),
            is_joint=np.ones(self.bones, bool),
            nodes=np.arange(self.bones, dtype=np.int32),
        )
        pose = Pose(rotations.from_matrix(self.matrices[:, :3, :3]))
        own = np.arange(self.bones, dtype=np.int32)
        bones = Bones(own, np.tile(np.eye(4), (self.bones, 1, 1)), np.zeros(self.bones, np.int32))
        same = np.arange(self.count, dtype=np.int32)
        for blend, method in ((0.0, UsdSkel.Tokens.classicLinear), (1.0, UsdSkel.Tokens.dualQuaternion)):
            whole = (0, self.count)
            part = Part("cloud", whole, whole, Triangles(np.zeros((0, 3), np.int32)))
            mesh = Mesh((part,), self.points, self.points, same)
            shares = np.full(self.count, blend, np.float32)
            binding = Binding(bones, self.slots, self.weights, self.bones, shares)
            character = Character("Cloud", mesh, skeleton, binding)
            np.testing.assert_allclose(Evaluator.of(character).pose(pose).points, self.usd(method), atol=5e-6)
