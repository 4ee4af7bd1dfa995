"""What is switched off, by itself or with its group, acts nowhere: in no pose, proposal, chart or delivery."""

import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from plethos.core.evaluate import ALL, Evaluator
from plethos.core.formats.gltf_write import flattened
from plethos.core.formats.rules import rules_of
from plethos.core.propose.kinds import waterfall
from plethos.core.rules.dials import Group
from tests.making import any_pose, everything

KINDS = len(everything(np.random.default_rng(0)).rules.remedies)


class SwitchedOff(unittest.TestCase):
    def either(self, seed: int, number: int):
        """A character with one remedy off, and with its group off."""
        character = everything(np.random.default_rng(seed))
        rules, remedy = character.rules, character.rules.remedies[number]
        grouped = replace(rules, groups=(Group("Coat", 0.7, False, id="g"),)).with_remedy(replace(remedy, group="g"))
        return (
            character.with_rules(rules.with_remedy(replace(remedy, on=False))),
            character.with_rules(grouped),
            remedy.id,
        )

    @given(st.integers(0, 2**31), st.integers(0, KINDS - 1))
    @settings(max_examples=25, deadline=None)
    def test_a_group_that_is_off_is_as_if_each_of_its_remedies_were(self, seed, number):
        off, grouped, remedy_id = self.either(seed, number)
        self.assertNotIn(remedy_id, [r.id for r in off.rules.on])
        self.assertEqual([r.id for r in off.rules.on], [r.id for r in grouped.rules.on])
        pose = any_pose(np.random.default_rng(seed), off.skeleton)
        one, other = (Evaluator.of(c).pose(pose, ALL) for c in (off, grouped))
        np.testing.assert_array_equal(one.points, other.points)
        np.testing.assert_allclose(other.exact_points(), one.exact_points(), atol=1e-12)

    def test_nor_is_it_delivered_as_skin_or_told_in_a_chart(self):
        for number in range(KINDS):
            off, grouped, remedy_id = self.either(3, number)
            np.testing.assert_array_equal(flattened(off).weights, flattened(grouped).weights)
            np.testing.assert_array_equal(flattened(off).influences, flattened(grouped).influences)
            self.assertEqual(*("weights" in rules_of(c)[0] for c in (off, grouped)))
            pose, joint = grouped.skeleton.rest_pose(), grouped.skeleton.find("upper")
            self.assertNotIn(remedy_id, [i for i, _ in waterfall(grouped, joint, pose)])
            self.assertEqual(len(waterfall(grouped, joint, pose)), KINDS - 1)
