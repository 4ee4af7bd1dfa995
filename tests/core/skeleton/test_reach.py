"""Reaching with a limb of two bones, against the law of cosines and SciPy's rotations."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from plethos.core.errors import BadEditError
from plethos.core.geometry import rotations
from plethos.core.skeleton.hinge import Hinge
from plethos.core.skeleton.reach import SOFT, limb_of, reached, soft
from plethos.core.skeleton.skeleton import Skeleton
from plethos.demo.catalogue import open_demo

FREE = Hinge((0.0, 0.0, 1.0), -math.pi, math.pi)


class Reach(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.skeleton = open_demo("lock-keeper-bare")[0].skeleton

    def after(self, pose, end, at):
        turned = reached(self.skeleton, pose, end, np.asarray(at, float))
        out = pose
        for joint, q in turned.items():
            out = out.with_rotation(joint, q)
        return out, self.skeleton.global_matrices(out)[:, :3, 3]

    def bones(self, places, limb):
        root, middle, tip = (places[j] for j in (limb.upper, limb.lower, limb.end))
        return root, np.linalg.norm(middle - root), np.linalg.norm(tip - middle)

    @settings(max_examples=60, deadline=None)
    @given(st.sampled_from(["left_hand", "right_hand", "left_foot"]), st.floats(0.45, 0.93), st.integers(0, 2**31))
    def test_the_end_comes_to_the_place_and_the_bones_keep_their_length(self, name, share, seed):
        rng = np.random.default_rng(seed)
        skeleton = self.skeleton
        end = skeleton.find(name)
        limb = limb_of(skeleton, end)
        pose = skeleton.rest_pose()
        hinge = skeleton.hinge(limb.lower)
        # Bent to where its hinge allows, so that its side is plain; the rest of the body is turned at random.
        low, high = max(hinge.low, -1.2), min(hinge.high, 1.2)
        bent = high * 0.5 if high > -low else low * 0.5
        pose = pose.with_rotation(limb.lower, rotations.from_axis_angle(hinge.axis, bent))
        pose = pose.with_rotation(skeleton.find("chest"), Rotation.random(rng=rng).as_quat())
        before = skeleton.global_matrices(pose)[:, :3, 3]
        root, long, short = self.bones(before, limb)
        way = rng.standard_normal(3)
        at = root + share * (long + short) * way / np.linalg.norm(way)
        out, places = self.after(pose, end, at)
        _, now_long, now_short = self.bones(places, limb)
        self.assertAlmostEqual(now_long, long, places=9)
        self.assertAlmostEqual(now_short, short, places=9)
        wanted = math.acos((long**2 + short**2 - (share * (long + short)) ** 2) / (2 * long * short))
        turned = rotations.twist_angle(out.rotations[limb.lower], np.array(hinge.axis))
        over = skeleton.hinge(limb.upper)
        swung = rotations.twist_angle(out.rotations[limb.upper], np.array(over.axis), (over.low + over.high) / 2)
        free = over.low + SOFT < swung < over.high - SOFT
        if hinge.low + SOFT < turned < hinge.high - SOFT and free:
            np.testing.assert_allclose(places[end], at, atol=1e-9)
            a, b = (places[j] - places[limb.lower] for j in (limb.upper, limb.end))
            inner = math.acos(float(a @ b) / long / short)
            self.assertAlmostEqual(inner, wanted, places=6)  # law of cosines
        self.assertTrue(hinge.low - 1e-9 <= turned <= hinge.high + 1e-9)
        # Whatever else was turned stays as it was, the end against its bone too.
        for j in set(range(len(skeleton))) - {limb.upper, limb.lower}:
            np.testing.assert_array_equal(out.rotations[j], pose.rotations[j])

    def test_the_upper_joint_turns_softly_to_the_end_of_its_range_and_never_beyond(self):
        skeleton = self.skeleton
        end = skeleton.find("left_foot")
        limb = limb_of(skeleton, end)
        hinge = skeleton.hinge(limb.upper)
        axis = np.array(hinge.axis)
        places = skeleton.rest_global[:, :3, 3]
        root, way = places[limb.upper], places[end] - places[limb.upper]
        frame = Rotation.from_matrix(skeleton.rest_global[limb.upper, :3, :3])
        last = 0.0
        for degrees in range(0, -61, -4):
            about = Rotation.from_rotvec(frame.apply(axis) * math.radians(degrees))
            out, now = self.after(skeleton.rest_pose(), end, root + about.apply(way))
            angle = float(rotations.twist_angle(out.rotations[limb.upper], axis))
            if math.radians(degrees) > hinge.low + SOFT:
                self.assertAlmostEqual(angle, math.radians(degrees), places=4)
                np.testing.assert_allclose(now[end], root + about.apply(way), atol=1e-4)
            self.assertGreater(angle, hinge.low)
            self.assertLessEqual(angle, last + 1e-9)
            last = angle
        self.assertLess(last, hinge.low + 0.1 * SOFT)

    @settings(max_examples=60, deadline=None)
    @given(st.floats(0.35, 0.9), st.floats(-2.6, 2.6))
    def test_behind_an_upper_joint_at_its_limit_the_lower_bone_points_at_the_place(self, share, angle):
        skeleton = self.skeleton
        end = skeleton.find("left_foot")
        limb = limb_of(skeleton, end)
        hinge, over = skeleton.hinge(limb.lower), skeleton.hinge(limb.upper)
        axis = np.array(hinge.axis)
        pose = skeleton.rest_pose().with_rotation(limb.lower, rotations.from_axis_angle(axis, 0.9))
        root, long, short = self.bones(skeleton.global_matrices(pose)[:, :3, 3], limb)
        frame = Rotation.from_matrix(skeleton.rest_global[limb.upper, :3, :3])
        way = Rotation.from_rotvec(frame.apply(np.array(over.axis)) * angle).apply([0.0, -1.0, 0.0])
        at = root + share * (long + short) * way
        out, places = self.after(pose, end, at)
        bend = float(rotations.twist_angle(out.rotations[limb.lower], axis))
        far = np.linalg.norm(places[end] - at)
        if far < 1e-6 or not hinge.low + SOFT < bend < hinge.high - SOFT:
            return
        for more in (-0.02, 0.02):
            other = rotations.multiply(out.rotations[limb.lower], rotations.from_axis_angle(axis, more))
            moved = skeleton.global_matrices(out.with_rotation(limb.lower, other))[end, :3, 3]
            self.assertGreater(np.linalg.norm(moved - at), far - 1e-4)

    def test_the_side_of_the_bend_is_kept(self):
        skeleton = self.skeleton
        end = skeleton.find("left_foot")
        limb = limb_of(skeleton, end)
        hinge = skeleton.hinge(limb.lower)
        bend = 0.6 if hinge.high > -hinge.low else -0.6
        pose = skeleton.rest_pose().with_rotation(limb.lower, rotations.from_axis_angle(hinge.axis, bend))
        places = skeleton.global_matrices(pose)[:, :3, 3]
        root, long, short = self.bones(places, limb)
        knee = np.cross(places[limb.lower] - root, places[end] - places[limb.lower])
        for share in (0.9, 0.75, 0.6):
            _, now = self.after(pose, end, root + share * (long + short) * np.array([0.0, -1.0, 0.0]))
            side = np.cross(now[limb.lower] - now[limb.upper], now[end] - now[limb.lower])
            self.assertGreater(side @ knee, 0)

    def test_out_of_reach_it_stretches_towards_the_place_and_a_straight_limb_knows_its_side(self):
        skeleton = self.skeleton
        end = skeleton.find("left_hand")
        limb = limb_of(skeleton, end)
        _, places = self.after(skeleton.rest_pose(), end, [9.0, 9.0, 0.0])
        root, long, short = self.bones(places, limb)
        one, two = places[end] - root, np.array([9.0, 9.0, 0.0]) - root
        self.assertGreater(float(one @ two) / np.linalg.norm(one) / np.linalg.norm(two), 1 - 1e-9)
        self.assertGreater(np.linalg.norm(one), 0.97 * (long + short))

    def test_a_straight_limb_bends_as_its_hinge_does_and_no_further(self):
        """Whichever way its axis points; the limb hangs straight down, so that only the hinge tells the side."""
        far = math.radians(80)
        for low, high in ((0.0, far), (-far, 0.0)):
            hinge = Hinge((1.0, 0.0, 0.0), low, high)
            skeleton = Skeleton(
                names=("hip", "knee", "ankle"),
                parents=np.array([-1, 0, 1], np.int32),
                rest_translation=np.array([[0.1, 1.0, 0.2], [0, -0.5, 0], [0, -0.4, 0]]),
                rest_rotation=np.tile(rotations.IDENTITY, (3, 1)),
                rest_stretch=np.tile(np.eye(3), (3, 1, 1)),
                is_joint=np.ones(3, bool),
                nodes=np.arange(3, dtype=np.int32),
                hinges=(None, hinge, None),
            )
            sign, last = (1.0 if high > 0 else -1.0), 0.0
            for share in (0.97, 0.9, 0.7, 0.4):
                at = np.array([0.1, 1.0, 0.2]) - [0, 0.9 * share, 0]
                turned = reached(skeleton, skeleton.rest_pose(), 2, at)
                bend = sign * float(rotations.twist_angle(turned[1], np.array(hinge.axis)))
                wanted = math.pi - math.acos((0.5**2 + 0.4**2 - (0.9 * share) ** 2) / (2 * 0.5 * 0.4))
                if wanted < far - SOFT:
                    self.assertAlmostEqual(bend, wanted, places=9)
                self.assertGreater(bend, last)
                self.assertLess(bend, far)
                last = bend
            self.assertGreater(last, far - SOFT)

    def test_joints_of_which_nothing_is_known_turn_freely(self):
        """Not one hinge in the file: the upper joint goes wherever the end is dragged."""
        skeleton = Skeleton(
            names=("hip", "knee", "ankle"),
            parents=np.array([-1, 0, 1], np.int32),
            rest_translation=np.array([[0.0, 1, 0], [0, -0.5, 0], [0, -0.4, 0.01]]),
            rest_rotation=np.tile(rotations.IDENTITY, (3, 1)),
            rest_stretch=np.tile(np.eye(3), (3, 1, 1)),
            is_joint=np.ones(3, bool),
            nodes=np.arange(3, dtype=np.int32),
        )
        for at in ([0.6, 1.5, 0.2], [-0.4, 1.6, -0.4]):
            pose = skeleton.rest_pose()
            for joint, q in reached(skeleton, pose, 2, np.array(at)).items():
                pose = pose.with_rotation(joint, q)
            np.testing.assert_allclose(skeleton.global_matrices(pose)[2, :3, 3], at, atol=1e-9)

    def test_small_moves_make_small_turns_even_at_the_limit(self):
        skeleton = self.skeleton
        end = skeleton.find("left_foot")
        limb = limb_of(skeleton, end)
        pose = skeleton.rest_pose()
        tip = skeleton.rest_global[end, :3, 3]
        root = skeleton.rest_global[limb.upper, :3, 3]
        before = None
        for share in np.linspace(1.1, 0.25, 400):
            turned = reached(skeleton, pose, end, root + share * (tip - root))
            now = np.stack([turned[limb.upper], turned[limb.lower]])
            if before is not None:
                self.assertLess(np.abs(np.abs(np.einsum("jk,jk->j", now, before)) - 1).max(), 0.02)
            before = now

    def test_what_has_no_limb_above_it_is_refused(self):
        for name in ("pelvis", "spine_1"):
            with self.assertRaisesRegex(BadEditError, "no two joints above"):
                reached(self.skeleton, self.skeleton.rest_pose(), self.skeleton.find(name), np.zeros(3))


class Soft(unittest.TestCase):
    @given(st.floats(-4, 4), st.floats(-4, 4), st.floats(-3, 0), st.floats(0, 3))
    def test_it_keeps_to_the_range_goes_on_forwards_and_starts_where_it_is(self, angle, start, low, high):
        out = soft(angle, start, low, high)
        self.assertLessEqual(out, max(high, start) + 1e-12)
        self.assertGreaterEqual(out, min(low, start) - 1e-12)
        self.assertAlmostEqual(soft(start, start, low, high), start)
        self.assertLessEqual(out, soft(angle + 0.1, start, low, high) + 1e-12)
        if low + SOFT < angle < high - SOFT:
            self.assertEqual(out, angle)
        # Coming from inside, the last stretch before an end is gone ever more slowly.
        if low + SOFT < start < high - SOFT and high - SOFT + 1e-3 < angle:
            self.assertLess(out, min(angle, high + 1e-12))
        if low + SOFT < start < high - SOFT and angle < low + SOFT - 1e-3:
            self.assertGreater(out, max(angle, low - 1e-12))
