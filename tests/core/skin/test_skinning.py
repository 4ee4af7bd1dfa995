"""Skinning: the closed form of its loss, the kernel against plain NumPy, poses."""

import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from plethos.core.errors import BadPoseError
from plethos.core.evaluate import NONE, Evaluator, evaluate_exact
from plethos.core.geometry import rotations
from plethos.core.geometry.topology import extent
from plethos.core.measure.travel import bent
from plethos.core.rules.triggers.hinge import guess_hinge
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.pose_files import pose_from_json
from plethos.core.skin import exact
from plethos.core.skin.bone_table import bone_table
from plethos.core.skin.shape import Shape
from plethos.core.weights.assign import with_joint_weights
from tests.figures import tied, tube, tube_points
from tests.models import load


def twisted(degrees: float, blend: float):
    """A ring shared half and half between two frames turned by an angle about Y."""
    angles = np.linspace(0, 2 * np.pi, 16, endpoint=False)
    ring = np.stack([np.cos(angles), np.zeros(16), np.sin(angles)], axis=1)
    turned = np.eye(4)
    turned[:3, :3] = rotations.to_matrix(rotations.from_axis_angle([0, 1.0, 0], np.radians(degrees)))
    matrices = np.stack([np.eye(4), turned])
    slots, weights = np.tile([0, 1], (16, 1)).astype(np.int32), np.full((16, 2), 0.5)
    return exact.apply_skin(*exact.affine_skin(matrices, slots, weights, np.full(16, blend)), ring)


class Loss(unittest.TestCase):
    def test_linear_skinning_shrinks_a_twisted_ring_by_the_cosine_of_half_the_angle(self):
        # Closed form, design notes: cos(t / 2).
        for degrees in (30, 60, 90, 120, 150, 180):
            radius = np.linalg.norm(twisted(degrees, 0.0), axis=1)
            np.testing.assert_allclose(radius, np.cos(np.radians(degrees) / 2), atol=1e-12)

    def test_dual_quaternions_keep_the_radius(self):
        # Kavan and others 2007 (from memory): a twist keeps the radius of a tube.
        for degrees in (30, 90, 150, 175):
            np.testing.assert_allclose(np.linalg.norm(twisted(degrees, 1.0), axis=1), 1, atol=1e-4)


class DualQuaternions(unittest.TestCase):
    """Three bones turned any which way: what is written out here with SciPy's quaternions, in the papers' own terms."""

    @given(st.integers(0, 2**31))
    @settings(max_examples=80, deadline=None)
    def test_bones_of_any_rotations_blend_as_kavan_writes_it(self, seed):
        # Kavan and others 2007 (from memory): the sum of dual quaternions, those that point away from the one of the
        # largest weight negated, divided by the length of its real part.
        draw = np.random.default_rng(seed)
        turns, moves = Rotation.random(3, rng=draw), draw.normal(size=(3, 3))
        weights = draw.dirichlet(np.ones(3), 20)
        points = draw.normal(size=(20, 3))
        matrices = np.tile(np.eye(4), (3, 1, 1))
        matrices[:, :3, :3], matrices[:, :3, 3] = turns.as_matrix(), moves
        rows = np.argsort(-weights, axis=1).astype(np.int32)
        sorted_ = np.take_along_axis(weights, rows, 1)
        ours = exact.apply_skin(*exact.affine_skin(matrices, rows, sorted_, np.ones(20)), points)
        real = turns.as_quat()
        for v in range(20):
            signs = np.where(real @ real[rows[v, 0]] < 0, -1.0, 1.0) * weights[v]
            summed = signs @ real
            turned = Rotation.from_quat(summed).apply(points[v])
            # The translation of t q, over twice the dual part: 2 dual conjugate(real) / |real|^2.
            dual = sum(
                s * 0.5 * times(np.append(t, 0), q) for s, t, q in zip(signs, moves, real, strict=True)
            )  # fmt: skip
            back = summed * [-1, -1, -1, 1] / (summed @ summed)
            np.testing.assert_allclose(ours[v], turned + 2 * times(dual, back)[:3], atol=1e-9)

    @given(st.integers(0, 2**31))
    @settings(max_examples=40, deadline=None)
    def test_where_the_whole_is_turned_changes_nothing_about_how_it_bends(self, seed):
        draw = np.random.default_rng(seed)
        character = tube()
        character = replace(
            character, binding=replace(character.binding, blend=np.ones(len(character.mesh), np.float32))
        )  # fmt: skip
        evaluator, pose = Evaluator.of(character), character.skeleton.rest_pose()
        pose.rotations[1:] = Rotation.random(2, rng=draw).as_quat()
        still = evaluator.pose(pose).points
        whole = Rotation.random(rng=draw)
        moved = evaluator.pose(pose.with_rotation(0, whole.as_quat())).points
        np.testing.assert_allclose(moved, whole.apply(still), atol=5e-6)


def times(a, b) -> np.ndarray:
    """The Hamilton product of quaternions x, y, z, w, written out."""
    v = a[3] * b[:3] + b[3] * a[:3] + np.cross(a[:3], b[:3])
    return np.append(v, a[3] * b[3] - a[:3] @ b[:3])


class Kernel(unittest.TestCase):
    def test_it_equals_plain_numpy_with_shapes_blend_and_scale(self):
        for scale in (1.0, 0.01):
            character = tube(root={"scale": [scale] * 3}) if scale != 1 else tube()
            generator = np.random.default_rng(3)
            blend = generator.choice([0.0, 0.3, 1.0], len(character.mesh.points)).astype(np.float32)
            character = replace(character, binding=replace(character.binding, blend=blend))
            vertices = np.sort(generator.choice(len(character.mesh.points), 60, replace=False)).astype(np.int32)
            shape = Shape("bump", vertices, generator.normal(0, 0.02, (60, 3)).astype(np.float32))
            pose = bent(character.skeleton.rest_pose(), character.skeleton.find("upper"), (0, 0, 1), 1.2)
            trigger = guess_hinge(character.skeleton, pose, character.skeleton.find("upper"))
            mended = character.with_remedy(*tied(shape, trigger))
            half = bent(pose, character.skeleton.find("upper"), (0, 0, 1), 0.8)
            ours, plain = Evaluator.of(mended).pose(half).points, evaluate_exact(mended, half)
            np.testing.assert_allclose(ours, plain, atol=2e-6 * scale)
            self.assertGreater(np.abs(plain - evaluate_exact(mended, half, NONE)).max(), 1e-3 * scale)

    @given(st.integers(0, 2**31))
    @settings(max_examples=30, deadline=None)
    def test_it_equals_plain_numpy_under_joints_that_stretch_and_shear(self, seed):
        """Joints that are scaled unevenly shear what turns below them: dual quaternions take that apart."""
        draw = np.random.default_rng(seed)
        character = tube()
        blend = draw.choice([0.0, 0.4, 1.0], len(character.mesh)).astype(np.float32)
        character = replace(character, binding=replace(character.binding, blend=blend))
        count = len(character.skeleton)
        pose = Pose(Rotation.random(count, rng=draw).as_quat(), draw.normal(0, 0.1, (count, 3)))
        pose = replace(pose, scales=draw.uniform(0.6, 1.6, (count, 3)))
        np.testing.assert_allclose(
            Evaluator.of(character).pose(pose).points, evaluate_exact(character, pose), atol=1e-5
        )  # fmt: skip

    def test_a_part_of_the_vertices_gives_the_same_points(self):
        character = tube()
        pose = bent(character.skeleton.rest_pose(), 2, (0, 0, 1), 0.7)
        some = np.arange(5, 200, 7, dtype=np.int32)
        whole = Evaluator.of(character).pose(pose).points
        np.testing.assert_array_equal(Evaluator.of(character, None, some).pose(pose).points, whole[some])


class Poses(unittest.TestCase):
    def test_rotation_is_on_top_of_rest_in_the_rest_frame(self):
        turned = {"rotation": rotations.from_axis_angle([1.0, 0, 0], np.pi / 2).tolist()}
        character = tube(root=turned)
        pose = pose_from_json(character.skeleton, '{"joints": {"upper": {"euler_xyz_deg": [0, 0, 90]}}}')
        world = character.skeleton.global_matrices(pose)[character.skeleton.find("upper")]
        # Rest turns +Y to +Z, so the joint's own Z points along -Y; 90 degrees about it send +Y to -X.
        np.testing.assert_allclose(world[:3, :3] @ [0, 1, 0], [-1, 0, 0], atol=1e-9)

    def test_a_pose_that_names_no_joint_says_so(self):
        skeleton = tube().skeleton
        for text, words in (
            ('{"joints": {"knee": {"euler_xyz_deg": [0, 0, 1]}}}', "knee"),
            ('{"joints": {"upper": {"euler_xyz_deg": [0, 1]}}}', "3 finite numbers"),
            ('{"joints": {"upper": {"quaternion_xyzw": [0, 0, 0, 0]}}}', "length zero"),
            ("[]", "not of the form"),
        ):
            with self.assertRaisesRegex(BadPoseError, words):
                pose_from_json(skeleton, text)

    def test_the_tube_is_closed(self):
        points, triangles = tube_points()
        self.assertEqual(triangles.max() + 1, len(points))


class Order(unittest.TestCase):
    @given(st.integers(0, 2**31), st.floats(0, 1))
    @settings(max_examples=40, deadline=None)
    def test_the_order_in_which_influences_are_listed_changes_nothing(self, seed, blend):
        draw = np.random.default_rng(seed)
        matrices = np.tile(np.eye(4), (6, 1, 1))
        # Any linear part: turned, stretched and sheared.
        matrices[:, :3, :3] = Rotation.random(6, rng=draw).as_matrix() @ (np.eye(3) + draw.normal(0, 0.2, (6, 3, 3)))
        matrices[:, :3, 3] = draw.normal(size=(6, 3))
        slots = np.stack([draw.permutation(6)[:4] for _ in range(15)]).astype(np.int32)
        weights = draw.dirichlet(np.ones(4), 15)
        shuffled = draw.permuted(np.tile(np.arange(4), (15, 1)), axis=1)
        share = np.full(15, blend)
        one = exact.affine_skin(matrices, slots, weights, share)
        other = exact.affine_skin(
            matrices, np.take_along_axis(slots, shuffled, 1), np.take_along_axis(weights, shuffled, 1), share
        )
        for a, b in zip(one, other, strict=True):
            np.testing.assert_allclose(a, b, atol=1e-12)

    def test_a_skin_whose_largest_weights_do_not_come_first_is_posed_the_same(self):
        draw = np.random.default_rng(4)
        fox = load("fox/Fox.gltf")[0]
        count, bones = len(fox.mesh), len(fox.binding.bones.joint)
        slots = np.stack([draw.permutation(bones)[:4] for _ in range(count)]).astype(np.int32)
        weights = -np.sort(-draw.dirichlet(np.ones(4), count), axis=1).astype(np.float32)
        shuffled = draw.permuted(np.tile(np.arange(4), (count, 1)), axis=1)
        pose = replace(fox.skeleton.rest_pose(), rotations=Rotation.random(len(fox.skeleton), rng=draw).as_quat())
        own = replace(fox.binding, influences=slots, weights=weights, blend=np.ones(count, np.float32))
        mixed = replace(
            own, influences=np.take_along_axis(slots, shuffled, 1), weights=np.take_along_axis(weights, shuffled, 1)
        )
        one, other = (Evaluator.of(replace(fox, binding=b)).pose(pose).points for b in (own, mixed))
        np.testing.assert_allclose(one, other, atol=1e-3 * extent(fox.mesh.rest))


class Bones(unittest.TestCase):
    def test_a_part_bound_in_another_pose_than_its_rest_takes_new_joints_where_most_of_it_lies(self):
        # The upper half holds most vertices; it was bound 0.3 to the side of where the lower one was.
        base = tube(softness=1e-3)
        binds = base.binding.bones.inverse_bind.copy()
        upper = int(np.flatnonzero(base.binding.bones.joint == base.skeleton.find("upper"))[0])
        binds[upper, 0, 3] += 0.3
        bones = replace(base.binding.bones, inverse_bind=binds)
        most = base.mesh.rest[:, 1] > 0.2
        weights = np.zeros_like(base.binding.weights)
        weights[:, 0] = 1
        influences = np.where(most, upper, 1 - upper).astype(np.int32)[:, None].repeat(weights.shape[1], 1)
        binding = replace(base.binding, bones=bones, influences=influences, weights=weights)
        character = replace(base, binding=binding)
        shown = Evaluator.of(character).rest()
        table = bone_table(character.mesh, character.skeleton, binding, np.ones((1, 3), bool))
        root = np.zeros((len(shown), 3))
        root[:, character.skeleton.find("root")] = 1
        rooted = with_joint_weights(character, root)
        np.testing.assert_allclose(Evaluator.of(rooted).rest()[most], shown[most], atol=1e-6)
        self.assertGreater(np.abs(Evaluator.of(rooted).rest()[~most] - shown[~most]).max(), 0.2)
        self.assertEqual(table.rows.tolist(), [[2, 1 - upper, upper]])
