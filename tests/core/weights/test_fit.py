"""Fewer influences for a vertex: the motion is kept as well as it can be."""

from __future__ import annotations

import itertools
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import minimize

from plethos.core.evaluate import NONE, Evaluator
from plethos.core.geometry import rotations
from plethos.core.weights.assign import with_joint_weights
from plethos.core.weights.fit import CANDIDATES, _range_ends, _telling, fitted
from plethos.core.weights.fit_kernels import _weighed, fit_weights
from plethos.demo.catalogue import open_demo


def spread(seed: int = 1, vertices: int = 40, joints: int = 7):
    """The bare lock keeper with some vertices that follow many joints near each other, and where they are."""
    keeper, _ = open_demo("lock-keeper-bare")
    draw = np.random.default_rng(seed)
    rest = keeper.mesh.rest
    arm = np.flatnonzero(rest[:, 0] > 0.2)[:: max(1, (rest[:, 0] > 0.2).sum() // vertices)][:vertices]
    dense = keeper.binding.joint_weights.astype(float)
    dense[arm] = 0
    near = [keeper.skeleton.find(f"left_{n}") for n in ("clavicle", "upper_arm", "forearm", "hand")]
    others = [j for j in np.flatnonzero(keeper.skeleton.is_joint) if j not in near][: joints - 4]
    for v in arm:
        dense[v, [*near, *others]] = draw.dirichlet(np.ones(joints))
    return with_joint_weights(keeper, dense, joints), arm


def squares(character, vertex: int, weights: np.ndarray) -> float:
    """The sum of the squares that a vertex is shifted by over the ends of the ranges, worked out plainly."""
    _, moves = _range_ends(character.skeleton)
    off = weights - character.binding.joint_weights[vertex].astype(float)
    at = moves[..., :3] @ character.mesh.rest[vertex].astype(float) + moves[..., 3]
    return float((np.einsum("j,pja->pa", off, at) ** 2).sum())


class Fits(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.character, cls.arm = spread()
        cls.fit = fitted(cls.character, 4)
        cls.weights = cls.fit.weights.toarray()

    def test_only_rows_of_more_are_touched_and_all_stay_weights(self):
        np.testing.assert_array_equal(self.fit.vertices, np.sort(self.arm))
        kept = np.delete(np.arange(len(self.character.mesh)), self.arm)
        np.testing.assert_array_equal(self.weights[kept], self.character.binding.joint_weights[kept])
        self.assertEqual(int((self.weights > 0).sum(axis=1).max()), 4)
        np.testing.assert_allclose(self.weights.sum(axis=1), 1, atol=1e-6)
        self.assertGreaterEqual(self.weights.min(), 0)

    def test_what_moves_alike_keeps_the_proportion_that_it_had(self):
        # The motion does not tell the first three apart: a third of nothing would be no better than what was painted.
        gram = np.zeros((4, 4))
        gram[3, 3] = 1.0
        weights = np.array([0.48, 0.24, 0.18, 0.1])
        made = np.empty(4)
        _weighed(gram, weights, np.array([True, True, True, False]), 4, np.empty((12, 4)), made)
        np.testing.assert_allclose(made, [*(weights[:3] / 0.9), 0], atol=1e-9)

    @given(st.integers(0, 2**31))
    @settings(max_examples=60, deadline=None)
    def test_whatever_the_motion_it_is_no_worse_than_the_largest_fitted_as_well(self, seed):
        # Giving influences up one at a time can end worse than the largest do: about once in twenty such motions.
        draw = np.random.default_rng(seed)
        count, most, poses = 6, 3, 4
        moves = draw.normal(size=(poses, count, 3, 4))
        below = np.zeros((poses, count), bool)
        below[:, ::2] = True
        points, order = draw.normal(size=(5, 3)), np.tile(np.arange(count), (5, 1))
        weights = -np.sort(-draw.dirichlet(np.ones(count), 5), axis=1)
        kept, shift, turn = np.zeros_like(weights), np.zeros(5), np.zeros(5, np.int64)
        fit_weights(points, order, weights, moves, *_telling(order, weights, below), most, kept, shift, turn)
        np.testing.assert_allclose(kept.sum(axis=1), 1, atol=1e-9)
        for p, w, k, far in zip(points, weights, kept, shift, strict=True):
            places = moves[..., :3] @ p + moves[..., 3]
            off = np.einsum("j,pja->pa", k - w, places)
            self.assertAlmostEqual(float(np.linalg.norm(off, axis=1).max()), far, places=9)

            def cost(x, own=w, at=places):
                return float((np.einsum("j,pja->pa", np.concatenate([x, np.zeros(3)]) - own, at) ** 2).sum())

            best = minimize(cost, w[:3] / w[:3].sum(), bounds=[(0, 1)] * 3, method="SLSQP",
                            constraints={"type": "eq", "fun": lambda x: x.sum() - 1})  # fmt: skip
            self.assertLessEqual(float((off**2).sum()), best.fun * 1.01 + 1e-4)

    def test_of_more_joints_than_are_looked_at_the_largest_are_scaled_up(self):
        character, arm = spread(seed=3, vertices=6, joints=22)
        self.assertGreater(int((character.binding.joint_weights[arm] > 0).sum(axis=1).min()), CANDIDATES)
        weights = fitted(character, 4).weights.toarray()
        np.testing.assert_allclose(weights.sum(axis=1), 1, atol=1e-6)
        self.assertEqual(int((weights[arm] > 0).sum(axis=1).max()), 4)
        for v in arm:
            own = character.binding.joint_weights[v].astype(float)
            plain = np.where(own >= np.sort(own)[-4], own, 0)
            near = np.where(own >= np.sort(own)[-CANDIDATES], own, 0)
            # Measured against what is looked at: no worse than the largest four.
            sixteen = with_joint_weights(character, np.where(np.arange(len(character.mesh))[:, None] == v,
                                         near / near.sum(), character.binding.joint_weights), 22)  # fmt: skip
            self.assertLessEqual(squares(sixteen, v, weights[v]), squares(sixteen, v, plain / plain.sum()) + 1e-9)

    def test_never_worse_than_the_largest_scaled_up_and_near_the_best_of_all_choices(self):
        # The best of all choices of four by scipy's SLSQP, a solver that nobody here wrote.
        _, moves = _range_ends(self.character.skeleton)
        ratios = []
        for v in self.arm[:8]:
            was = self.character.binding.joint_weights[v].astype(float)
            ours = squares(self.character, v, self.weights[v])
            largest = np.where(np.isin(np.arange(len(was)), np.argsort(-was, kind="stable")[:4]), was, 0)
            self.assertLessEqual(ours, squares(self.character, v, largest / largest.sum()) * (1 + 1e-6))
            own = np.flatnonzero(was > 1e-6)
            at = moves[:, own][..., :3] @ self.character.mesh.rest[v].astype(float) + moves[:, own][..., 3]
            off = (at - np.einsum("j,pja->pa", was[own], at)[:, None]).transpose(1, 0, 2).reshape(len(own), -1)
            gram = off @ off.T
            best = np.inf
            for four in itertools.combinations(range(len(own)), 4):
                part = gram[np.ix_(four, four)]
                found = minimize(
                    lambda w, g=part: w @ g @ w, np.full(4, 0.25), jac=lambda w, g=part: 2 * g @ w, method="SLSQP",
                    bounds=[(0, 1)] * 4, constraints={"type": "eq", "fun": lambda w: w.sum() - 1},
                    options={"ftol": 1e-14},
                )  # fmt: skip
                best = min(best, float(found.fun))
            ratios.append(ours / best)
        self.assertLess(max(ratios), 1.25)
        self.assertLess(float(np.median(ratios)), 1.001)

    def test_the_greatest_shift_is_the_one_that_the_evaluator_shows(self):
        shift, vertex, joint, angle = self.fit.greatest
        after = with_joint_weights(self.character, self.fit.weights, 4)
        hinge = self.character.skeleton.hinge(joint)
        seen = []
        for axis in (hinge.axis, *self.character.skeleton.across(joint)):
            turn = rotations.from_axis_angle(axis, angle)
            pose = self.character.skeleton.rest_pose().with_rotation(joint, turn)
            one, two = (Evaluator.of(c).pose(pose, NONE).points[vertex] for c in (self.character, after))
            seen.append(float(np.linalg.norm(one - two)))
        self.assertLess(min(abs(s - shift) for s in seen), 1e-5)
        self.assertGreater(shift, 1e-3)

    def test_nothing_over_the_limit_is_nothing_to_tell(self):
        fit = fitted(self.character, 8)
        self.assertEqual(len(fit.vertices), 0)
        self.assertIsNone(fit.greatest)
