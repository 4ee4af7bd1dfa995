"""The compiled loops over joints: against 4 x 4 products of SciPy's rotations, and against plain NumPy."""

import unittest
from dataclasses import replace

import numpy as np
from scipy.spatial.transform import Rotation

from plethos.core.geometry import rotations
from plethos.core.skeleton.kinematics import bone_rows, frames
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skin.binding import Bones
from plethos.core.skin.bones import rigid_bones

COUNT = 40


def random_skeleton(generator: np.random.Generator, stretched: bool = False) -> Skeleton:
    """A tree of joints with random rest transforms."""
    stretch = np.tile(np.eye(3), (COUNT, 1, 1))
    if stretched:  # in no direction alike, and sheared
        stretch += generator.uniform(-0.4, 0.8, (COUNT, 3, 3))
    return Skeleton(
        names=tuple(f"joint_{j}" for j in range(COUNT)),
        parents=np.array([generator.integers(-1, j) if j else -1 for j in range(COUNT)], dtype=np.int32),
        rest_translation=generator.normal(size=(COUNT, 3)),
        rest_rotation=Rotation.random(COUNT, rng=generator).as_quat(),
        rest_stretch=stretch,
        is_joint=np.ones(COUNT, bool),
        nodes=np.arange(COUNT, dtype=np.int32),
    )


def posed(generator: np.random.Generator) -> Pose:
    return Pose(Rotation.random(COUNT, rng=generator).as_quat(), generator.normal(size=(COUNT, 3)))


class ForwardKinematics(unittest.TestCase):
    def test_it_equals_the_product_of_matrices_from_scipy(self):
        generator = np.random.default_rng(2)
        for stretched in (False, True):
            skeleton, pose = random_skeleton(generator, stretched), posed(generator)
            world = skeleton.global_matrices(pose)
            for j in range(COUNT):
                local = np.eye(4)
                turn = Rotation.from_quat(skeleton.rest_rotation[j]) * Rotation.from_quat(pose.rotations[j])
                local[:3, :3] = turn.as_matrix() @ skeleton.rest_stretch[j]
                local[:3, 3] = skeleton.rest_translation[j] + pose.translations[j]
                parent = skeleton.parents[j]
                wanted = local if parent < 0 else world[parent] @ local
                np.testing.assert_allclose(world[j], wanted, atol=1e-9 * max(1, np.abs(wanted).max()))

    def test_a_scale_in_the_pose_replaces_the_rest_stretch(self):
        generator = np.random.default_rng(3)
        skeleton, pose = random_skeleton(generator, stretched=True), posed(generator)
        scales = np.full((COUNT, 3), np.nan)
        scales[::3] = generator.uniform(0.5, 4, scales[::3].shape)
        plain = np.where(
            np.isnan(scales)[:, :, None], skeleton.rest_stretch, np.eye(3) * np.nan_to_num(scales)[:, None]
        )
        wanted = replace(skeleton, rest_stretch=plain).global_matrices(pose)
        given = skeleton.global_matrices(Pose(pose.rotations, pose.translations, scales))
        np.testing.assert_allclose(given, wanted, rtol=1e-12, atol=1e-12)


class BoneRows(unittest.TestCase):
    def setUp(self):
        generator = np.random.default_rng(4)
        skeleton = random_skeleton(generator)
        self.inverse = np.linalg.inv(skeleton.rest_global)
        self.world = skeleton.global_matrices(posed(generator))
        joint = np.arange(COUNT, dtype=np.int32)
        self.bones = Bones(joint, self.inverse, np.zeros(COUNT, np.int32)).rows
        self.columns, self.duals = np.empty((COUNT, 16), np.float32), np.empty((COUNT, 8), np.float32)
        self.stretches = np.empty((COUNT, 9), np.float32)

    def test_columns_and_dual_quaternions_equal_plain_numpy(self):
        self.assertEqual(self.kind(self.world), 0)
        skin = self.world @ self.inverse
        wanted = np.swapaxes(skin[:, :3, :], 1, 2)
        np.testing.assert_allclose(self.columns.reshape(-1, 4, 4)[:, :, :3], wanted, atol=1e-4, rtol=1e-6)
        plain = rigid_bones(skin).dual
        same_side = np.sign((plain[:, :4] * self.duals[:, :4]).sum(1))
        np.testing.assert_allclose(self.duals * same_side[:, None], plain, atol=1e-4, rtol=1e-6)

    def test_bones_that_stretch_or_mirror_are_told(self):
        for change, kind in ((np.diag([1.1, 1, 1, 1]), 2), (np.diag([-1.0, 1, 1, 1]), 1)):
            world = self.world.copy()
            world[7] = world[7] @ change
            self.assertEqual(self.kind(world), kind)

    def kind(self, world):
        return bone_rows(world, self.bones, self.columns, self.duals, self.stretches)

    def test_bones_larger_or_mirrored_by_the_same_all_round_are_split_like_plain_numpy(self):
        world = self.world.copy()
        world[7] = world[7] @ self.inverse[7] @ np.diag([0.01, 0.01, 0.01, 1]) @ np.linalg.inv(self.inverse[7])
        world[9] = world[9] @ self.inverse[9] @ np.diag([-2.0, -2, -2, 1]) @ np.linalg.inv(self.inverse[9])
        self.assertEqual(self.kind(world), 1)
        plain = rigid_bones(world @ self.inverse)
        same_side = np.sign((plain.dual[:, :4] * self.duals[:, :4]).sum(1))
        np.testing.assert_allclose(self.duals * same_side[:, None], plain.dual, atol=1e-4, rtol=1e-5)
        np.testing.assert_allclose(self.stretches.reshape(-1, 3, 3), plain.stretch, atol=1e-5)

    def test_frames_give_place_and_turn_whatever_the_scale(self):
        out = np.empty((COUNT, 7), np.float32)
        frames(self.world @ np.diag([2.0, 3, 0.5, 1]), out)
        np.testing.assert_allclose(out[:, :3], self.world[:, :3, 3], rtol=1e-5)
        turn = rotations.from_matrix(self.world[:, :3, :3])
        np.testing.assert_allclose(np.abs((out[:, 3:] * turn).sum(1)), 1, atol=1e-5)
