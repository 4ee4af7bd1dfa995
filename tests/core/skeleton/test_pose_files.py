"""Pose files: read, written, mirrored; the ranges and axes that a skeleton tells of its joints."""

import json
import math
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from plethos.core.errors import BadPoseError
from plethos.core.joints import edit
from plethos.core.skeleton.hinge import Hinge
from plethos.core.skeleton.mapping import mapped_pose
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.pose_files import pose_from_document, pose_from_json, pose_to_json
from plethos.demo.catalogue import open_demo
from tests.figures import tube

MIRROR = np.diag([-1.0, 1.0, 1.0])


def any_pose(generator: np.random.Generator, count: int) -> Pose:
    """A pose in which some joints are turned, some moved, some scaled, and some nothing at all."""
    turned = Rotation.random(count, rng=generator).as_quat()
    turned[generator.random(count) < 0.3] = [0, 0, 0, 1]
    moved = generator.normal(0, 0.1, (count, 3)) * (generator.random((count, 1)) < 0.5)
    scaled = np.where(generator.random((count, 1)) < 0.5, generator.uniform(0.5, 2, (count, 3)), np.nan)
    return Pose(turned, moved, scaled, {0: 0.25, 3: -1.5}, {"Wet": 0.5})


class Alike(unittest.TestCase):
    @given(st.integers(0, 2**31))
    @settings(max_examples=30, deadline=None)
    def test_two_poses_are_the_same_where_nothing_in_them_differs(self, seed):
        one, other = (any_pose(np.random.default_rng(seed), 5) for _ in range(2))
        self.assertTrue(one.same(other))
        generator = np.random.default_rng(seed)
        j = int(generator.integers(5))
        for name in ("rotations", "translations", "scales"):
            changed = getattr(one, name).copy()
            changed[j] = generator.uniform(2, 3)
            self.assertFalse(one.same(replace(one, **{name: changed})), name)
            self.assertFalse(replace(one, **{name: changed}).same(other), name)
        for name in ("translations", "scales", "shape_weights", "dials"):
            bare = replace(one, **{name: None})
            self.assertFalse(one.same(bare) or bare.same(one), name)
            self.assertTrue(bare.same(replace(other, **{name: None})), name)


class Files(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.character, _ = open_demo()

    @given(st.integers(0, 2**31))
    @settings(max_examples=20, deadline=None)
    def test_a_pose_comes_back_as_it_was_written(self, seed):
        skeleton = self.character.skeleton
        pose = any_pose(np.random.default_rng(seed), len(skeleton))
        text = json.dumps(pose_to_json(skeleton, pose))
        back = pose_from_json(skeleton, text)
        np.testing.assert_allclose(back.rotations, pose.rotations, atol=1e-12)
        np.testing.assert_array_equal(back.translations, pose.translations)
        np.testing.assert_array_equal(back.scales, pose.scales)
        self.assertEqual((back.shape_weights, back.dials), (pose.shape_weights, pose.dials))
        still = json.loads(text)["joints"]
        for j, name in enumerate(skeleton.names):
            said = [pose.rotations[j, 3] < 1, pose.translations[j].any(), not np.isnan(pose.scales[j, 0])]
            keys = [k for k, on in zip(("quaternion_xyzw", "translation", "scale"), said, strict=True) if on]
            self.assertEqual(list(still.get(name, {})), keys)

    def test_what_nobody_says_is_none_and_rest_is_written_as_nothing(self):
        skeleton = self.character.skeleton
        pose = pose_from_json(skeleton, '{"joints": {"left_forearm": {"translation": [0, 0, 0]}}}')
        self.assertIsNone(pose.translations)
        self.assertEqual((pose.scales, pose.shape_weights, pose.dials), (None, None, None))
        self.assertEqual(pose_to_json(skeleton, pose), {"joints": {}})

    def test_euler_angles_and_quaternions_of_any_length_mean_the_rotation_that_scipy_means(self):
        skeleton = self.character.skeleton
        document = {
            "joints": {
                "left_forearm": {"euler_xyz_deg": [30, -75, 200]},
                "right_forearm": {"quaternion_xyzw": [3, -6, 9, 12], "scale": [1, 2, 3]},
            }
        }
        pose = pose_from_json(skeleton, json.dumps(document))
        a, b = (pose.rotations[skeleton.find(f"{side}_forearm")] for side in ("left", "right"))
        np.testing.assert_allclose(
            Rotation.from_quat(a).as_matrix(), Rotation.from_euler("XYZ", [30, -75, 200], degrees=True).as_matrix(),
            atol=1e-12,
        )  # fmt: skip
        np.testing.assert_allclose(b, Rotation.from_quat([3, -6, 9, 12]).as_quat(), atol=1e-12)

    def test_an_entry_may_be_a_quaternion_alone(self):
        skeleton = self.character.skeleton
        joint = skeleton.find("head")
        for kind in (tuple, list):
            pose = pose_from_document(skeleton, {"joints": {"head": kind((3.0, -6.0, 9.0, 12.0))}})
            np.testing.assert_allclose(pose.rotations[joint], Rotation.from_quat([3, -6, 9, 12]).as_quat(), atol=1e-12)
            np.testing.assert_array_equal(np.delete(pose.rotations, joint, 0), skeleton.rest_pose().rotations[1:])
        for wrong, word in (
            ((0, 0, 0, 0), "zero"), ((1.0, 0, 0), "4 finite"), ((math.inf, 0, 0, 1), "4 finite"),
            ((0, math.nan, 0, 1), "4 finite"), ([0, "x", 0, 1], "4 finite"),
        ):  # fmt: skip
            with self.subTest(wrong=wrong), self.assertRaisesRegex(BadPoseError, f"“head”.*{word}"):
                pose_from_document(skeleton, {"joints": {"head": wrong}})
        self.assertEqual(skeleton.rest_pose().rotations.tolist(), [[0, 0, 0, 1]] * len(skeleton), "a copy each")

    def test_what_is_broken_is_told_and_named(self):
        skeleton = self.character.skeleton
        for text, word in (
            ("[" * 100_000, "form"),
            ("[]", "form"),
            ("{}", "form"),
            ('{"joints": 3}', "form"),
            ('{"joints": {"tail": {"euler_xyz_deg": [0, 0, 0]}}}', "tail"),
            ('{"joints": {"head": 3}}', "head"),
            ('{"joints": {"head": {}}}', "head"),
            ('{"joints": {"head": {"euler_xyz_deg": [0, 0]}}}', "euler_xyz_deg"),
            ('{"joints": {"head": {"euler_xyz_deg": [0, 0, "x"]}}}', "euler_xyz_deg"),
            ('{"joints": {"head": {"translation": [0, 0, 1e999]}}}', "translation"),
            ('{"joints": {"head": {"scale": [1, 1, NaN]}}}', "scale"),
            ('{"joints": {"head": {"quaternion_xyzw": [0, 0, 0, 0]}}}', "zero"),
            ('{"joints": {"head": {"quaternion_xyzw": [0, 0, 1e-7, 0]}}}', "zero"),
            ('{"dials": [1]}', "dials"),
            ('{"dials": {"Wet": true}}', "Wet"),
            ('{"dials": {"Wet": "much"}}', "Wet"),
            ('{"dials": {"Wet": 1e999}}', "Wet"),
            ('{"joints": {}, "shapes": {"dent": 1}}', "numbers"),
        ):
            with self.subTest(text=text[:60]), self.assertRaises(BadPoseError) as told:
                pose_from_json(skeleton, text)
            self.assertIn(word, told.exception.sentence)

    @given(st.integers(0, 2**31))
    @settings(max_examples=15, deadline=None)
    def test_a_mirrored_pose_puts_every_joint_where_the_mirror_shows_it(self, seed):
        # Turned and moved joints both; scales are even, since the demo's frames are no mirror images axis by axis.
        skeleton, mirror = self.character.skeleton, self.character.mirror
        generator = np.random.default_rng(seed)
        pose = any_pose(generator, len(skeleton))
        pose.scales[:] = np.where(np.isnan(pose.scales), np.nan, pose.scales[:, :1])
        told = mapped_pose(pose_to_json(skeleton, pose), mirror, skeleton)
        there = skeleton.global_matrices(pose_from_json(skeleton, json.dumps(told)))
        here = skeleton.global_matrices(pose)
        np.testing.assert_allclose(there[mirror.other][:, :3, 3], here[:, :3, 3] @ MIRROR, atol=1e-9)

    def test_stretches_are_mirrored_along_the_axis_they_lie_on(self):
        skeleton, mirror = self.character.skeleton, self.character.mirror
        left = skeleton.find("left_forearm")
        right = mirror.joint(left)
        pose = skeleton.rest_pose()
        turn = Rotation.from_euler("xyz", [20, 40, -30], degrees=True).as_quat()
        scales = np.full((len(skeleton), 3), np.nan)
        scales[left] = [0.8, 1.3, 2.1]
        pose = Pose(pose.with_rotation(left, turn).rotations, None, scales)
        told = mapped_pose(pose_to_json(skeleton, pose), mirror, skeleton)
        there, here = (skeleton.global_matrices(p) for p in (pose_from_json(skeleton, json.dumps(told)), pose))
        # A stretch by its square is the same whichever way the axes of the frame are counted.
        shape = [m[:3, :3] @ m[:3, :3].T for m in (there[right], here[left])]
        np.testing.assert_allclose(shape[0], MIRROR @ shape[1] @ MIRROR, atol=1e-9)
        self.assertEqual(sorted(np.round(told["joints"]["right_forearm"]["scale"], 9)), [0.8, 1.3, 2.1])

    def test_joints_that_are_gone_or_unknown_are_left_out(self):
        skeleton = self.character.skeleton
        told = {"joints": {"tail": {"quaternion_xyzw": [0, 0, 0, 1]}, "head": {"translation": [1, 0, 0]}}, "extra": 1}
        back = mapped_pose(told, self.character.mirror, skeleton)
        self.assertEqual(list(back["joints"]), ["head"])
        self.assertEqual(back["extra"], 1)


class Ranges(unittest.TestCase):
    def test_a_range_is_told_along_and_against_the_hinge_across_it_and_else_half_a_turn(self):
        character = tube()
        others = ((-0.4, 0.9), (-0.2, 0.3))
        hinge = Hinge((0.0, 0.0, 1.0), -0.5, 2.0, others)
        skeleton = _with_hinge(character.skeleton, 1, hinge)
        roll, side = skeleton.across(1)
        np.testing.assert_allclose(roll, [0, 1, 0], atol=1e-12)  # its bone goes up
        np.testing.assert_allclose(side, np.cross(hinge.axis, roll), atol=1e-12)
        for axis, span in (
            ((0, 0, 1), (-0.5, 2.0)),
            ((0, 0, -1), (-2.0, 0.5)),
            (roll, (-0.4, 0.9)),
            (-roll, (-0.9, 0.4)),
            (side, (-0.2, 0.3)),
            (-side, (-0.3, 0.2)),
            ((math.sqrt(0.5), 0, math.sqrt(0.5)), (-np.pi, np.pi)),
        ):
            self.assertEqual(skeleton.range_about(1, tuple(float(a) for a in axis)), span)

    def test_the_guess_of_a_hinge_knows_no_size_and_never_lies_along_the_bone(self):
        plain = tube().skeleton
        for scale in ([0.01] * 3, [50.0] * 3, [0.01, 0.02, 0.015]):
            scaled = tube(root={"scale": scale}).skeleton
            for joint in range(len(plain)):
                self.assertEqual(scaled.hinge(joint), plain.hinge(joint))
                self.assertEqual(scaled.hinge(joint).axis[1], 0)  # the bones go up
        for size in (1.0, 0.01, 50.0):
            character = tube(root={"scale": [size] * 3})
            at = character.skeleton.rest_global[2, :3, 3]
            # Straight on, so that no bend at rest tells the axis.
            one = edit.made(character, "one", 2, at + [0, 0, 0.3 * size])
            two = edit.made(one, "two", one.skeleton.find("one"), at + [0, 0, 0.6 * size]).skeleton
            self.assertEqual(two.hinge(two.find("one")).axis[2], 0)

    def test_a_hinge_along_the_bone_has_two_axes_across_it_all_the_same(self):
        skeleton = _with_hinge(tube().skeleton, 1, Hinge((0.0, 1.0, 0.0), -1, 1))
        frame = np.stack([[0, 1, 0], *skeleton.across(1)])
        np.testing.assert_allclose(frame @ frame.T, np.eye(3), atol=1e-12)


def _with_hinge(skeleton, joint, hinge):
    hinges = [None] * len(skeleton)
    hinges[joint] = hinge
    return replace(skeleton, hinges=tuple(hinges))
