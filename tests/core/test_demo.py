"""The lock keeper: the shipped file is what the generator makes, and is built as a rigger expects."""

import unittest

import numpy as np

from plethos.core.bend import BendMeasure, bend_steps
from plethos.core.evaluate import Evaluator
from plethos.core.formats.gltf_file import parse
from plethos.core.formats.gltf_read import read_character
from plethos.demo.lock_keeper import build_lock_keeper, open_lock_keeper


class LockKeeper(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.character, _ = open_lock_keeper()
        cls.rest = Evaluator(cls.character).rest()

    def test_the_generator_still_makes_the_shipped_file(self):
        made = read_character(parse(build_lock_keeper()), "Lock keeper")
        np.testing.assert_allclose(made.points, self.character.points, atol=2e-5)
        np.testing.assert_array_equal(made.file_triangles, self.character.file_triangles)
        np.testing.assert_allclose(made.joint_weights, self.character.joint_weights, atol=2e-3)

    def test_joints_mirror_and_twist_joints_are_in_place(self):
        skeleton = self.character.skeleton
        at = skeleton.rest_global[:, :3, 3]
        for name in skeleton.names:
            if name.startswith("left_"):
                other = skeleton.find(name.replace("left_", "right_"))
                np.testing.assert_allclose(at[skeleton.find(name)] * [-1, 1, 1], at[other], atol=1e-6)
        for segment in ("upper_arm", "forearm", "thigh", "shin"):
            for k in (1, 2):
                self.assertGreater(
                    self.character.joint_weights[:, skeleton.find(f"left_{segment}_twist_{k}")].max(), 0.3
                )

    def test_the_clips_are_there(self):
        self.assertEqual(
            [c.name for c in self.character.clips], ["range of motion", "crank a sluice", "climb a ladder"]
        )

    def test_bends_break_as_skinned_characters_do_and_the_mended_elbow_does_not(self):
        for joint, degrees, lost in (("right_forearm", 130, 85), ("right_thigh", 110, 88), ("right_shin", 130, 92)):
            volume, _ = self.at(joint, degrees)
            self.assertLess(volume, lost, joint)
        without, with_ = self.at("left_forearm", 130)
        self.assertLess(without, 85)
        self.assertGreater(with_, 97)

    def at(self, joint: str, degrees: float):
        measure = BendMeasure(self.character, self.character.skeleton.find(joint), self.rest)
        pose = self.character.skeleton.rest_pose()
        (step,) = bend_steps(measure, pose, (0, 0, 1), [np.radians(degrees)])
        return step.without.volume, step.with_.volume
