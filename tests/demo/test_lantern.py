"""Worked case 9: a lantern held at the shoulder, in a clip of its own."""

import unittest

import numpy as np

from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.travel import clip_steps
from plethos.core.propose.blend import full_mask
from plethos.core.propose.held import Held
from plethos.core.propose.kinds import Judge, Tried, proposed
from plethos.core.rules.remedies import Remedy, SkinBlend
from plethos.demo.catalogue import open_demo


class ALantern(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.keeper = open_demo("lock-keeper-bare")[0]
        cls.joint = cls.keeper.skeleton.find("left_forearm")
        cls.clip = next(c for c in cls.keeper.clips if c.name == "hold up a lantern")
        times = np.linspace(0, cls.clip.duration, 81).tolist()
        steps = clip_steps(BendMeasure.of(cls.keeper, cls.joint), cls.clip, times)
        cls.worst = min(steps, key=lambda s: s.without.volume)
        cls.pose = cls.clip.pose_at(cls.keeper.skeleton, cls.worst.time)

    def volume(self, character):
        return BendMeasure.of(character, self.joint).at(self.pose).volume

    def test_the_worst_frame_has_the_elbow_bent_and_the_hand_rolled(self):
        turned = {
            n: 2 * np.degrees(np.arccos(min(1.0, abs(float(self.pose.rotations[self.keeper.skeleton.find(n)][3])))))
            for n in ("left_forearm", "left_hand")
        }
        self.assertAlmostEqual(turned["left_forearm"], 140, delta=1)
        self.assertGreater(turned["left_hand"], 30)
        self.assertLess(self.worst.without.volume, 72)

    def test_blend_alone_gives_back_half_of_what_is_lost_and_the_proposal_more(self):
        bare = self.worst.without.volume
        blended = self.keeper.with_remedy(Remedy(SkinBlend(full_mask(self.keeper, self.joint)), "blend"))
        by_blend = self.volume(blended)
        self.assertGreater(by_blend, bare + 0.5 * (100 - bare))
        judge = Judge.of(Held.of(self.keeper, self.joint, self.pose))
        best = proposed([t for _, t in judge.of_trials() if isinstance(t, Tried)], judge.tried("", self.keeper))
        self.assertGreater(self.volume(best.character), by_blend)
        self.assertLess(abs(100 - self.volume(best.character)), 0.5 * (100 - by_blend))
