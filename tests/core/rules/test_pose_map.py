"""Where the weights of stored poses lie, and sets that begin with a held pose."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from plethos.core.errors import BadEditError
from plethos.core.evaluate import ALL, Evaluator
from plethos.core.geometry import rotations
from plethos.core.rules.remedies import Corrective, Remedy
from plethos.core.rules.rules import Rules
from plethos.core.rules.triggers.pose_map import PoseMap
from plethos.core.rules.triggers.pose_set import PoseSet
from plethos.core.rules.triggers.stored_pose import StoredPose
from plethos.core.skin.shape import Shape
from tests.figures import tube

UPPER = 1


def held(x, y, z):
    """Rolled about the bone first, then bent."""
    turned = Rotation.from_euler("ZXY", (z, x, y), degrees=True).as_quat()
    return tube().skeleton.rest_pose().with_rotation(UPPER, turned)


def three(character):
    """Up (swing), rolled (twist) and both, round one joint."""
    skeleton = character.skeleton
    made = PoseSet.of_held(skeleton, [UPPER], held(0, 0, 80), "swing", "up", math.radians(40))
    return made.with_held(held(0, 70, 0), "twist", "rolled").with_held(held(60, 0, 0), "swing", "forward")


class Begun(unittest.TestCase):
    def setUp(self):
        self.character = tube()

    def test_a_set_begins_with_the_held_pose_about_the_bone_and_has_faded_at_rest(self):
        made = PoseSet.of_held(self.character.skeleton, [UPPER], held(0, 0, 80), "swing", "up")
        # The tube's joints stand one above the other along Y.
        np.testing.assert_allclose(made.axes[0], (0, 1, 0), atol=1e-12)
        self.assertAlmostEqual(math.degrees(made.radius), 40)
        small = PoseSet.of_held(self.character.skeleton, [UPPER], held(0, 0, 20), "swing")
        self.assertAlmostEqual(math.degrees(small.radius), 15)
        wide = PoseSet.of_held(self.character.skeleton, [UPPER], held(0, 0, 170), "swing")
        self.assertAlmostEqual(math.degrees(wide.radius), 60)

    def test_a_pose_too_close_to_rest_or_to_another_is_refused_by_name(self):
        with self.assertRaisesRegex(BadEditError, "“rest” and “still”|“still” and “rest”"):
            PoseSet.of_held(self.character.skeleton, [UPPER], held(0, 0, 0), "swing", "still")
        up = PoseSet.of_held(self.character.skeleton, [UPPER], held(0, 0, 80), "swing", "up")
        with self.assertRaisesRegex(BadEditError, "“up” and “again”"):
            up.with_held(held(0, 30, 80), "swing", "again")  # the same bend, rolled: no other swing
        self.assertEqual(len(up.with_held(held(0, 30, 80), "twist", "again").poses), 2)

    def test_one_pose_goes_the_last_takes_the_set_along(self):
        made = three(self.character)
        left = made.without_pose(made.poses[1].id)
        self.assertEqual([p.name for p in left.poses], ["up", "forward"])
        alone = left.without_pose(left.poses[0].id)
        self.assertIsNone(alone.without_pose(alone.poses[0].id))
        with self.assertRaisesRegex(BadEditError, "not stored any more"):
            made.without_pose("nobody")

    def test_a_remedy_is_tied_to_the_pose_that_is_meant(self):
        made = three(self.character)
        shape = Shape("s", np.array([3], np.int32), np.ones((1, 3), np.float32))
        rules = Rules(remedies=(Remedy(Corrective.of(shape), "bump", id="b"),))
        tied = rules.tied("b", made, made.poses[2].id)
        self.assertEqual(tied.remedy("b").by, made.poses[2].id)
        self.assertEqual(tied.tied("b", made).remedy("b").by, made.poses[2].id)  # the one it has
        self.assertEqual(rules.tied("b", made).remedy("b").by, made.poses[0].id)  # the first


class Weights(unittest.TestCase):
    @given(st.integers(0, 2**31), st.sampled_from(["swing", "twist", "both"]), st.integers(1, 4))
    @settings(max_examples=40, deadline=None)
    def test_many_rotations_at_once_get_what_each_gets_alone(self, seed, by, count):
        generator = np.random.default_rng(seed)
        character = tube()
        stored = tuple(
            StoredPose((tuple(q.tolist()),), by, f"p{k}", f"p{k}")
            for k, q in enumerate(Rotation.random(count, rng=generator).as_quat())
        )
        try:
            made = PoseSet((UPPER,), ((0.0, 0.6, 0.8),), stored, 0.7, "set", "s")
        except BadEditError:
            return
        turned = Rotation.random(6, rng=generator).as_quat()
        program = Evaluator.of(character.with_rules(Rules(triggers=(made,)))).program
        for q, weights in zip(turned, made.weights(turned[:, None]), strict=True):
            moment = program.moment(character.skeleton.rest_pose().with_rotation(UPPER, q), ALL)
            told = program.values(moment)
            np.testing.assert_allclose([told[p.id] for p in stored], weights, atol=1e-4)

    def test_worked_case_4_each_is_one_at_its_own_pose_and_nothing_at_the_others_and_rest(self):
        # Issue's case: a shoulder with up (swing), roll (twist) and forward (both).
        character = tube()
        made = PoseSet.of_held(character.skeleton, [UPPER], held(0, 0, 90), "swing", "up", math.radians(45))
        made = made.with_held(held(0, 80, 0), "twist", "roll").with_held(held(-80, 0, 0), "both", "forward")
        at = np.array([p.rotations for p in made.all_poses])
        np.testing.assert_allclose(made.weights(at), np.eye(4)[:, 1:], atol=1e-9)
        poses = Rotation.random(10_000, rng=np.random.default_rng(4)).as_quat()[:, None]
        weights = made.weights(poses)
        self.assertGreaterEqual(weights.min(), 0)
        self.assertLessEqual(weights.sum(axis=1).max(), 1 + 1e-12)
        # A tenth of a degree never changes a weight by more than 0.05, save near half a turn of the bone.
        gone = Rotation.from_quat(poses[:, 0]).apply([0, 1, 0])
        near = gone[:, 1] > -math.cos(math.radians(10))
        nudge = Rotation.from_rotvec(np.radians(0.1) * Rotation.random(10_000, rng=3).apply([1, 0, 0]))
        moved = (nudge * Rotation.from_quat(poses[:, 0])).as_quat()[:, None]
        self.assertLess(np.abs(made.weights(moved) - weights)[near].max(), 0.05)


class Map(unittest.TestCase):
    def setUp(self):
        self.character = tube()
        self.set = three(self.character)

    def test_poses_lie_where_their_bone_goes_and_the_wash_is_the_weight_there(self):
        found = PoseMap.of(self.set, UPPER, held(0, 25, 0), across=37)
        # Angles are kept from the middle out: 80 degrees of 180.
        self.assertAlmostEqual(np.hypot(*found.poses[0, :2]), 80 / 180, places=9)
        self.assertAlmostEqual(np.hypot(*found.poses[2, :2]), 60 / 180, places=9)
        self.assertAlmostEqual(math.degrees(found.poses[1, 2]), 70, places=6)
        # Bends about Z and about X are square to each other.
        self.assertAlmostEqual(found.poses[0, :2] @ found.poses[2, :2], 0, places=9)
        np.testing.assert_allclose(found.here, [0, 0, math.radians(25)], atol=1e-9)
        grid = np.linspace(-1, 1, 37)
        v, u = 11, 25
        self.assertLess(np.hypot(grid[u], grid[v]), 1)
        # Someone else's way there: the bone is swung by the shortest way, then rolled as now.
        swing = math.pi * np.hypot(grid[u], grid[v])
        place = found.poses[0, :2] / np.linalg.norm(found.poses[0, :2])
        across = np.array([place[1], -place[0]])
        about = {"up": Rotation.from_euler("z", 80, degrees=True), "fwd": Rotation.from_euler("x", 60, degrees=True)}
        ways = [about[k].apply([0, 1, 0]) * [1, 0, 1] for k in ("up", "fwd")]
        one, other = (w / np.linalg.norm(w) for w in ways)
        sign = np.sign(found.poses[2, :2] @ across)
        spot = np.array([grid[u], grid[v]])
        flat = (spot @ place) * one + sign * (spot @ across) * other
        goes = math.cos(swing) * np.array([0, 1, 0]) + math.sin(swing) * flat / np.linalg.norm(flat)
        # The shortest way has no roll about the bone.
        axis = np.cross([0, 1, 0], goes)
        turn = Rotation.from_rotvec(axis / np.linalg.norm(axis) * swing)
        whole = turn * Rotation.from_euler("y", 25, degrees=True)
        np.testing.assert_allclose(found.swings[v, u], self.set.weights(whole.as_quat()[None, None])[0], atol=1e-9)
        self.assertTrue(np.isnan(found.swings[0, 0]).all())

    def test_twists_go_round_once_from_half_a_turn_back(self):
        found = PoseMap.of(self.set, UPPER, held(0, 0, 30), along=73)
        at = np.radians(np.linspace(-180, 180, 73))[31]
        whole = Rotation.from_euler("z", 30, degrees=True) * Rotation.from_rotvec([0, at, 0])
        np.testing.assert_allclose(found.twists[31], self.set.weights(whole.as_quat()[None, None])[0], atol=1e-9)
        np.testing.assert_allclose(found.twists[0], found.twists[-1], atol=1e-9)

    def test_a_joint_of_no_set_has_no_map(self):
        with self.assertRaisesRegex(BadEditError, "not one of those"):
            PoseMap.of(self.set, 0, held(0, 0, 0))

    def test_swing_and_twist_come_apart_as_scipy_says(self):
        for seed in range(20):
            q = Rotation.random(rng=seed).as_quat()
            made = PoseMap.of(self.set, UPPER, self.character.skeleton.rest_pose().with_rotation(UPPER, q))
            gone = Rotation.from_quat(q).apply([0, 1, 0])
            self.assertAlmostEqual(np.hypot(*made.here[:2]), math.acos(np.clip(gone[1], -1, 1)) / math.pi, places=9)
            self.assertAlmostEqual(made.here[2], float(rotations.twist_angle(q, np.array([0.0, 1, 0]))), places=9)
