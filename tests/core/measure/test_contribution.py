"""How far each remedy moves the skin in a pose: every kind alike, by what would be missing."""

import math
import unittest
from dataclasses import replace

import numpy as np

from plethos.core.evaluate import Evaluator
from plethos.core.measure.contribution import contributions
from plethos.core.measure.travel import bent
from plethos.core.rules.remedies import Corrective, Remedy
from plethos.core.rules.response import Response
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.skin.shape import Shape
from plethos.demo.catalogue import open_demo
from tests.figures import tube

Z = (0.0, 0.0, 1.0)


class OnATube(unittest.TestCase):
    def setUp(self):
        character = tube(rings=31)
        self.upper = character.skeleton.find("upper")
        # Far from the fold skin is moved rigidly: there a delta is as long in the pose as at rest.
        tip = np.array([int(character.mesh.rest[:, 1].argmax())], np.int32)
        for name, delta in (("small", [0.01, 0, 0]), ("large", [0, 0.03, 0.04])):
            trigger = HingeTrigger(self.upper, Z, Response((0.0, 1.0), (0.0, 1.0)), id=f"t-{name}")
            body = Corrective.of(Shape(name, tip, np.float32([delta])))
            character = character.with_remedy(Remedy(body, name, by=trigger.id, id=name), trigger)
        self.character = character

    def moved(self, character=None, angle=0.5):
        character = self.character if character is None else character
        pose = bent(character.skeleton.rest_pose(), self.upper, np.array(Z), angle)
        return contributions(Evaluator.of(character), pose)

    def test_it_is_the_length_of_the_delta_times_what_is_on(self):
        self.assertAlmostEqual(self.moved()["small"], 0.5 * 0.01, places=6)
        self.assertAlmostEqual(self.moved()["large"], 0.5 * 0.05, places=6)
        self.assertAlmostEqual(self.moved(angle=1.2)["large"], 0.05, places=6)

    def test_at_rest_and_off_it_is_nothing_and_an_amount_counts(self):
        self.assertEqual(self.moved(angle=0.0), {"small": 0.0, "large": 0.0})
        rules = self.character.rules
        off = self.character.with_remedy(replace(rules.remedy("large"), on=False))
        self.assertEqual(self.moved(off)["large"], 0.0)
        double = self.character.with_remedy(replace(rules.remedy("large"), amount=2.0))
        self.assertAlmostEqual(self.moved(double)["large"], 0.05, places=6)


class OnTheLockKeeper(unittest.TestCase):
    def test_every_kind_counts_and_the_other_side_moves_nothing(self):
        character = open_demo("lock-keeper")[0]
        skeleton, evaluator = character.skeleton, Evaluator.of(character)
        knee = next(r for r, _ in character.rules.correctives if r.name == "Left knee bent")
        trigger = character.rules.trigger_of(knee)
        pose = bent(skeleton.rest_pose(), trigger.joint, np.array(trigger.axis), trigger.response.end)
        pose = bent(pose, skeleton.find("left_hand"), np.array([1.0, 0, 0]), math.radians(60))
        moved = contributions(evaluator, pose)
        self.assertEqual(moved.keys(), {r.id for r in character.rules.remedies})
        kinds = {type(r.body).__name__ for r in character.rules.remedies if moved[r.id] > 1e-3}
        self.assertLessEqual({"Corrective", "Helper", "SkinBlend"}, kinds)
        # A helper at the other knee stays where it is.
        self.assertLess(max(far for i, far in moved.items() if "right" in character.rules.remedy(i).name.lower()), 1e-6)
