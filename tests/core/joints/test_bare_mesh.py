"""A mesh without joints: brought in as OBJ or GLB, a skeleton laid, weights made, and out again."""

import unittest

import numpy as np

from plethos.core.errors import BadEditError, BadFileError
from plethos.core.evaluate import Evaluator
from plethos.core.formats.files import open_file
from plethos.core.formats.gltf_nodes import is_marked
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.gltf_write import write_glb
from plethos.core.formats.obj import write_obj
from plethos.core.joints import edit
from plethos.core.joints.ranges import PRESETS
from plethos.core.joints.template import MARKERS, guessed_markers, laid
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.travel import bent
from plethos.core.weights.automatic import automatic_weights
from plethos.core.weights.bind import bound_automatically
from plethos.core.weights.check import check_weights
from plethos.demo.catalogue import open_demo

CUBE = """# two boxes, the second of quads counted back from the newest
o crate
v -1 0 -1
v 1 0 -1
v 1 0 1
v -1 0 1
v -1 2 -1
v 1 2 -1
v 1 2 1
v -1 2 1
f 1 2 3 4
f 8 7 6 5
f 1/1 5 6 2
f 2 6 7 3
f 3 7 8 4
f 4 8 5 1
vt 0 0
o lid
v 0 3 0
v 1 3 0
v 0 3 1
f -3 -2 -1
"""


def brought(text: str):
    """An OBJ as a character, with its file."""
    file = open_file("mesh.obj", text.encode())
    return read_character(parse(file.pack()), "Mesh"), parse(file.pack())


class Obj(unittest.TestCase):
    def test_groups_become_parts_and_polygons_triangles(self):
        character, _ = brought(CUBE.replace("1/1", "1"))
        self.assertEqual([p.name for p in character.mesh.parts], ["crate", "lid"])
        self.assertEqual([len(p.surface.corners) for p in character.mesh.parts], [12, 1])
        self.assertFalse(character.skeleton.is_joint.any())
        rest = Evaluator.of(character).rest()
        np.testing.assert_allclose(np.ptp(rest, axis=0), [2, 3, 2], atol=1e-6)

    def test_its_own_export_comes_in_the_same(self):
        keeper, _ = open_demo("lock-keeper-bare")
        rest = Evaluator.of(keeper).rest()
        character, _ = brought(write_obj(keeper, rest))
        np.testing.assert_allclose(Evaluator.of(character).rest(), rest, atol=1e-6)
        self.assertEqual([p.name for p in character.mesh.parts], ["_".join(p.name.split()) for p in keeper.mesh.parts])

    def test_large_figures_are_taken_for_centimetres_and_that_is_told(self):
        tall = "v 0 0 0\nv 0 180 0\nv 50 0 0\nf 1 2 3\n"
        file = open_file("tall.obj", tall.encode())
        character = read_character(file, "Tall")
        self.assertAlmostEqual(float(np.ptp(Evaluator.of(character).rest()[:, 1])), 1.8, places=6)
        self.assertIn("centimetres", " ".join(character.repairs))

    def test_what_is_broken_is_named_with_its_line(self):
        for text, words in (
            ("v 1 2\nf 1 1 1\n", "line 1"),
            ("v 1 2 3\nf 1 2 3\n", "line 2 names a vertex that is not there"),
            ("v 1 2 3\nf 1 1\n", "less than three corners"),
            ("v 1 2 3\nf a b c\n", "no corner"),
            ("v 1 2 3\n", "no faces"),
            ("v nan 2 3\nf 1 1 1\n", "not finite"),
        ):
            with self.subTest(text), self.assertRaisesRegex(BadFileError, words):
                brought(text)


class Template(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.keeper, _ = open_demo("lock-keeper-bare")
        cls.rest = Evaluator.of(cls.keeper).rest()
        cls.bare, cls.source = brought(write_obj(cls.keeper, cls.rest))
        cls.markers = guessed_markers(cls.rest)
        cls.laid = laid(cls.bare, cls.markers)

    def test_the_markers_stand_near_the_joints_that_the_figure_was_made_with(self):
        skeleton = self.keeper.skeleton
        for marker, joint in (("elbow", "forearm"), ("wrist", "hand"), ("hip", "thigh"), ("knee", "shin"),
                              ("ankle", "foot"), ("shoulder", "upper_arm")):  # fmt: skip
            at = skeleton.rest_global[skeleton.find(f"left_{joint}"), :3, 3]
            self.assertLess(float(np.linalg.norm(self.markers[marker] - at)), 0.04, marker)

    def test_a_figure_of_another_size_elsewhere_in_depth_has_its_markers_there(self):
        for size, shift in ((0.01, 0.0), (37.0, 2.0)):
            moved = guessed_markers(self.rest * size + [0, shift, -shift])
            for name in MARKERS:
                np.testing.assert_allclose(moved[name], self.markers[name] * size + [0, shift, -shift], rtol=1e-4,
                                           atol=1e-4 * size)  # fmt: skip

    def test_on_anything_at_all_the_markers_are_finite_and_in_order_of_height(self):
        draw = np.random.default_rng(3)
        for cloud in (draw.normal(size=(50, 3)), draw.uniform(-2, -1, (30, 3)), np.zeros((4, 3)), np.eye(3)):
            markers = guessed_markers(cloud)
            self.assertTrue(all(np.isfinite(m).all() for m in markers.values()))
            heights = [markers[n][1] for n in ("head_top", "neck", "hip", "knee", "ankle")]
            self.assertEqual(heights, sorted(heights, reverse=True))

    def test_limbs_get_up_to_four_twist_joints(self):
        for count in (-1, 5):
            with self.assertRaisesRegex(BadEditError, "between 0 and 4"):
                laid(self.bare, self.markers, count)
        made = [laid(self.bare, self.markers, count).skeleton for count in (0, 4)]
        self.assertEqual([sum("twist" in n and "left_forearm" in n for n in s.names) for s in made], [0, 4])

    def test_a_figure_beside_the_middle_gets_the_same_skeleton_and_weights_there(self):
        aside = np.array([0.7, 0.0, 0.2])
        character, _ = brought(write_obj(self.keeper, self.rest + aside))
        self.assertAlmostEqual(character.mesh.mirror_x, 0.7, places=5)
        markers = guessed_markers(Evaluator.of(character).rest(), character.mesh.mirror_x)
        for name in MARKERS:
            np.testing.assert_allclose(markers[name], self.markers[name] + aside, atol=1e-4)
        there = laid(character, markers)
        np.testing.assert_allclose(Evaluator.of(there).rest(), self.rest + aside, atol=1e-5)
        place = there.skeleton.rest_global[:, :3, 3]
        apart = place - aside - self.laid.skeleton.rest_global[:, :3, 3]
        joints = there.skeleton.is_joint
        self.assertLess(np.abs(apart[joints]).max(), 1e-3)
        elbow, other = (there.skeleton.find(f"{side}_forearm") for side in ("left", "right"))
        moved = edit.with_joint_moved(
            there, elbow, place[elbow] + [0.02, 0.01, 0], None, mirror=True
        ).skeleton.rest_global
        np.testing.assert_allclose(moved[other, :3, 3], place[other] + [-0.02, 0.01, 0], atol=1e-6)
        bound = bound_automatically(there, 4)
        self.assertEqual([f.kind for f in check_weights(bound) if f.kind == "unmirrored"], [])
        left, right = (
            bound.binding.joint_weights[:, bound.skeleton.find(f"{side}_hand")].sum() for side in ("left", "right")
        )
        self.assertGreater(left, 100)
        self.assertAlmostEqual(left, right, delta=1)

    def test_it_is_mirrored_framed_and_ranged(self):
        skeleton = self.laid.skeleton
        for name in skeleton.names:
            if name.startswith("left_"):
                left, right = skeleton.find(name), skeleton.find(name.replace("left", "right", 1))
                np.testing.assert_allclose(
                    skeleton.rest_global[right, :3, 3], skeleton.rest_global[left, :3, 3] * [-1, 1, 1], atol=1e-12
                )
        # The toes turn at the height at which their tips were clicked: common practice, no source.
        toes = skeleton.rest_global[skeleton.find("left_toes"), 1, 3]
        self.assertAlmostEqual(toes, self.markers["toes"][1], places=9)
        for joint, child, name in (
            ("left_forearm", "left_hand", "elbow_flexion"), ("left_shin", "left_foot", "knee_flexion"),
            ("right_thigh", "right_shin", "hip_flexion"), ("spine_1", "spine_2", "spine_flexion"),
        ):  # fmt: skip
            j = skeleton.find(joint)
            hinge = skeleton.hinge(j)
            self.assertAlmostEqual(np.degrees(hinge.high), PRESETS[name].high)
            pose = bent(skeleton.rest_pose(), j, hinge.axis, 0.2)
            tip = skeleton.find(child)
            went = skeleton.global_matrices(pose)[tip, :3, 3] - skeleton.rest_global[tip, :3, 3]
            self.assertGreater(went @ PRESETS[name].toward, 0.8 * np.linalg.norm(went), joint)

    def test_weights_come_with_it_and_the_elbow_bends_as_on_the_figure_itself(self):
        bound = bound_automatically(self.laid, 4)
        np.testing.assert_allclose(Evaluator.of(bound).rest(), self.rest, atol=1e-5)
        self.assertEqual([c.is_bound for c in (self.bare, self.laid, bound, self.keeper)], [False, False, True, True])
        self.assertFalse([f for f in check_weights(bound, 4) if f.kind in ("stray", "over_limit", "unmirrored")])
        volumes = []
        for character in (bound, bound_automatically(self.keeper, 4)):
            j = character.skeleton.find("left_forearm")
            pose = bent(character.skeleton.rest_pose(), j, character.skeleton.hinge(j).axis, np.radians(90))
            volumes.append(BendMeasure.of(character, j).at(pose).volume)
        self.assertAlmostEqual(volumes[0], volumes[1], delta=5)

    def test_what_was_laid_and_bound_leaves_as_a_skinned_file(self):
        bound = bound_automatically(self.laid, 4)
        again = read_character(parse(write_glb(bound, self.source)), "Again")
        joints = {bound.skeleton.names[j] for j in np.flatnonzero(bound.skeleton.is_joint)}
        self.assertEqual({again.skeleton.names[j] for j in np.flatnonzero(again.skeleton.is_joint)}, joints)
        self.assertEqual(int(again.skeleton.is_joint.sum()), int(bound.skeleton.is_joint.sum()))
        pose = bent(bound.skeleton.rest_pose(), bound.skeleton.find("left_forearm"), (0, 0, 1), 1.0)
        back = bent(again.skeleton.rest_pose(), again.skeleton.find("left_forearm"), (0, 0, 1), 1.0)
        np.testing.assert_allclose(
            Evaluator.of(again).pose(back).points, Evaluator.of(bound).pose(pose).points, atol=1e-5
        )

    def test_joints_that_nothing_follows_yet_are_joints_when_they_come_back(self):
        again = read_character(parse(write_glb(self.laid, self.source)), "Again")
        self.assertEqual(int(again.skeleton.is_joint.sum()), int(self.laid.skeleton.is_joint.sum()))
        np.testing.assert_allclose(Evaluator.of(again).rest(), self.rest, atol=1e-6)

    def test_only_joints_that_no_skin_names_say_that_they_are_joints(self):
        for character in (self.laid, bound_automatically(self.laid, 4)):
            file = parse(write_glb(character, self.source))
            named = {n for s in file.items("skins") for n in s["joints"]}
            say = {n for n, node in enumerate(file.items("nodes")) if is_marked(node)}
            self.assertFalse(named & say)
            self.assertEqual(len(named | say), int(character.skeleton.is_joint.sum()))

    def test_a_mesh_far_from_any_joint_and_one_of_no_area_are_bound_all_the_same(self):
        text = write_obj(self.keeper, self.rest)
        count = sum(line.startswith("v ") for line in text.splitlines())
        far = "o kite\nv 9 9 9\nv 9 9.1 9\nv 9.1 9 9\n" + f"f {count + 1} {count + 2} {count + 3}\n"
        flat = "o thread\nv 1 1 1\nv 1 1 1\nv 1 1 1\n" + f"f {count + 4} {count + 5} {count + 6}\n"
        character, _ = brought(text + far + flat)
        bound = bound_automatically(laid(character, self.markers), 4)
        np.testing.assert_allclose(bound.binding.weights.sum(axis=1), 1, atol=1e-6)
        self.assertTrue(np.isfinite(bound.binding.weights).all())

    def test_a_figure_wound_inside_out_gets_the_weights_of_one_wound_right(self):
        text = write_obj(self.keeper, self.rest)
        flipped = "\n".join(
            "f " + " ".join(reversed(line.split()[1:])) if line.startswith("f ") else line for line in text.splitlines()
        )
        inside_out, _ = brought(flipped)
        wrong, right = (automatic_weights(laid(c, self.markers)).toarray() for c in (inside_out, self.bare))
        np.testing.assert_allclose(wrong, right, atol=1e-6)

    def test_edges_of_three_triangles_and_single_vertices_are_bound_all_the_same(self):
        text = write_obj(self.keeper, self.rest)
        count = sum(line.startswith("v ") for line in text.splitlines())
        fins = "o fins\nv 0.3 1.2 0\nv 0.4 1.2 0\nv 0.3 1.3 0\nv 0.3 1.1 0\nv 0.3 1.2 0.1\nv 0.9 0.9 0.9\n"
        fins += "".join(f"f {count + 1} {count + 2} {count + k}\n" for k in (3, 4, 5))
        character, _ = brought(text + fins)
        bound = bound_automatically(laid(character, self.markers), 4)
        np.testing.assert_allclose(bound.binding.weights.sum(axis=1), 1, atol=1e-6)

    def test_markers_that_cannot_be_are_told(self):
        for change, words in (
            ({"knee": self.markers["hip"]}, "lie on each other"),
            ({"elbow": [np.nan, 0, 0]}, "finite"),
            ({"wrist": None}, "missing"),
        ):
            places = {m: p for m, p in {**self.markers, **change}.items() if p is not None}
            with self.subTest(words), self.assertRaisesRegex(BadEditError, words):
                laid(self.bare, places)
        with self.assertRaisesRegex(BadEditError, "joints already"):
            laid(self.keeper, self.markers)
        self.assertEqual(set(MARKERS), set(self.markers))

    def test_without_joints_there_is_nothing_to_follow(self):
        with self.assertRaisesRegex(BadEditError, "lay a skeleton first"):
            bound_automatically(self.bare, 4)
        self.assertEqual([f.kind for f in check_weights(self.bare)], [])
        one = edit.made(self.bare, "root", None, [0, 1, 0])
        self.assertEqual(one.skeleton.names[-1], "root")
