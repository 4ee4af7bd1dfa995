"""Binding: bones, automatic weights, what is wrong with weights, and weights by joint name."""

import json
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import sparse
from shapely.geometry import box

from plethos.core.errors import BadEditError, BadFileError
from plethos.core.evaluate import Evaluator, evaluate_exact
from plethos.core.formats.gltf_build import GltfBuilder
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_parts import unnormalised_weights
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.gltf_write import write_glb
from plethos.core.geometry.laplacian import SurfaceLaplacian
from plethos.core.geometry.topology import outward_normals
from plethos.core.joints import edit
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.contact_counter import ContactCounter
from plethos.core.skeleton.names import is_tip, other_side_names
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skeleton.symmetry import TOLERANCE, across, joint_mirror, mirror_plane, vertex_mirror
from plethos.core.skin.mesh import Triangles
from plethos.core.weights.assign import with_joint_weights
from plethos.core.weights.automatic import automatic_weights
from plethos.core.weights.bind import LEAST, bound_automatically
from plethos.core.weights.bone_distances import segment_distances
from plethos.core.weights.bones import Segment, segments_of, skin_bones
from plethos.core.weights.check import WeightFault, check_weights, stray_weights, without_stray
from plethos.core.weights.heated import heated, without_islands
from plethos.core.weights.layers import bones_of
from plethos.core.weights.table import weights_from_json, weights_to_json
from plethos.demo.catalogue import open_demo
from tests.figures import pair_file, tube, tube_file, tube_points


def chain(places, parents, names=None) -> Skeleton:
    """Joints at places in the world, their frames along the world's axes."""
    places = np.array(places, float)
    local = [p - places[j] if j >= 0 else p for p, j in zip(places, parents, strict=True)]
    count = len(places)
    return Skeleton(
        names=tuple(names or (f"joint_{j}" for j in range(count))),
        parents=np.array(parents, np.int32),
        rest_translation=np.array(local),
        rest_rotation=np.tile([0.0, 0, 0, 1], (count, 1)),
        rest_stretch=np.tile(np.eye(3), (count, 1, 1)),
        is_joint=np.ones(count, bool),
        nodes=np.arange(count, dtype=np.int32),
    )


def rest_of(character):
    """Points at rest and the normals that point out of them."""
    rest = Evaluator.of(character).rest().astype(float)
    return rest, outward_normals(rest, character.mesh.topology)


class BonesOfASkeleton(unittest.TestCase):
    def test_twist_joints_lie_on_their_bone_and_thumbs_do_not(self):
        skeleton = chain(
            [[0, 0, 0], [0, 3, 0], [0, 1, 0], [0, 2, 0], [1, 1.5, 0], [0, 4, 0]], [-1, 0, 0, 0, 0, 1]
        )  # upper, lower, two twist joints, a spur beside the bone, the end
        segments = segments_of(skeleton)
        main = next(s for s in segments if s.joint == 0 and s.end[1] == 3)
        self.assertEqual(main.twists, (2, 3))
        self.assertTrue(any(s.joint == 0 and s.end[0] == 1 for s in segments))
        self.assertFalse(any(s.joint in (2, 3) for s in segments))

    def test_a_last_joint_goes_on_along_its_own_axis(self):
        skeleton = chain([[0, 0, 0], [0, 2, 0], [0, 4, 0]], [-1, 0, 1])
        last = next(s for s in segments_of(skeleton) if s.joint == 2)
        np.testing.assert_allclose(last.end, [0, 4 + 0.9 * 2, 0])

    def test_a_joint_that_is_named_as_a_tip_only_ends_the_bone_before_it(self):
        for name in ("index_tip_L", "HeadEnd", "tail.nub", "left_toe_end"):
            skeleton = chain([[0, 0, 0], [0, 2, 0], [0, 4, 0]], [-1, 0, 1], ["base", "middle", name])
            self.assertEqual([s.joint for s in segments_of(skeleton)], [0, 1], name)
        for name in ("tiptoe", "bend", "l_hand"):
            self.assertFalse(is_tip(name), name)

    def test_where_all_joints_are_siblings_their_frames_tell_where_bones_go(self):
        # Two fingers of three joints side by side, nearer to each other than their own joints are, and a palm.
        places = [[0, 0, 0], *([x, y, 0] for x in (-0.4, 0.4) for y in (1, 2, 3))]
        skeleton = chain(places, [-1] * 7)
        ends = {s.joint: s.end.tolist() for s in segments_of(skeleton)}
        self.assertEqual([ends[j] for j in (1, 2, 4, 5)], [[-0.4, 2, 0], [-0.4, 3, 0], [0.4, 2, 0], [0.4, 3, 0]])
        self.assertIn(ends[0], ([-0.4, 1, 0], [0.4, 1, 0]))
        np.testing.assert_allclose(ends[3], [-0.4, 3.9, 0])
        # Two alone are no line: each goes on along its own axis, or is a point.
        two = segments_of(chain([[0, 0, 0], [0, 1, 0]], [-1, -1]))
        self.assertEqual([(s.joint, s.end.tolist()) for s in two], [(0, [0, 0, 0]), (1, [0, 1, 0])])
        # On a parent the joints tell themselves: a head keeps its bones, however many ends it carries.
        face = chain([[0, 0, 0], [0, 1, 0], *([x, 1.3, 0.4] for x in np.linspace(-0.3, 0.3, 6))], [-1, 0] + [1] * 6)
        self.assertEqual(sum(s.joint == 1 for s in segments_of(face)), 7)

    def test_a_root_on_the_ground_and_controls_on_it_are_no_bones(self):
        keeper, _ = open_demo("lock-keeper-bare")
        ankle = keeper.skeleton.rest_global[keeper.skeleton.find("left_foot"), :3, 3]
        rooted = edit.made(keeper, "master", None, [0, 0, -0.02])
        rooted = edit.made(rooted, "ground", rooted.skeleton.find("master"), [0, 0.01, 0])
        rooted = edit.reparented(rooted, rooted.skeleton.find("pelvis"), rooted.skeleton.find("ground"))
        rooted = edit.made(rooted, "foot_control", rooted.skeleton.find("ground"), ankle)
        s = rooted.skeleton
        with_root, without = bound_automatically(rooted, 4), bound_automatically(keeper, 4)
        for name in ("master", "ground", "foot_control"):
            self.assertEqual(with_root.binding.joint_weights[:, s.find(name)].max(), 0, name)
        for name in ("pelvis", "left_thigh", "left_foot", "head"):
            own, other = (c.binding.joint_weights[:, c.skeleton.find(name)] for c in (with_root, without))
            np.testing.assert_allclose(own, other, atol=0.02)
        # A top joint inside the skin, or on a sheet, is a bone as any other.
        pelvis = [b for b in skin_bones(keeper.skeleton, *rest_of(keeper)) if b.joint == keeper.skeleton.find("pelvis")]
        self.assertEqual(len(pelvis), 3)
        # What is left are bones of the skeleton, as they were.
        every = {(b.joint, *b.start, *b.end, b.twists) for b in segments_of(rooted.skeleton)}
        kept = {(b.joint, *b.start, *b.end, b.twists) for b in skin_bones(rooted.skeleton, *rest_of(keeper))}
        self.assertTrue(kept < every)
        sheet = chain([[0, 0, 0], [0, 1, 0]], [-1, 0])
        grid = np.stack(np.meshgrid(np.linspace(-1, 1, 9), np.linspace(0, 2, 9), [0.0]), axis=-1).reshape(-1, 3)
        self.assertEqual(len(skin_bones(sheet, grid, np.tile([0.0, 0, 1], (81, 1)))), 2)

    def test_a_bone_outside_the_skin_counts_as_further_away(self):
        skeleton = chain([[0, 0, 0], [0, 1, 0]], [-1, 0])
        segments = [s for s in segments_of(skeleton) if s.joint == 0]
        points, out = np.array([[1.0, 0.5, 0], [1.0, 0.5, 0]]), np.array([[1.0, 0, 0], [-1.0, 0, 0]])
        inner, outer = segment_distances(points, out, segments)[:, 0]
        self.assertAlmostEqual(inner, 1)
        self.assertAlmostEqual(outer, 3)


class Symmetry(unittest.TestCase):
    @given(st.integers(0, 2**31))
    @settings(max_examples=60, deadline=None)
    def test_pairs_name_each_other_also_where_several_are_near(self, seed):
        draw = np.random.default_rng(seed)
        points = draw.normal(size=(30, 3)) * [0.3, 1, 0.3]
        # On one side two near each other, where there is one on the other side.
        crowd = points[:10] + draw.normal(0, 1e-4, (10, 3))
        mirrored = points * [-1, 1, 1] + draw.normal(0, 1e-4, (30, 3))
        twin = vertex_mirror(np.vstack([points, crowd, mirrored]))
        paired = np.flatnonzero(twin >= 0)
        np.testing.assert_array_equal(twin[twin[paired]], paired)
        self.assertEqual(len(np.unique(twin[paired])), len(paired))
        # One right of the plane has each of two as its nearest: that is no pair for the second.
        alone = vertex_mirror(np.array([[1, 0, 0], [1.0005, 0, 0], [-1, 0, 0], [0, 2, 0]]))
        self.assertEqual(alone.tolist(), [2, -1, 0, 3])

    def test_vertices_pair_by_mirrored_place(self):
        points = np.array([[1, 0, 0], [-1, 0, 0], [0, 1, 0], [2, 0, 0]], float)
        self.assertEqual(vertex_mirror(points).tolist(), [1, 0, 2, -1])
        # How far off a twin may be goes with the size of the figure.
        for size in (0.01, 1.0, 100.0):
            off = size * (points + [[0, 0.4 * TOLERANCE * 3, 0], [0, 0, 0], [0, 0, 0], [0, 0, 0]])
            self.assertEqual(vertex_mirror(off).tolist(), [1, 0, 2, -1], size)
            off[0, 1] = size * 1.5 * TOLERANCE * 3
            self.assertEqual(vertex_mirror(off).tolist(), [-1, -1, 2, -1], size)

    def test_the_plane_is_that_of_the_file_unless_the_character_stands_beside_it(self):
        rng = np.random.default_rng(4)
        half = rng.uniform([0.01, 0, -0.2], [0.5, 1.8, 0.2], (60, 3))
        both = np.vstack([half, across(half, 0.0)])
        self.assertEqual(mirror_plane(both), 0)
        self.assertAlmostEqual(mirror_plane(both + [0.7, 0, 0]), 0.7)
        self.assertEqual(vertex_mirror(both + [0.7, 0, 0], 0.7).tolist(), [*range(60, 120), *range(60)])
        bag = np.vstack([both, [[0.9, 0.8, 0], [0.95, 0.9, 0.1]]])  # carried on one side
        self.assertEqual(mirror_plane(bag), 0)
        lopsided = rng.uniform([-0.4, 0, -0.2], [0.5, 1.8, 0.2], (60, 3))
        self.assertEqual(mirror_plane(lopsided), 0)
        self.assertAlmostEqual(mirror_plane(lopsided + [3, 0, 0]), 3.05, delta=0.05)

    def test_joints_pair_by_place_and_names_decide_between_several_in_one_place(self):
        names = ["root", "left_arm", "left_arm_twist", "right_arm_twist", "right_arm"]
        skeleton = chain([[0, 0, 0], [1, 0, 0], [1, 0, 0], [-1, 0, 0], [-1, 0, 0]], [-1, 0, 0, 0, 0], names)
        self.assertEqual(joint_mirror(skeleton).tolist(), [0, 4, 3, 2, 1])

    def test_names_of_the_other_side(self):
        for name, other in (
            ("left_arm", "right_arm"), ("b_RightHand", "b_LeftHand"), ("arm.L", "arm.R"), ("l_foot", "r_foot"),
            ("x_R_knee", "x_L_knee"),
        ):  # fmt: skip
            self.assertIn(other, other_side_names(name))
        self.assertEqual(other_side_names("spine"), set())


class Automatic(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.keeper, cls.source = open_demo("lock-keeper-bare")
        cls.bound = bound_automatically(cls.keeper, 8)

    def test_a_tube_is_shared_evenly_about_its_joint(self):
        character = tube(softness=0.01)
        weights = automatic_weights(character).toarray()
        upper = weights[:, character.skeleton.find("upper")]
        height = character.mesh.points[:, 1]
        self.assertAlmostEqual(float(upper[np.abs(height - 0.5) < 1e-6].mean()), 0.5, delta=0.02)
        self.assertGreater(upper[height > 0.8].min(), 0.98)
        self.assertLess(upper[height < 0.2].max(), 0.02)

    def test_they_sum_to_1_are_few_and_exactly_mirrored(self):
        weights = self.bound.binding.weights
        np.testing.assert_allclose(weights.sum(axis=1), 1, atol=1e-6)
        self.assertGreaterEqual(weights.min(), 0)
        self.assertLessEqual(weights.shape[1], 8)
        rest = Evaluator.of(self.keeper).rest()
        twin, other = vertex_mirror(rest), joint_mirror(self.keeper.skeleton)
        rows = np.flatnonzero(twin >= 0)
        self.assertGreater(len(rows), 0.95 * len(rest))
        for bound in (self.bound, bound_automatically(self.keeper, 4)):
            dense = bound.binding.joint_weights
            np.testing.assert_array_equal(dense[rows], dense[twin[rows]][:, other])

    def test_no_stray_islands(self):
        self.assertEqual(stray_weights(self.bound), [])
        self.assertEqual(stray_weights(bound_automatically(self.keeper, 4)), [])

    def test_an_arm_takes_little_of_the_ribs(self):
        skeleton, rest = self.keeper.skeleton, Evaluator.of(self.keeper).rest()
        ribs = (np.abs(rest[:, 0]) < 0.14) & (rest[:, 1] > 1.05) & (rest[:, 1] < 1.25)
        arm = self.bound.binding.subtree_weights(self.bound.skeleton, skeleton.find("left_upper_arm"))
        self.assertLess(arm[ribs].mean(), 0.02)
        self.assertLess(arm[ribs].max(), 0.2)

    def test_they_beat_the_nearest_bone_over_the_range_of_motion(self):
        # The obvious alternative, on the same clip, by the same measures: where rigid skin tears at its borders.
        rest = Evaluator.of(self.keeper).rest()
        segments = segments_of(self.keeper.skeleton)
        nearest = segment_distances(rest, np.zeros_like(rest), segments).argmin(axis=1)
        dense = np.zeros_like(self.keeper.binding.joint_weights)
        dense[np.arange(len(rest)), np.array([s.joint for s in segments])[nearest]] = 1
        both = {"heat": self.bound, "nearest": with_joint_weights(self.keeper, dense)}
        clip = next(c for c in self.keeper.clips if c.name == "range of motion")
        poses = [clip.pose_at(self.keeper.skeleton, t) for t in np.arange(0, clip.duration, 0.6)]
        counter = ContactCounter.of(self.keeper.mesh)
        contacts = {n: np.mean([counter.count(Evaluator.of(c).pose(p).points) for p in poses]) for n, c in both.items()}
        self.assertLess(contacts["heat"], 0.7 * contacts["nearest"])
        for joint, value in (("left_upper_arm", "volume"), ("spine_2", "girth")):
            region = BendMeasure.of(self.keeper, self.keeper.skeleton.find(joint))
            least = {
                n: min(getattr(BendMeasure.of(c, region.joint, region).at(pose), value) for pose in poses)
                for n, c in both.items()
            }
            self.assertGreater(least["heat"], least["nearest"] + 15, joint)

    def test_chosen_joints_only(self):
        skeleton = self.keeper.skeleton
        spoiled = self.keeper.binding.joint_weights.astype(float)
        foot, shin = skeleton.find("left_foot"), skeleton.find("left_shin_twist_2")
        spoiled[:, foot] += 0.5 * spoiled[:, shin]
        spoiled[:, shin] *= 0.5
        character = with_joint_weights(self.keeper, spoiled)
        chosen = np.zeros(len(skeleton), bool)
        chosen[foot] = True
        mended = automatic_weights(character, joints=chosen).toarray()
        whole = automatic_weights(character).toarray()
        np.testing.assert_allclose(mended[:, foot], whole[:, foot], atol=1e-12)
        far = whole[:, foot] < 1e-9
        unspoiled = far & (character.binding.joint_weights[:, foot] < 1e-6)
        np.testing.assert_allclose(mended[unspoiled], character.binding.joint_weights[unspoiled], atol=1e-6)
        np.testing.assert_allclose(mended.sum(axis=1), 1, atol=1e-9)

    def test_chosen_joints_only_leave_all_else_to_the_last_bit(self):
        chosen = self.keeper.skeleton.mask(["left_hand", "right_hand"])
        before = self.keeper.binding.joint_weights
        after = bound_automatically(self.keeper, 8, chosen).binding.joint_weights
        held = np.maximum(before, after)[:, chosen].max(axis=1) > 0
        self.assertGreater(np.abs(after - before)[held].max(), 0.05)
        np.testing.assert_array_equal(after[~held], before[~held])
        fresh = after[(after != before).any(axis=1)][:, chosen]
        self.assertGreater(fresh[fresh > 0].min(), 0.9 * LEAST, "less is not worth an influence")
        # Where a hand does hold the skin, what else holds it keeps its proportions.
        others = (
            before[:, ~chosen]
            * ((1 - after[:, chosen].sum(axis=1)) / np.maximum(before[:, ~chosen].sum(axis=1), 1e-9))[:, None]
        )
        apart = held & (before[:, ~chosen].sum(axis=1) > 0.01)
        np.testing.assert_allclose(after[apart][:, ~chosen], others[apart], atol=1e-5)

    def test_a_region_only(self):
        region = np.zeros(len(self.keeper.mesh.points))
        region[:2000] = 1
        mixed = automatic_weights(self.keeper, region=region).toarray()
        np.testing.assert_allclose(mixed[2000:], self.keeper.binding.joint_weights[2000:], atol=1e-6)
        np.testing.assert_allclose(mixed[:2000], automatic_weights(self.keeper).toarray()[:2000], atol=1e-9)
        more = automatic_weights(self.keeper, region=3 * region)
        np.testing.assert_allclose(more.toarray(), mixed, atol=1e-12)

    def test_outside_of_a_region_all_stays_to_the_last_bit_and_on_its_border_both_are_mixed(self):
        region = np.zeros(len(self.keeper.mesh.points), np.float32)
        region[:2000], region[1500:2000] = 1, 0.5
        before = self.keeper.binding.joint_weights
        bound = bound_automatically(self.keeper, 8, region=region)
        after = bound.binding.joint_weights
        np.testing.assert_array_equal(after[2000:], before[2000:])
        whole = bound_automatically(self.keeper, 8).binding.joint_weights
        # Limits and mends decide by a hair what they drop, so the two are compared over many.
        off = np.abs(after[:2000] - np.where(region[:, None] == 1, whole, 0.5 * (before + whole))[:2000])
        self.assertLess(np.median(off.sum(axis=1)), 0.02)
        self.assertGreater(np.median(np.abs(before - whole)[:2000].sum(axis=1)), 0.1)

    def test_nothing_chosen_is_told(self):
        none = np.zeros(len(self.keeper.skeleton), bool)
        with self.assertRaisesRegex(BadEditError, "No joint"):
            automatic_weights(self.keeper, joints=none)
        with self.assertRaisesRegex(BadEditError, "no vertex"):
            automatic_weights(self.keeper, region=np.zeros(len(self.keeper.mesh.points)))

    def test_progress_grows_and_can_cancel(self):
        seen: list[float] = []
        automatic_weights(tube(), progress=seen.append)
        self.assertEqual(seen, sorted(seen))
        self.assertEqual(seen[-1], 1)

        class CancelledError(Exception):
            pass

        def stop(share: float) -> None:
            if share > 0.3:
                raise CancelledError

        with self.assertRaises(CancelledError):
            automatic_weights(tube(), progress=stop)

    def test_odd_meshes_work(self):
        plain = tube()
        flipped = with_triangles(plain, plain.mesh.file_triangles[:, ::-1].copy())
        flat = with_triangles(plain, np.vstack([plain.mesh.file_triangles, [[3, 27, 51]]]).astype(np.int32))
        doubled = with_triangles(plain, np.vstack([plain.mesh.file_triangles, plain.mesh.file_triangles[:5]]))
        opened = with_triangles(plain, plain.mesh.file_triangles[60:].copy())
        for name, character in (("flipped", flipped), ("flat", flat), ("doubled", doubled), ("open", opened)):
            weights = automatic_weights(character).toarray()
            self.assertTrue(np.isfinite(weights).all(), name)
            np.testing.assert_allclose(weights.sum(axis=1), 1, atol=1e-9)


class Islands(unittest.TestCase):
    def test_a_patch_without_a_seed_goes_and_the_rest_makes_up_for_it(self):
        character = tube()
        weights = np.tile([0.0, 1.0, 0.0], (len(character.mesh.points), 1))
        weights[:24] = [0, 0.6, 0.4]
        weights[400:424] = [0, 0.2, 0.8]
        seeds = np.zeros_like(weights, dtype=bool)
        seeds[:, 1] = True
        seeds[410, 2] = True
        given = sparse.csc_matrix(weights)
        out = without_islands(character.mesh.topology, given, sparse.csc_matrix(seeds)).toarray()
        np.testing.assert_allclose(out[:24], [[0, 1, 0]] * 24)
        np.testing.assert_allclose(out[400:424], weights[400:424])

    def test_what_would_be_left_with_nothing_keeps_all(self):
        character = tube()
        weights = np.tile([0.7, 0.3, 0.0], (len(character.mesh.points), 1))
        weights[:24] = [0, 0.25, 0.75]
        seeds = np.zeros_like(weights, dtype=bool)
        seeds[400:, 0] = True
        out = without_islands(character.mesh.topology, sparse.csc_matrix(weights), sparse.csc_matrix(seeds)).toarray()
        np.testing.assert_allclose(out[:24], weights[:24])
        np.testing.assert_allclose(out[24:], [[1, 0, 0]] * (len(out) - 24))

    def test_a_joint_of_two_bones_side_by_side_counts_once(self):
        character = tube(rings=41)
        rest, topology = character.mesh.rest.astype(float), character.mesh.topology
        low, middle, high = (np.array([0, y, 0.0]) for y in (0, 0.5, 1))
        bones = [Segment(0, low, middle), Segment(0, low, middle), Segment(1, middle, high)]
        surface = SurfaceLaplacian.of(topology, rest)
        told = heated(surface, np.zeros_like(rest), bones, 2, lambda share: None).toarray()
        once = heated(surface, np.zeros_like(rest), bones[1:], 2, lambda share: None).toarray()
        np.testing.assert_allclose(told, once, atol=1e-9)
        np.testing.assert_allclose(told.sum(axis=1), 1, atol=1e-12)


class OverEachOther(unittest.TestCase):
    """Which bones things of a drawing follow: two legs beside each other, each of a thigh and a shin."""

    def test_a_thing_follows_the_bones_in_it_and_none_of_the_side_that_it_is_not_named_for(self):
        names = ["hip", "far_thigh", "far_shin", "far_end", "near_thigh", "near_shin", "near_end"]
        places = [[1.5, 1, 0], *([x, y, 0] for x in (0, 3) for y in (0, -2, -4))]
        skeleton = chain(places, [-1, 0, 1, 2, 0, 4, 5], names)
        bones = segments_of(skeleton)
        for area, name, wanted in (
            ((-0.5, -4, 0.5, 0), "leg", [1, 2]),
            ((-0.5, -2, 0.5, 0), "thigh", [1]),
            ((2.5, -4, 3.5, -2), "boot", [5]),
            ((9, -1, 10, 0), "stone", [4]),  # on no bone: the nearest
        ):
            found = bones_of(box(*area), bones, skeleton, name)
            self.assertEqual([b.joint for b in found], wanted, name)
            self.assertTrue(all(any(b is one for one in bones) for b in found), name)
        # The far leg, drawn where the near one stands.
        beside = {b.joint for b in bones_of(box(2.5, -4, 3.5, 0), bones, skeleton, "far leg")}
        self.assertFalse(beside & {4, 5})
        self.assertLessEqual({1, 2}, beside)
        self.assertLessEqual({4, 5}, {b.joint for b in bones_of(box(2.5, -4, 3.5, 0), bones, skeleton, "near leg")})


class Assign(unittest.TestCase):
    def test_new_weights_leave_every_part_where_it_is_at_rest_and_follow_the_joints(self):
        for options in ({}, {"root": {"scale": [0.01] * 3}}, {"scale": 100.0, "root": {"scale": [0.01] * 3}}):
            character = tube(**options)
            upper = character.skeleton.find("upper")
            dense = np.zeros((len(character.mesh.points), len(character.skeleton)))
            dense[:, upper] = 1
            bound = with_joint_weights(character, dense)
            rest = Evaluator.of(character).rest()
            np.testing.assert_allclose(Evaluator.of(bound).rest(), rest, atol=1e-6)
            pose = bound.skeleton.rest_pose()
            pose.rotations[upper] = [0, 0, np.sqrt(0.5), np.sqrt(0.5)]
            world = bound.skeleton.global_matrices(pose)[upper] @ np.linalg.inv(bound.skeleton.rest_global[upper])
            np.testing.assert_allclose(evaluate_exact(bound, pose), rest @ world[:3, :3].T + world[:3, 3], atol=1e-5)

    def test_edited_weights_are_written_and_come_back(self):
        source = tube_file()
        character = read_character(parse(source.pack()), "Tube")
        dense = character.binding.joint_weights.astype(float)
        upper, lower = character.skeleton.find("upper"), character.skeleton.find("lower")
        dense[:, upper], dense[:, lower] = dense[:, upper] * 0.99, 1 - dense[:, upper] * 0.99
        again = read_character(parse(write_glb(with_joint_weights(character, dense), parse(source.pack()))), "Tube")
        np.testing.assert_allclose(again.binding.joint_weights, dense, atol=1e-6)


class Check(unittest.TestCase):
    def setUp(self):
        self.keeper, _ = open_demo("lock-keeper-bare")
        self.skeleton = self.keeper.skeleton

    def test_a_stray_weight_on_the_inner_leg_is_found_and_mended(self):
        # Worked case: a stroke meant for the outside of one leg left a weight on the inside of the other.
        rest = Evaluator.of(self.keeper).rest()
        body = np.arange(len(rest)) < self.keeper.mesh.parts[0].vertices[1]
        where = np.flatnonzero(body & (np.linalg.norm(rest - [-0.04, 0.66, 0.0], axis=1) < 0.05))
        self.assertGreater(len(where), 2)
        dense = self.keeper.binding.joint_weights.astype(float)
        thigh = self.skeleton.find("left_thigh")
        dense[where] *= 0.7
        dense[where, thigh] += 0.3
        spoiled = with_joint_weights(self.keeper, dense)
        (finding,) = stray_weights(spoiled)
        self.assertEqual((finding.joint, sorted(finding.vertices)), (thigh, sorted(where)))
        self.assertAlmostEqual(finding.worst, 0.3, delta=0.02)
        mended = with_joint_weights(spoiled, without_stray(spoiled, [finding]))
        self.assertEqual(stray_weights(mended), [])
        np.testing.assert_allclose(mended.binding.joint_weights, self.keeper.binding.joint_weights, atol=2e-3)

    def test_a_finding_is_told_by_names_and_the_vertices_of_the_file(self):
        character = read_character(parse(tube_file(seam=True).pack()), "Tube")
        finding = WeightFault("stray", character.skeleton.find("upper"), np.array([0, 3], np.int32), 0.123456)
        told = json.loads(json.dumps(finding.to_json(character)))
        copies = np.flatnonzero(np.isin(character.mesh.file_to_vertex, [0, 3])).tolist()
        self.assertEqual(len(copies), 3)  # vertex 0 lies on the seam
        wanted = {"kind": "stray", "joint": "upper", "vertices": 2, "worst": 0.1235, "file_vertices": copies}
        self.assertEqual(told, wanted)
        self.assertIsNone(WeightFault("over_limit", None, finding.vertices, 5).to_json(character)["joint"])

    def test_what_follows_nothing_but_the_stray_joint_keeps_it(self):
        character = tube()
        upper = character.skeleton.find("upper")
        dense = character.binding.joint_weights.astype(float)
        dense[:2] = 0
        dense[0, upper], dense[1, [upper, upper - 1]] = 1, [0.4, 0.6]
        spoiled = with_joint_weights(character, dense)
        mended = without_stray(spoiled, [WeightFault("stray", upper, np.array([0, 1], np.int32), 1.0)]).toarray()
        self.assertEqual((mended[0, upper], mended[1, upper], mended[1, upper - 1]), (1, 0, 1))
        same = without_stray(spoiled, [WeightFault("hard_step", upper, np.array([0, 1], np.int32), 1.0)]).toarray()
        np.testing.assert_allclose(same, spoiled.binding.joint_weights, atol=1e-7)

    def test_the_other_findings(self):
        kinds = {f.kind for f in check_weights(self.keeper)}
        self.assertFalse(kinds & {"over_limit", "stray"})
        dense = self.keeper.binding.joint_weights.astype(float)
        twin, other = vertex_mirror(Evaluator.of(self.keeper).rest()), joint_mirror(self.skeleton)
        vertex = int(np.flatnonzero((dense[:, self.skeleton.find("left_hand")] > 0.9) & (twin >= 0))[0])
        dense[vertex] = 0
        names = ["left_hand", "left_forearm", "left_thumb_1", "left_index_1", "left_ring_1"]
        for name in names:
            dense[vertex, self.skeleton.find(name)] = 0.2
        found = {f.kind: f for f in check_weights(with_joint_weights(self.keeper, dense))}
        self.assertEqual(found["over_limit"].vertices.tolist(), [vertex])
        self.assertEqual(found["over_limit"].worst, 5)
        self.assertIn(vertex, found["unmirrored"].vertices)
        self.assertIn(int(twin[vertex]), found["unmirrored"].vertices)
        self.assertEqual(other[self.skeleton.find("left_hand")], self.skeleton.find("right_hand"))

    def test_a_hard_step_is_one_at_any_size_and_none_where_the_mesh_is_too_coarse(self):
        def steps(**how):
            character = tube(softness=1e-3, **how)
            return [f.joint for f in check_weights(character) if f.kind == "hard_step"]

        found = steps(rings=40)
        self.assertTrue(found)
        for size in (0.001, 1000.0):
            self.assertEqual(steps(rings=40, root={"scale": [size] * 3}), found)
        self.assertEqual(steps(rings=4), [])

    def test_a_hard_step_is_found(self):
        character = tube()
        upper, lower = character.skeleton.find("upper"), character.skeleton.find("lower")
        dense = np.zeros_like(character.binding.joint_weights)
        dense[np.arange(len(dense)), np.where(character.mesh.points[:, 1] > 0.52, upper, lower)] = 1
        character = with_joint_weights(character, dense)
        (finding,) = [f for f in check_weights(character) if f.joint == upper]
        self.assertEqual(finding.kind, "hard_step")
        self.assertEqual(sorted(np.unique(character.mesh.points[finding.vertices, 1].round(2))), [0.5, 0.55])

    def test_they_are_numbered_over_all_parts(self):
        builder, count = GltfBuilder(pair_file()), len(tube_points()[0])
        second = builder.document["meshes"][1]["primitives"][0]["attributes"]
        half = np.zeros((count, 4), np.float32)
        half[:, 0] = 1.0
        half[7] = 0.1
        second["WEIGHTS_0"] = builder.accessor(half, 34962)
        found, furthest = unnormalised_weights(builder.file())
        self.assertEqual((found, furthest), ([count + 7], 0.4))

    def test_unnormalised_weights_are_told_from_the_file(self):
        found, furthest = unnormalised_weights(tube_file(weight_sum=0.8))
        self.assertEqual((len(found), furthest), (506, 0.8))
        self.assertEqual(unnormalised_weights(tube_file()), ([], 1.0))


class Table(unittest.TestCase):
    def test_weights_survive_a_changed_mesh(self):
        character = tube()
        text = json.dumps(weights_to_json(character))
        np.testing.assert_allclose(weights_from_json(character, text), character.binding.joint_weights, atol=1e-6)
        wide = np.float32([1.05, 1, 1.05])
        mesh = replace(character.mesh, points=character.mesh.points * wide, rest=character.mesh.rest * wide)
        moved = replace(character, mesh=mesh)
        carried = weights_from_json(moved, text)
        np.testing.assert_allclose(carried, character.binding.joint_weights, atol=0.12)
        np.testing.assert_allclose(carried.sum(axis=1), 1, atol=1e-9)

    def test_a_part_that_the_file_does_not_know_takes_them_from_where_it_lies(self):
        keeper = open_demo("lock-keeper-bare")[0]
        text = json.dumps(weights_to_json(keeper))
        parts = tuple(replace(p, name=f"{p.name} again") for p in keeper.mesh.parts)
        told = weights_from_json(replace(keeper, mesh=replace(keeper.mesh, parts=parts)), text)
        off = np.abs(told - keeper.binding.joint_weights).max(axis=1)
        # Where two parts touch, the other one's may be nearer by a hair.
        self.assertLess(float((off > 1e-3).mean()), 0.02)

    def test_broken_files_are_told(self):
        character = tube()
        good = weights_to_json(character)
        strange = json.loads(json.dumps(good).replace('"upper"', '"knee"'))
        short = {**good, "parts": [{**good["parts"][0], "weights": good["parts"][0]["weights"][:-1]}]}
        negative = json.loads(json.dumps(good).replace('"lower": 1.0', '"lower": -1.0', 1))
        lost = json.loads(json.dumps(good).replace('"lower": 1.0', '"lower": 0.0'))
        far = {"parts": [{**good["parts"][0], "triangles": [[0, 1, len(character.mesh)]]}]}
        nowhere = json.loads(json.dumps(good).replace("0.5", "Infinity", 1))
        for document, words in (
            ([], "form"),
            ({"parts": []}, "broken"),
            (strange, "knee"),
            (short, "broken"),
            (negative, "number"),
            (lost, "follows no joint"),
            (far, "place that is not there"),
            (nowhere, "not numbers"),
            ({"parts": [{"name": "tube", "places": [], "weights": []}]}, "broken"),
        ):
            with self.assertRaisesRegex(BadFileError, words):
                weights_from_json(character, json.dumps(document))


def with_triangles(character, corners):
    """A character of one part with other triangles."""
    part = replace(character.mesh.parts[0], surface=Triangles(corners))
    return replace(character, mesh=replace(character.mesh, parts=(part,)))
