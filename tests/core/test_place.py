"""Moving joints at rest: the skin stays, poses change, and the file that leaves says the same."""

import unittest

import numpy as np
from scipy.spatial.transform import Rotation

from plethos.core.bend import BendMeasure, ContactCounter
from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator, evaluate_exact
from plethos.core.formats.gltf_file import parse
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.gltf_write import write_glb
from plethos.core.place import moved_joints, places_changed
from plethos.core.skeleton import pose_from_json
from plethos.core.weights.assign import with_joint_weights
from plethos.demo.catalogue import open_demo
from tests.figures import tube, tube_file


class Moving(unittest.TestCase):
    def test_the_skin_stays_at_rest_and_turns_about_the_new_place(self):
        for options in ({}, {"root": {"scale": [0.01] * 3}}, {"root": {"rotation": [0.5, 0.5, 0.5, 0.5]}}):
            character = tube(**options)
            rest, upper = Evaluator(character).rest(), character.skeleton.find("upper")
            frame = character.skeleton.rest_global[upper]
            place = frame[:3, 3] + 0.03 * frame[:3, 1]
            moved = moved_joints(character, {upper: place})
            np.testing.assert_allclose(Evaluator(moved).rest(), rest, atol=1e-6)
            pose = pose_from_json(moved.skeleton, '{"joints": {"upper": {"euler_xyz_deg": [0, 0, 90]}}}')
            axis = frame[:3, 2] / np.linalg.norm(frame[:3, 2])
            turned = Rotation.from_rotvec(np.pi / 2 * axis).apply(rest - place) + place
            whole = character.joint_weights[:, upper] > 0.999
            np.testing.assert_allclose(evaluate_exact(moved, pose)[whole], turned[whole], atol=1e-5)

    def test_joints_below_a_moved_one_stay_and_moving_back_is_as_before(self):
        keeper, _ = open_demo("lock-keeper-bare")
        at = keeper.skeleton.rest_global[:, :3, 3]
        thigh = keeper.skeleton.find("left_thigh")
        moved = moved_joints(keeper, {thigh: at[thigh] + [0, 0.02, -0.01]})
        now = moved.skeleton.rest_global[:, :3, 3]
        others = np.arange(len(at)) != thigh
        np.testing.assert_allclose(now[others], at[others], atol=1e-9)
        self.assertEqual(list(places_changed(moved, keeper)), ["left_thigh"])
        back = moved_joints(moved, {thigh: at[thigh]})
        self.assertEqual(places_changed(back, keeper), {})

    def test_a_hip_pivot_is_moved_without_repainting_and_the_measures_follow(self):
        # On this figure a pivot further forward, nearer to the fold, keeps more of the raised thigh.
        keeper, _ = open_demo("lock-keeper-bare")
        thigh = keeper.skeleton.find("left_thigh")
        good = keeper.skeleton.rest_global[thigh, :3, 3]
        rest = Evaluator(keeper).rest()
        measure, counter = BendMeasure(keeper, thigh, rest), ContactCounter(keeper, rest)
        measure.slices, measure._rest_values  # noqa: B018  the same region and slices for all
        told = []
        for forward in (-0.02, 0.0, 0.02):
            moved = moved_joints(keeper, {thigh: good + np.array([0, 0, forward])})
            self.assertIs(moved.weights, keeper.weights)
            pose = pose_from_json(moved.skeleton, '{"joints": {"left_thigh": {"euler_xyz_deg": [0, 0, 100]}}}')
            contacts = counter.count(Evaluator(moved).evaluate(pose))
            told.append((measure.with_character(moved).at(pose).volume, contacts))
        self.assertEqual(told, sorted(told, key=lambda t: t[0]))
        self.assertGreater(told[2][0], told[0][0] + 5)
        self.assertLess(told[2][1], 0.8 * told[1][1])

    def test_nonsense_is_told(self):
        character = tube()
        with self.assertRaisesRegex(BadEditError, "finite"):
            moved_joints(character, {1: [np.nan, 0, 0]})


class Written(unittest.TestCase):
    def again(self, character, source):
        return read_character(parse(write_glb(character, source)), "Again")

    def test_a_moved_joint_comes_back_where_it_was_put(self):
        for options in ({}, {"root": {"scale": [0.01] * 3}}):
            source = tube_file(**options)
            character = read_character(parse(source.pack()), "Tube")
            upper = character.skeleton.find("upper")
            place = character.skeleton.rest_global[upper, :3, 3] * 1.1
            moved = moved_joints(character, {upper: place})
            again = self.again(moved, parse(source.pack()))
            np.testing.assert_allclose(again.skeleton.rest_global[upper, :3, 3], place, rtol=1e-6)
            pose = pose_from_json(moved.skeleton, '{"joints": {"upper": {"euler_xyz_deg": [10, 20, 80]}}}')
            np.testing.assert_allclose(evaluate_exact(again, pose), evaluate_exact(moved, pose), atol=1e-6)

    def test_a_joint_that_no_skin_knew_is_added_to_it(self):
        source = tube_file()
        source.document["nodes"][0]["children"].append(len(source.document["nodes"]))
        source.document["nodes"].append({"name": "tail", "translation": [0, -0.2, 0]})
        source.document["skins"].append({"joints": [len(source.document["nodes"]) - 1]})
        tail = len(source.document["nodes"]) - 1
        # A second part hangs on the tail, so that it is a joint at all; it shares the tube's mesh.
        source.document["nodes"].append({"name": "second", "mesh": 0, "skin": 1})
        source.document["scenes"][0]["nodes"].append(tail + 1)
        for primitive in source.document["meshes"][0]["primitives"]:
            self.assertIn("JOINTS_0", primitive["attributes"])
        source.document["skins"][1]["joints"] = [tail, 0]
        character = read_character(parse(source.pack()), "Two skins")
        dense = character.joint_weights.astype(float)
        first = slice(*character.parts[0].vertices)
        dense[first] = 0
        dense[first, character.skeleton.find("tail")] = 1
        changed = with_joint_weights(character, dense)
        again = self.again(changed, parse(source.pack()))
        np.testing.assert_allclose(again.joint_weights, dense, atol=1e-6)
        pose = pose_from_json(changed.skeleton, '{"joints": {"tail": {"euler_xyz_deg": [0, 40, 30]}}}')
        np.testing.assert_allclose(evaluate_exact(again, pose), evaluate_exact(changed, pose), atol=1e-5)
        joints = parse(write_glb(changed, parse(source.pack()))).document["skins"][0]["joints"]
        self.assertEqual(len(joints), len(set(joints)))
