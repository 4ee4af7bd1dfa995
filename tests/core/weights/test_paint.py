"""Painting weights: every mode, locks, mirroring, and what a stroke must never break."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import sparse

from plethos.core.errors import BadEditError
from plethos.core.geometry.topology import Topology
from plethos.core.sculpt.session import Touched
from plethos.core.skeleton.symmetry import across
from plethos.core.weights.bones import Segment
from plethos.core.weights.gradient import chain_along, shares_along
from plethos.core.weights.paint import MODES, Paint, PaintedWeights
from plethos.core.weights.rows import WeightRows
from plethos.demo.catalogue import open_demo
from tests.figures import tube


def rows_of(dense) -> WeightRows:
    return WeightRows(sparse.csr_matrix(dense))


def dense_of(weights: PaintedWeights):
    return weights.rows.over().toarray()


class Painting(unittest.TestCase):
    def setUp(self):
        self.character = tube()
        self.count = len(self.character.mesh.points)
        self.dense = np.tile([0.5, 0.3, 0.2], (self.count, 1))
        self.under = Touched(np.arange(100, 140, dtype=np.int32), np.linspace(1, 0, 40))

    def weights(self, dense=None, **mirror) -> PaintedWeights:
        return PaintedWeights(
            self.character.mesh.topology,
            rows_of(self.dense if dense is None else dense),
            (-1, 0, 1),
            rest=self.character.mesh.points,
            **mirror,
        )

    def paint(self, mode: str, joint: int = 1, value: float = 1.0, strength: float = 1.0, locked=()) -> Paint:
        mask = np.zeros(3, bool)
        mask[list(locked)] = True
        bone = Segment(joint, np.zeros(3), np.array([0.0, 1, 0]), (2,)) if mode == "even" else None
        return Paint(mode, joint, value, strength, mask, bone)

    def test_rows_go_on_summing_to_1_and_none_is_negative(self):
        for mode in MODES:
            weights = self.weights(np.random.default_rng(3).dirichlet(np.ones(3), self.count))
            for strength in (0.2, 1.0):
                weights.dab(self.under, self.paint(mode, strength=strength))
            np.testing.assert_allclose(dense_of(weights).sum(axis=1), 1, atol=1e-12)
            self.assertGreaterEqual(dense_of(weights).min(), 0)

    def test_add_and_subtract_move_by_strength_and_falloff_and_nothing_beyond_the_brush(self):
        for mode, sign in (("add", 1), ("subtract", -1)):
            weights = self.weights()
            weights.dab(self.under, self.paint(mode, strength=0.1))
            moved = dense_of(weights)[:, 1] - 0.3
            np.testing.assert_allclose(moved[100:140], sign * 0.1 * self.under.shares, atol=1e-12)
            np.testing.assert_array_equal(moved[:100], 0)
            much, whole = self.weights(), self.weights()
            much.dab(self.under, self.paint(mode, strength=3.0))
            whole.dab(self.under, self.paint(mode))
            np.testing.assert_array_equal(dense_of(much), dense_of(whole))
            # The others keep their proportion to each other.
            np.testing.assert_allclose(dense_of(weights)[:, 0] / dense_of(weights)[:, 2], 2.5)

    def test_even_spreads_what_the_bone_holds_along_it_and_leaves_the_rest(self):
        weights = self.weights()
        whole = Touched(np.arange(self.count, dtype=np.int32), np.ones(self.count))
        weights.dab(whole, self.paint("even"))
        np.testing.assert_array_equal(dense_of(weights)[:, 0], 0.5)
        half = self.weights()
        half.dab(Touched(whole.vertices, 0.5 * whole.shares), self.paint("even"))
        np.testing.assert_allclose(dense_of(half), 0.5 * (dense_of(weights) + self.dense), atol=1e-12)
        height = self.character.mesh.points[:, 1]
        # Straight from one end to the other, between the tenths that each joint holds alone.
        np.testing.assert_allclose(dense_of(weights)[:, 2], 0.5 * np.clip((height - 0.1) / 0.8, 0, 1), atol=1e-6)
        with self.assertRaisesRegex(BadEditError, "is locked"):
            weights.dab(whole, self.paint("even", locked=[2]))

    def test_a_mirrored_gradient_runs_along_the_bone_of_the_other_side_wherever_the_plane_is(self):
        count = self.count
        both = np.vstack([self.character.mesh.points, across(self.character.mesh.points, -0.4)])
        twin = np.r_[np.arange(count, 2 * count), np.arange(count)].astype(np.int32)
        topology = Topology(2 * count, np.vstack([self.character.mesh.topology.triangles] * 2))
        dense = np.repeat([[0.5, 0.3, 0.2, 0, 0], [0.5, 0, 0, 0.3, 0.2]], count, axis=0)
        other = np.array([0, 3, 4, 1, 2], np.int32)
        weights = PaintedWeights(topology, rows_of(dense), (-1, 0, 1, 0, 3), twin, other, both, plane=-0.4)
        tilted = Segment(1, np.array([-0.3, 0.1, 0]), np.array([0.2, 0.9, 0.1]), (2,))
        whole = Touched(np.arange(count, dtype=np.int32), np.ones(count))
        weights.dab(whole, Paint("even", 1, 1.0, 1.0, np.zeros(5, bool), tilted))
        self.assertGreater(np.ptp(dense_of(weights)[:count, 2]), 0.3)
        np.testing.assert_allclose(dense_of(weights)[count:], dense_of(weights)[:count][:, other], atol=1e-6)

    def test_the_column_that_frames_show_is_kept_up_to_date_on_both_sides(self):
        dense = np.tile([0.0, 0.6, 0.4], (self.count, 1))
        twin = np.roll(np.arange(self.count), self.count // 2).astype(np.int32)
        twin[twin] = np.arange(self.count)
        weights = self.weights(dense, twin=twin, other=np.array([0, 2, 1], np.int32))
        for joint in (1, 2, 1):
            np.testing.assert_array_equal(weights.of_joint(joint), dense_of(weights)[:, joint].astype(np.float32))
            changed = weights.dab(self.under, self.paint("subtract", 1, strength=0.1))
            self.assertGreater(len(changed), len(self.under.vertices))
            np.testing.assert_array_equal(weights.of_joint(joint), dense_of(weights)[:, joint].astype(np.float32))

    def test_without_a_bone_nothing_is_evened_out(self):
        weights = self.weights()
        with self.assertRaisesRegex(BadEditError, "joint with a bone"):
            weights.dab(self.under, Paint("even", 1, 1.0, 1.0, np.zeros(3, bool)))

    def test_shares_along_a_bone_sum_to_1_and_each_joint_leads_at_its_own_place(self):
        t = np.linspace(-0.2, 1.2, 57)
        for count in (2, 3, 5):
            shares = shares_along(t, count)
            np.testing.assert_allclose(shares.sum(axis=1), 1, atol=1e-12)
            np.testing.assert_allclose(shares_along(np.linspace(0.1, 0.9, count), count), np.eye(count), atol=1e-12)
        keeper, _ = open_demo("lock-keeper-bare")
        s = keeper.skeleton
        chain = chain_along(s, s.find("left_forearm_twist_2"))
        self.assertEqual([s.names[j] for j in (chain.joint, *chain.twists)],
                         ["left_forearm", "left_forearm_twist_1", "left_forearm_twist_2"])  # fmt: skip
        self.assertEqual(chain_along(s, s.find("neck")).twists, (s.find("head"),))
        with self.assertRaisesRegex(BadEditError, "no bone"):
            chain_along(s, s.find("left_thumb_3"))

    def test_a_mirrored_touch_over_the_middle_does_both_sides_and_stays_mirrored(self):
        # Four vertices in a row across the middle, each the twin of another; joints 1 and 2 are each other's twins.
        twin, other = np.arange(self.count, dtype=np.int32), np.array([0, 2, 1], np.int32)
        twin[[100, 101, 102, 103]] = [103, 102, 101, 100]
        dense = np.tile([1.0, 0.0, 0.0], (self.count, 1))
        weights = self.weights(dense, twin=twin, other=other)
        under = Touched(np.arange(100, 104, dtype=np.int32), np.array([1.0, 0.8, 0.4, 0.1]))
        weights.dab(under, self.paint("add", strength=0.2))
        row = dense_of(weights)[100:104]
        np.testing.assert_allclose(row, row[::-1][:, other], atol=1e-12)
        np.testing.assert_allclose(row.sum(axis=1), 1, atol=1e-12)
        # Each got its own touch of joint 1 and the mirrored one of joint 2 (a little less: what makes room gives).
        np.testing.assert_allclose(row[:, 1], 0.2 * under.shares, atol=0.02)
        np.testing.assert_allclose(row[:, 2], 0.2 * under.shares[::-1], atol=0.02)

    @given(st.integers(0, 2**31), st.sampled_from(["add", "subtract", "replace"]))
    @settings(max_examples=40, deadline=None)
    def test_a_mirrored_stroke_begun_on_the_other_side_does_the_same_locks_and_all(self, seed, mode):
        draw = np.random.default_rng(seed)
        twin, other = np.arange(self.count, dtype=np.int32), np.array([0, 2, 1, 4, 3], np.int32)
        twin[100:120], twin[120:140] = np.arange(120, 140), np.arange(100, 120)
        rows = draw.dirichlet(np.ones(5), self.count)
        rows[120:140] = rows[100:120][:, other]
        middle = np.flatnonzero(twin == np.arange(self.count))
        rows[middle] = 0.5 * (rows[middle] + rows[middle][:, other])
        touched, shares = np.arange(100, 140, dtype=np.int32), draw.uniform(0, 1, 40)
        locked = np.array([False, False, False, True, False])

        def stroke(*dabs, **mirror):
            weights = PaintedWeights(self.character.mesh.topology, rows_of(rows), (-1, 0, 0, 0, 0), **mirror)
            for at, joint, held in dabs:
                weights.dab(Touched(touched, at), Paint(mode, joint, 0.9, 0.5, held))
            return dense_of(weights)

        # Two strokes of one side each, the second with all of the first mirrored, the lock too; then both sides alike.
        both = stroke((shares, 1, locked), (shares[twin[touched] - 100], 2, locked[other]))[touched]
        both = 0.5 * (both + both[twin[touched] - 100][:, other])
        np.testing.assert_allclose(stroke((shares, 1, locked), twin=twin, other=other)[touched], both, atol=1e-12)
        # And begun on the other side it is the same.
        from_there = stroke((shares[twin[touched] - 100], 2, locked[other]), twin=twin, other=other)[touched]
        np.testing.assert_allclose(from_there, both, atol=1e-12)

    def test_replace_draws_towards_the_value(self):
        weights = self.weights()
        weights.dab(self.under, self.paint("replace", value=0.8))
        np.testing.assert_allclose(dense_of(weights)[100, 1], 0.8)
        np.testing.assert_allclose(dense_of(weights)[139], self.dense[139])

    def test_locked_joints_stay(self):
        weights = self.weights()
        weights.dab(self.under, self.paint("replace", value=1.0, locked=[0]))
        np.testing.assert_allclose(dense_of(weights)[100], [0.5, 0.5, 0.0], atol=1e-12)
        with self.assertRaisesRegex(BadEditError, "locked"):
            weights.dab(self.under, self.paint("add", joint=0, locked=[0]))
        weights = self.weights(np.random.default_rng(3).dirichlet(np.ones(3), self.count))
        before = dense_of(weights)[:, 2].copy()
        weights.dab(self.under, self.paint("smooth", locked=[2]))
        np.testing.assert_array_equal(dense_of(weights)[:, 2], before)
        np.testing.assert_allclose(dense_of(weights).sum(axis=1), 1, atol=1e-12)

    def test_what_a_lock_leaves_over_is_not_lost_where_all_around_is_locked(self):
        # One vertex half on a locked joint among neighbours that are wholly on it.
        dense = np.tile([1.0, 0.0, 0.0], (self.count, 1))
        dense[100] = [0.5, 0.3, 0.2]
        weights = self.weights(dense)
        weights.dab(Touched(np.array([100], np.int32), np.ones(1)), self.paint("smooth", locked=[0]))
        np.testing.assert_allclose(dense_of(weights)[100], [0.5, 0.3, 0.2], atol=1e-12)

    def test_what_the_only_joint_gives_up_goes_to_its_parent(self):
        weights = self.weights(np.tile([0.0, 1.0, 0.0], (self.count, 1)))
        weights.dab(self.under, self.paint("subtract", joint=1, strength=0.4))
        np.testing.assert_allclose(dense_of(weights)[100], [0.4, 0.6, 0.0])
        root = self.weights(np.tile([1.0, 0.0, 0.0], (self.count, 1)))
        root.dab(self.under, self.paint("subtract", joint=0, strength=0.4))
        np.testing.assert_allclose(dense_of(root)[100], [1, 0, 0])

    def test_smooth_flattens_a_hard_step_over_the_surface(self):
        step = np.where(self.character.mesh.points[:, 1:2] > 0.52, [[0, 0, 1.0]], [[0, 1.0, 0]])
        weights = self.weights(step)
        everywhere = Touched(np.arange(self.count, dtype=np.int32), np.ones(self.count))
        edges = self.character.mesh.topology.edges
        for _ in range(6):
            weights.dab(everywhere, self.paint("smooth", strength=0.5))
        jump = np.abs(dense_of(weights)[edges[:, 0]] - dense_of(weights)[edges[:, 1]]).max()
        self.assertLess(jump, 0.5)

    def test_mirrored_painting_does_the_same_to_the_twins_with_the_other_joint(self):
        twin = np.arange(self.count, dtype=np.int32)
        twin[100:140], twin[300:340] = np.arange(300, 340), np.arange(100, 140)
        weights = self.weights(np.tile([0.4, 0.3, 0.3], (self.count, 1)), twin=twin, other=np.array([0, 2, 1]))
        changed = weights.dab(self.under, self.paint("add", strength=0.2))
        self.assertEqual(sorted(changed), [*range(100, 140), *range(300, 340)])
        np.testing.assert_allclose(dense_of(weights)[300:340], dense_of(weights)[100:140][:, [0, 2, 1]])

    def test_an_unknown_mode_is_told(self):
        with self.assertRaisesRegex(BadEditError, "smooth"):
            self.weights().dab(self.under, self.paint("scribble"))
