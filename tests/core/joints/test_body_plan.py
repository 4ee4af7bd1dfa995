"""Ranges that are proposed by how the bones lie: the demo's own ranges, taken away, come back; names say nothing."""

import math
import unittest
from dataclasses import replace

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.joints.body_plan import proposed_hinges, with_proposed_ranges
from plethos.core.joints.edit import hinged
from plethos.core.joints.motions import motions_of
from plethos.core.joints.reflect import reflected
from plethos.demo.catalogue import open_demo
from tests.models import load


def nameless(character):
    """Without ranges, its joints called by their numbers."""
    count = len(character.skeleton)
    return replace(
        character, skeleton=replace(character.skeleton, hinges=(), names=tuple(f"j{k}" for k in range(count)))
    )


class Proposed(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.keeper, _ = open_demo("lock-keeper-bare")

    def degrees(self, span):
        return [math.degrees(x) for x in span]

    def test_the_limbs_of_the_demo_get_the_ranges_that_it_was_made_with(self):
        found = proposed_hinges(nameless(self.keeper))
        skeleton = self.keeper.skeleton
        for side in ("left", "right"):
            for name in ("upper_arm", "forearm", "thigh", "shin", "foot", "toes", "clavicle", "index_2", "little_1"):
                j = skeleton.find(f"{side}_{name}")
                own, hinge = skeleton.known_hinge(j), found[j]
                with self.subTest(f"{side}_{name}"):
                    np.testing.assert_allclose(hinge.axis, own.axis, atol=0.2)
                    np.testing.assert_allclose(
                        self.degrees((hinge.low, hinge.high)), self.degrees((own.low, own.high)), atol=8
                    )
                    if own.others is not None and hinge.others is not None:
                        mine, theirs = np.degrees(hinge.others), np.degrees(own.others)
                        np.testing.assert_allclose(mine, theirs, atol=1)
        for name in ("spine_1", "spine_2", "chest", "neck", "head"):
            self.assertIn(skeleton.find(name), found)

    def test_both_sides_are_mirror_images(self):
        character = nameless(self.keeper)
        found = proposed_hinges(character)
        for j, hinge in found.items():
            other = found[int(character.joint_pairs[j])]
            self.assertAlmostEqual(hinge.low, other.low, places=4)
            if hinge.others is not None and other is not hinge:
                np.testing.assert_allclose(hinge.mirrored_others, other.others, atol=1e-6)

    def test_a_body_from_outside_is_told_and_what_goes_on_four_legs_is_left(self):
        body, _ = load("body_58_joints.glb")
        found = proposed_hinges(nameless(body))
        knee, elbow = (found[body.skeleton.find(n)] for n in ("lowerleg01.L", "lowerarm01.L"))
        self.assertEqual((knee.axis, elbow.axis), ((1.0, 0.0, 0.0), (1.0, 0.0, 0.0)))
        self.assertAlmostEqual(math.degrees(knee.high - knee.low), 135, places=6)
        self.assertAlmostEqual(math.degrees(elbow.others[0][1]), 80)
        for name in ("fox/Fox.gltf", "hand_r.glb"):
            self.assertEqual(proposed_hinges(load(name)[0]), {})

    def test_what_is_known_is_not_proposed_and_goes_before_what_is(self):
        self.assertNotIn(self.keeper.skeleton.find("left_shin"), proposed_hinges(self.keeper))
        thigh = self.keeper.skeleton.find("left_thigh")
        motions = motions_of(self.keeper, thigh, proposed_hinges(nameless(self.keeper)))
        self.assertEqual([m.said for m in motions], ["file"] * 3)
        np.testing.assert_allclose([self.degrees((m.low, m.high)) for m in motions], [(-20, 120), (-45, 45), (-30, 45)])

    def test_all_are_taken_at_once_and_then_are_the_characters_own(self):
        taken = with_proposed_ranges(nameless(self.keeper))
        shin = self.keeper.skeleton.find("left_shin")
        self.assertEqual(motions_of(taken, shin, {})[0].said, "file")
        self.assertNotIn(shin, proposed_hinges(taken))
        with self.assertRaisesRegex(BadEditError, "one by one"):
            with_proposed_ranges(load("hand_r.glb")[0])

    def test_ranges_across_the_hinge_stay_when_it_is_changed_or_mirrored(self):
        thigh, other = (self.keeper.skeleton.find(f"{s}_thigh") for s in ("left", "right"))
        own = self.keeper.skeleton.known_hinge(thigh)
        wider = hinged(self.keeper, thigh, replace(own, high=2.0, others=None))
        self.assertEqual(wider.skeleton.known_hinge(thigh).others, own.others)
        mirrored = reflected(wider, [thigh])
        np.testing.assert_allclose(mirrored.skeleton.known_hinge(other).others, own.mirrored_others)
        self.assertAlmostEqual(mirrored.skeleton.known_hinge(other).high, 2.0)
