"""Edits of weights that are not strokes: a part given to a joint, one side carried over to the other."""

import unittest

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.symmetry import joint_mirror, vertex_mirror
from plethos.core.weights.assign import with_joint_weights
from plethos.core.weights.edit import given_to, mirrored_from
from plethos.demo.catalogue import open_demo
from tests.figures import tube


class Giving(unittest.TestCase):
    def test_the_chosen_follow_one_joint_and_the_others_stay(self):
        character = tube()
        upper = character.skeleton.find("upper")
        chosen = character.points[:, 1] < 0.3
        weights = given_to(character, chosen, upper)
        np.testing.assert_array_equal(weights[chosen, upper], 1)
        np.testing.assert_allclose(weights.sum(axis=1), 1, atol=1e-6)
        np.testing.assert_array_equal(weights[~chosen], character.joint_weights[~chosen])

    def test_nothing_chosen_is_told(self):
        character = tube()
        with self.assertRaisesRegex(BadEditError, "No vertex"):
            given_to(character, np.zeros(len(character.points), bool), 1)


class Carrying(unittest.TestCase):
    def setUp(self):
        self.keeper, _ = open_demo("lock-keeper-bare")
        self.rest = Evaluator(self.keeper).rest()
        self.twin, self.other = vertex_mirror(self.rest), joint_mirror(self.keeper.skeleton)
        dense = self.keeper.joint_weights.astype(float)
        arm = self.keeper.skeleton.find("left_forearm")
        spoiled = (self.rest[:, 0] > 0.3) & (dense[:, arm] > 0.1)
        dense[spoiled, arm] *= 0.5
        self.spoiled = with_joint_weights(self.keeper, dense / dense.sum(axis=1, keepdims=True))

    def test_each_direction_brings_the_sides_together_from_its_own_side(self):
        start, stop = self.keeper.parts[0].vertices
        body = np.arange(start, stop)
        body = body[self.twin[body] >= 0]
        for side in (1.0, -1.0):
            weights = mirrored_from(self.spoiled, side)
            np.testing.assert_allclose(weights[body], weights[self.twin[body]][:, self.other], atol=1e-6)
            kept = body[self.rest[body, 0] * side > 1e-4]
            np.testing.assert_allclose(weights[kept], self.spoiled.joint_weights[kept], atol=1e-6)

    def test_from_the_good_side_the_character_is_as_before(self):
        mended = mirrored_from(self.spoiled, -1.0)
        paired = self.twin >= 0
        np.testing.assert_allclose(mended[paired], self.keeper.joint_weights[paired], atol=0.13)
        stop = self.keeper.parts[0].vertices[1]
        body = paired & (np.arange(len(paired)) < stop)
        np.testing.assert_allclose(mended[body], self.keeper.joint_weights[body], atol=2e-3)

    def test_a_character_without_sides_is_told(self):
        with self.assertRaisesRegex(BadEditError, "mirror images"):
            mirrored_from(tube(), 1.0)
