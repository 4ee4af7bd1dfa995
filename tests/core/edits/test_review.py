"""Correctives say when the skin or the joints that they were sculpted on have changed since."""

import unittest

import numpy as np

from plethos.core.edits.review import CHANGED, reviewed
from plethos.core.geometry.rotations import from_axis_angle
from plethos.core.joints import edit
from plethos.core.weights.assign import with_joint_weights
from plethos.demo.catalogue import open_demo


class Reviewed(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.keeper, _ = open_demo("lock-keeper-half-done")
        cls.elbow = next(r for r in cls.keeper.rules.remedies if "left_forearm" in _joints(cls.keeper, r))
        cls.forearm = cls.keeper.skeleton.find("left_forearm")

    def noted(self, after) -> set[str]:
        before = {r.id for r in self.keeper.rules.remedies if CHANGED in r.notes}
        self.assertEqual(before, set())
        return {r.id for r in reviewed(self.keeper, after).rules.remedies if CHANGED in r.notes}

    def painted(self, vertices, joint: int):
        dense = self.keeper.binding.joint_weights.astype(float)
        dense[vertices, joint] += 0.1
        return with_joint_weights(self.keeper, dense)

    def test_weights_changed_under_a_shape_are_told_and_others_are_not(self):
        touched = self.painted(self.elbow.body.shapes[0].vertices[:3], self.forearm)
        self.assertIn(self.elbow.id, self.noted(touched))
        head = np.flatnonzero(self.keeper.binding.joint_weights[:, self.keeper.skeleton.find("head")] > 0.99)
        self.assertEqual(self.noted(self.painted(head, self.forearm)), set())
        again = reviewed(reviewed(self.keeper, touched), self.keeper)
        (notes,) = [r.notes for r in again.rules.remedies if r.id == self.elbow.id]
        self.assertEqual(notes.count(CHANGED), 1)

    def test_its_joint_moved_is_told(self):
        place = self.keeper.skeleton.rest_global[self.forearm, :3, 3]
        self.assertEqual(
            self.noted(edit.moved_joints(self.keeper, {self.forearm: place + [0, 0, 0.02]})), {self.elbow.id}
        )

    def test_a_joint_more_with_weights_of_the_shape_is_told(self):
        self.assertIn(self.elbow.id, self.noted(edit.twisted(self.keeper, self.forearm, 3)))

    def test_edits_that_move_nothing_are_not_told(self):
        turn = from_axis_angle((0.0, 1.0, 0.0), 0.3)
        head = self.keeper.skeleton.find("head")
        for after in (
            edit.turned(self.keeper, self.forearm, turn),
            edit.renamed(self.keeper, self.forearm, "left_lower_arm"),
            edit.made(self.keeper, "lantern", head, [0.0, 1.9, 0.1]),
            edit.reparented(self.keeper, self.keeper.skeleton.find("left_toes"), head),
            self.keeper.with_rules(self.keeper.rules),
        ):
            self.assertEqual(self.noted(after), set())


def _joints(character, remedy) -> list[str]:
    return [character.skeleton.names[j] for j in character.rules.joints_read(remedy)]
