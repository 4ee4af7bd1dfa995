"""Baking: what a helper, a blend or a deformer does comes out of a corrective with in-betweens."""

import math
import unittest
from dataclasses import replace
from functools import cache

import numpy as np

from plethos.core.edits.bake import baked
from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.formats import gltf_parse
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.gltf_write import write_glb
from plethos.core.measure.travel import bent
from plethos.core.propose.held import Held
from plethos.core.propose.helpers import started
from plethos.core.propose.kinds import Judge
from plethos.core.rules.remedies import Corrective, Helper, Remedy, Share
from plethos.demo.catalogue import open_demo

Z, Y = (0.0, 0.0, 1.0), (0.0, 1.0, 0.0)
ANGLES = [math.radians(a) for a in (30, 60, 90)]


@cache
def keeper():
    return open_demo("lock-keeper-bare")


@cache
def made(kind, joint="left_shin", degrees=90, axis=Z):
    character = keeper()[0]
    number = character.skeleton.find(joint)
    held = Held.of(character, number, bent(character.skeleton.rest_pose(), number, axis, math.radians(degrees)))
    return started(held, "outside") if kind == "helper" else Judge.of(held).of_trial(kind).character


def points(character, joint, angle, axis=Z):
    pose = bent(character.skeleton.rest_pose(), character.skeleton.find(joint), axis, angle)
    return Evaluator.of(character).pose(pose).points


class Baking(unittest.TestCase):
    def test_it_is_exact_at_the_angles_and_what_remains_between_is_told(self):
        for kind in ("helper", "skin_blend", "relaxer", "volume_keeper"):
            character = made(kind)
            remedy = character.rules.remedies[-1]
            found = baked(character, remedy.id, character.skeleton.find("left_shin"), Z, ANGLES)
            body = found.character.rules.remedy(found.remedy_id).body
            self.assertIsInstance(body, Corrective)
            np.testing.assert_allclose([t.at for t in body.targets], [1 / 3, 2 / 3, 1])
            self.assertFalse(found.character.rules.has(remedy.id))
            for angle in ANGLES:
                off = points(found.character, "left_shin", angle) - points(character, "left_shin", angle)
                self.assertLess(np.abs(off).max(), 2e-5, (kind, angle))
            told = points(found.character, "left_shin", found.at) - points(character, "left_shin", found.at)
            self.assertAlmostEqual(float(np.linalg.norm(told, axis=1).max()), found.remains, places=7)
            between = math.radians(45)
            off = points(found.character, "left_shin", between) - points(character, "left_shin", between)
            self.assertLessEqual(np.linalg.norm(off, axis=1).max(), found.remains * 1.1 + 1e-6, kind)
            self.assertIn(f"{1000 * found.remains:.1f} mm", found.character.rules.remedy(found.remedy_id).notes[0])

    def test_more_angles_leave_less(self):
        character = made("helper")
        remedy, joint = character.rules.remedies[-1].id, character.skeleton.find("left_shin")
        few = baked(character, remedy, joint, Z, [math.radians(90)])
        many = baked(character, remedy, joint, Z, [math.radians(a) for a in range(15, 91, 15)])
        self.assertLess(many.remains, few.remains / 3)

    def test_the_helper_joint_goes_and_the_other_direction_works(self):
        character = made("helper")
        self.assertIn("left_shin_outside", character.skeleton.names)
        remedy = character.rules.remedies[-1].id
        found = baked(character, remedy, character.skeleton.find("left_shin"), Z, ANGLES)
        self.assertEqual(found.character.skeleton.names, keeper()[0].skeleton.names)
        rolled = made("twist", "left_hand", -80, Y)
        one = rolled.rules.remedies[-1]
        back = baked(rolled, one.id, rolled.skeleton.find("left_hand"), Y, [math.radians(-40), math.radians(-80)])
        self.assertEqual(back.character.skeleton.names, rolled.skeleton.names, "a twist joint of the file stays")
        off = points(back.character, "left_hand", math.radians(-80), Y) - points(
            rolled, "left_hand", math.radians(-80), Y
        )
        self.assertLess(np.abs(off).max(), 2e-5)

    def test_a_delivered_file_holds_it(self):
        character = made("volume_keeper")
        remedy = character.rules.remedies[-1].id
        done = baked(character, remedy, character.skeleton.find("left_shin"), Z, ANGLES).character
        again = read_character(gltf_parse.parse(write_glb(done, keeper()[1])), "again")
        off = points(again, "left_shin", 1.2) - points(done, "left_shin", 1.2)
        self.assertLess(np.abs(off).max(), 1e-5)

    def test_what_cannot_be_baked_is_told(self):
        character = made("skin_blend")
        remedy, joint = character.rules.remedies[-1], character.skeleton.find("left_shin")
        for angles in ([], [0.001], [-0.5, 0.5]):
            with self.assertRaisesRegex(BadEditError, "one side of rest"):
                baked(character, remedy.id, joint, Z, angles)
        with self.assertRaisesRegex(BadEditError, "does nothing"):
            baked(character, remedy.id, character.skeleton.find("left_hand"), Z, ANGLES)
        done = baked(character, remedy.id, joint, Z, ANGLES)
        with self.assertRaisesRegex(BadEditError, "is a corrective already"):
            baked(done.character, done.remedy_id, joint, Z, ANGLES)
        off = character.with_remedy(replace(remedy, on=False))
        with self.assertRaisesRegex(BadEditError, "does nothing"):
            baked(off, remedy.id, joint, Z, ANGLES)

    def test_a_helper_joint_that_others_read_stays_when_it_is_baked(self):
        character = made("helper")
        helper = character.rules.remedies[-1]
        follows = Remedy(Helper(character.skeleton.find("left_toes"), (Share(helper.body.joint, 0.3),)), "follows")
        both = character.with_remedy(follows)
        done = baked(both, helper.id, both.skeleton.find("left_shin"), Z, ANGLES).character
        self.assertIn("left_shin_outside", done.skeleton.names)
        self.assertIn("follows", [r.name for r in done.rules.remedies])
