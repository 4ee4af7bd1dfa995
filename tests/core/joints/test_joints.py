"""Editing joints at rest: the skin stays, poses change as they should, and the file that leaves says the same."""

import copy
import json
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from plethos.core.errors import BadEditError, JointNeededError
from plethos.core.evaluate import Evaluator, evaluate_exact
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.gltf_write import write_glb
from plethos.core.geometry import rotations
from plethos.core.joints import edit, reflect
from plethos.core.joints.draft import Draft
from plethos.core.joints.edit import hinged, moved_joints
from plethos.core.joints.frames import frame_along
from plethos.core.joints.layout import laid_out, layout_to_json
from plethos.core.joints.ranges import PRESETS, hinge_of, suggested, with_range
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.contact_counter import ContactCounter
from plethos.core.measure.girth import bone_directions
from plethos.core.measure.travel import bent
from plethos.core.rules.rules import Rules
from plethos.core.skeleton.hinge import Hinge
from plethos.core.skeleton.pose_files import pose_from_json
from plethos.core.weights.assign import with_joint_weights
from plethos.demo.catalogue import open_demo
from tests.figures import activation, only_with, tube, tube_file


class Moving(unittest.TestCase):
    def test_the_skin_stays_at_rest_and_turns_about_the_new_place(self):
        for options in ({}, {"root": {"scale": [0.01] * 3}}, {"root": {"rotation": [0.5, 0.5, 0.5, 0.5]}}):
            character = tube(**options)
            rest, upper = Evaluator.of(character).rest(), character.skeleton.find("upper")
            frame = character.skeleton.rest_global[upper]
            place = frame[:3, 3] + 0.03 * frame[:3, 1]
            moved = moved_joints(character, {upper: place})
            np.testing.assert_allclose(Evaluator.of(moved).rest(), rest, atol=1e-6)
            pose = pose_from_json(moved.skeleton, '{"joints": {"upper": {"euler_xyz_deg": [0, 0, 90]}}}')
            axis = frame[:3, 2] / np.linalg.norm(frame[:3, 2])
            turned = Rotation.from_rotvec(np.pi / 2 * axis).apply(rest - place) + place
            whole = character.binding.joint_weights[:, upper] > 0.999
            np.testing.assert_allclose(evaluate_exact(moved, pose)[whole], turned[whole], atol=1e-5)

    def test_joints_below_a_moved_one_stay_and_moving_back_is_as_before(self):
        keeper, _ = open_demo("lock-keeper-bare")
        at = keeper.skeleton.rest_global[:, :3, 3]
        thigh = keeper.skeleton.find("left_thigh")
        moved = moved_joints(keeper, {thigh: at[thigh] + [0, 0.02, -0.01]})
        now = moved.skeleton.rest_global[:, :3, 3]
        others = np.arange(len(at)) != thigh
        np.testing.assert_allclose(now[others], at[others], atol=1e-9)
        back = moved_joints(moved, {thigh: at[thigh]})
        np.testing.assert_allclose(back.skeleton.rest_global, keeper.skeleton.rest_global, atol=1e-12)

    def test_a_hip_pivot_is_moved_without_repainting_and_the_measures_follow(self):
        # On this figure a pivot further forward, nearer to the fold, keeps more of the raised thigh.
        keeper, _ = open_demo("lock-keeper-bare")
        thigh = keeper.skeleton.find("left_thigh")
        good = keeper.skeleton.rest_global[thigh, :3, 3]
        measure, counter = BendMeasure.of(keeper, thigh), ContactCounter.of(keeper.mesh)
        told = []
        for forward in (-0.02, 0.0, 0.02):
            moved = moved_joints(keeper, {thigh: good + np.array([0, 0, forward])})
            self.assertIs(moved.binding.weights, keeper.binding.weights)
            pose = pose_from_json(moved.skeleton, '{"joints": {"left_thigh": {"euler_xyz_deg": [0, 0, 100]}}}')
            contacts = counter.count(Evaluator.of(moved).pose(pose).points)
            told.append((BendMeasure.of(moved, measure.joint, measure).at(pose).volume, contacts))
        self.assertEqual(told, sorted(told, key=lambda t: t[0]))
        self.assertGreater(told[2][0], told[0][0] + 5)
        self.assertLess(told[2][1], 0.8 * told[1][1])

    def test_nonsense_is_told(self):
        character = tube()
        with self.assertRaisesRegex(BadEditError, "finite"):
            moved_joints(character, {1: [np.nan, 0, 0]})

    def test_a_range_in_which_angles_look_alike_is_refused(self):
        character = tube()
        for low, high in ((-180, 180), (0, 360), (-200, 170)):
            with self.assertRaisesRegex(BadEditError, "less than a whole turn"):
                hinged(character, 2, Hinge((0, 0, 1), np.radians(low), np.radians(high)))
        self.assertEqual(hinged(character, 2, Hinge((0, 0, 1), -3.0, 3.2)).skeleton.hinge(2).high, 3.2)
        with self.assertRaisesRegex(BadEditError, "low end below"):
            hinged(character, 2, Hinge((0, 0, 1), 1.0, 0.5))


class Edited(unittest.TestCase):
    """Every edit: the skin at rest stays, clips and remedies mean the same motion, a stored layout gives it back."""

    def setUp(self):
        self.keeper, _ = open_demo("lock-keeper")
        self.skeleton = self.keeper.skeleton
        self.rest = Evaluator.of(self.keeper).rest()

    def at(self, character, name):
        return character.skeleton.rest_global[character.skeleton.find(name), :3, 3]

    def stays(self, edited, atol=1e-6):
        np.testing.assert_allclose(Evaluator.of(edited).rest(), self.rest, atol=atol)

    def moves_alike(self, edited, atol=2e-5):
        """The same skin at every sampled time of every clip, remedies acting."""
        for before, after in zip(self.keeper.clips, edited.clips, strict=True):
            for time in (0.3 * before.duration, 0.7 * before.duration):
                wanted = Evaluator.of(self.keeper).pose(before.pose_at(self.skeleton, time)).points
                got = Evaluator.of(edited).pose(after.pose_at(edited.skeleton, time)).points
                np.testing.assert_allclose(got, wanted, atol=atol, err_msg=before.name)

    def comes_back(self, edited):
        """The layout as stored, laid under the bare character, gives the same skeleton and the same skin."""
        again = laid_out(self.keeper, json.loads(json.dumps(layout_to_json(edited.skeleton, self.skeleton))))
        self.assertEqual(again.skeleton.names, edited.skeleton.names)
        np.testing.assert_array_equal(again.skeleton.rest_global, edited.skeleton.rest_global)
        self.assertEqual(again.skeleton.joint_keys, edited.skeleton.joint_keys)
        self.stays(again)

    def test_a_joint_is_made_on_both_sides(self):
        clavicle = self.skeleton.find("left_clavicle")
        one = edit.made(self.keeper, "left_buckle", clavicle, [0.1, 1.4, 0.15])
        both = reflect.reflected(one, [one.skeleton.find("left_buckle")])
        right = both.skeleton.find("right_buckle")
        np.testing.assert_allclose(self.at(both, "right_buckle"), [-0.1, 1.4, 0.15], atol=1e-12)
        self.assertEqual(both.skeleton.names[both.skeleton.parents[right]], "right_clavicle")
        # The same turn about the hinge is the mirrored motion, as for the joints that were there.
        left_z, right_z = (
            both.skeleton.rest_global[both.skeleton.find(n), :3, 2] for n in ("left_buckle", "right_buckle")
        )
        np.testing.assert_allclose(right_z, left_z * [1, -1, -1], atol=1e-9)
        self.stays(both)
        self.moves_alike(both)
        self.comes_back(both)

    def test_a_chain_is_laid_joint_by_joint_along_its_bones(self):
        keeper, _ = open_demo("lock-keeper-bare")
        hand = keeper.skeleton.find("left_hand")
        start = keeper.skeleton.rest_global[hand, :3, 3]
        places = [start + step for step in ([0.05, 0, 0.02], [0.08, -0.02, 0.05], [0.09, -0.05, 0.06])]
        grown, up = keeper, "left_hand"
        for k, place in enumerate(places):
            grown = edit.continued(grown, f"tail_{k}", grown.skeleton.find(up), place)
            up = f"tail_{k}"
        s = grown.skeleton
        frames = [rotations.rotation_part(s.rest_global[s.find(f"tail_{k}"), :3, :3]) for k in range(3)]
        for k in range(2):
            bone = places[k + 1] - places[k]
            np.testing.assert_allclose(frames[k][:, 1], bone / np.linalg.norm(bone), atol=1e-9)
        np.testing.assert_allclose(frames[2], frames[1], atol=1e-9)
        # What skin follows is never turned.
        self.assertTrue(edit.stands_as_before(keeper.skeleton, s, "left_hand"))
        np.testing.assert_allclose(Evaluator.of(grown).rest(), Evaluator.of(keeper).rest(), atol=1e-6)
        # Said in a pose, it is there in the pose.
        pose = bent(keeper.skeleton.rest_pose(), keeper.skeleton.find("left_forearm"), (0, 0, 1), 1.0)
        posed = edit.continued(keeper, "lantern", hand, [0.3, 1.2, 0.4], pose)
        raised = bent(posed.skeleton.rest_pose(), posed.skeleton.find("left_forearm"), (0, 0, 1), 1.0)
        at = posed.skeleton.global_matrices(raised)[posed.skeleton.find("lantern"), :3, 3]
        np.testing.assert_allclose(at, [0.3, 1.2, 0.4], atol=1e-9)

    def test_a_turned_frame_changes_no_motion_and_its_twin_follows(self):
        forearm = self.skeleton.find("left_forearm")
        by = rotations.from_euler_xyz_deg([10, 35, -20])
        once = edit.turned(self.keeper, forearm, by)
        both = reflect.reflected(once, [forearm], self.skeleton)
        self.stays(both)
        self.moves_alike(both)
        self.comes_back(both)
        # The triggers were turned along: the sign of the axis and the activation stay.
        bent = both.clips[0].pose_at(both.skeleton, 1.0)
        for remedy, before in zip(both.rules.remedies, self.keeper.rules.remedies, strict=True):
            wanted = activation(self.keeper, before, self.keeper.clips[0].pose_at(self.skeleton, 1.0))
            self.assertAlmostEqual(activation(both, remedy, bent), wanted, places=6)
        # And so were the poses in which they were sculpted.
        for remedy, before in zip(both.rules.remedies, self.keeper.rules.remedies, strict=True):
            if "forearm" in tied_to(self.keeper, before):
                held, was = (
                    pose_from_json(c.skeleton, json.dumps(r.body.targets[0].pose))
                    for c, r in ((both, remedy), (self.keeper, before))
                )
                a, b = (Evaluator.of(c).pose(p).points for c, p in ((both, held), (self.keeper, was)))
                np.testing.assert_allclose(a, b, atol=2e-5, err_msg=remedy.name)
        left, right = (both.skeleton.rest_global[both.skeleton.find(f"{s}_forearm"), :3, :3] for s in ("left", "right"))
        np.testing.assert_allclose(right, np.diag([-1.0, 1, 1]) @ left @ np.diag([1.0, 1, -1]), atol=1e-9)

    def test_a_hinge_is_mirrored_so_that_the_same_angle_is_the_mirrored_motion(self):
        bare = self.keeper.with_rules(Rules())
        forearm = bare.skeleton.find("left_forearm")
        # Frames that mirror in another way than the demo's: the right one is turned about its bone.
        crooked = edit.turned(bare, bare.skeleton.find("right_forearm"), rotations.from_euler_xyz_deg([0, 180, 0]))
        for start in (bare, crooked):
            one = with_range(start, forearm, "elbow_flexion")
            both = reflect.reflected(one, [forearm], start.skeleton)
            pose = both.skeleton.rest_pose()
            for name in ("left_forearm", "right_forearm"):
                j = both.skeleton.find(name)
                pose = bent(pose, j, both.skeleton.hinge(j).axis, 0.7)
            world = both.skeleton.global_matrices(pose)
            left, right = (world[both.skeleton.find(f"{s}_hand"), :3, 3] for s in ("left", "right"))
            np.testing.assert_allclose(right, left * [-1, 1, 1], atol=1e-6)
            self.stays(both)

    def test_a_new_twin_turns_by_the_same_angle_as_the_mirror_shows_whatever_its_hinge_is(self):
        clavicle = self.skeleton.find("left_clavicle")
        for axis in np.eye(3).tolist():
            one = edit.made(self.keeper, "left_flap", clavicle, [0.1, 1.4, 0.15])
            one = edit.hinged(one, one.skeleton.find("left_flap"), Hinge(tuple(axis), -1.0, 2.0))
            one = edit.made(one, "left_flap_tip", one.skeleton.find("left_flap"), [0.17, 1.31, 0.2])
            both = reflect.reflected(one, [one.skeleton.find(n) for n in ("left_flap", "left_flap_tip")])
            left, right = (both.skeleton.find(f"{side}_flap") for side in ("left", "right"))
            there = both.skeleton.hinge(right)
            self.assertEqual((there.low, there.high), (-1.0, 2.0))
            np.testing.assert_allclose(there.axis, axis, atol=1e-12)  # the same axis of its own frame, the same sign
            pose = both.skeleton.rest_pose()
            for joint, about in ((left, axis), (right, there.axis)):
                pose = pose.with_rotation(joint, Rotation.from_rotvec(0.9 * np.array(about)).as_quat())
            ends = both.skeleton.global_matrices(pose)[[both.skeleton.find(f"{s}_flap_tip") for s in ("left", "right")]]
            np.testing.assert_allclose(ends[1, :3, 3], ends[0, :3, 3] * [-1, 1, 1], atol=1e-9)

    def test_of_joints_in_the_middle_no_twin_is_made(self):
        names = [n for n in self.skeleton.names if not n.startswith("right_")]
        both = reflect.reflected(self.keeper, [self.skeleton.find(n) for n in names])
        self.assertEqual(both.skeleton.names, self.skeleton.names)
        moved = edit.with_joint_moved(self.keeper, self.skeleton.find("left_hand"), [0.5, 1.0, 0.1], None, False)
        np.testing.assert_array_equal(Evaluator.of(moved).rest(), Evaluator.of(self.keeper).rest())  # only its pivot
        both = reflect.reflected(moved, [self.skeleton.find(n) for n in ("neck", "left_hand")])
        np.testing.assert_allclose(self.at(both, "right_hand"), [-0.5, 1.0, 0.1], atol=1e-9)
        np.testing.assert_allclose(self.at(both, "neck"), self.at(self.keeper, "neck"), atol=1e-12)

    def test_a_twin_that_was_turned_aside_gets_the_frame_back_that_all_pairs_have(self):
        left, right = (self.skeleton.find(f"{side}_hand") for side in ("left", "right"))
        kept = self.skeleton.rest_global[right, :3, :3]
        for degrees in ([60, 0, 0], [0, 25, 15], [1, 0, 1]):
            crooked = edit.turned(self.keeper, right, rotations.from_euler_xyz_deg(degrees))
            self.assertGreater(np.abs(crooked.skeleton.rest_global[right, :3, :3] - kept).max(), 0.01)
            both = reflect.reflected(crooked, [left])
            np.testing.assert_allclose(both.skeleton.rest_global[right, :3, :3], kept, atol=1e-6)

    def test_a_frame_is_laid_along_its_bone_again(self):
        forearm, hand = self.skeleton.find("left_forearm"), self.skeleton.find("left_hand")
        bone = self.at(self.keeper, "left_hand") - self.at(self.keeper, "left_forearm")
        crooked = edit.turned(self.keeper, forearm, rotations.from_euler_xyz_deg([25, 0, 15]))
        straight = edit.aimed(crooked, forearm)
        np.testing.assert_allclose(
            straight.skeleton.rest_global[forearm, :3, 1], bone / np.linalg.norm(bone), atol=1e-9
        )
        np.testing.assert_allclose(self.at(straight, "left_hand"), self.at(self.keeper, "left_hand"), atol=1e-12)
        self.moves_alike(straight)
        self.assertEqual(straight.skeleton.names[hand], "left_hand")

    def test_a_joint_hung_elsewhere_stays_and_then_follows_its_new_parent(self):
        bare = self.keeper.with_rules(Rules())
        hand = bare.skeleton.find("left_hand")
        hung = edit.reparented(bare, hand, bare.skeleton.find("chest"))
        self.stays(hung)
        self.comes_back(hung)
        pose = pose_from_json(hung.skeleton, '{"joints": {"left_forearm": {"euler_xyz_deg": [0, 0, 70]}}}')
        posed = hung.skeleton.global_matrices(pose)[hung.skeleton.find("left_hand"), :3, 3]
        np.testing.assert_allclose(posed, self.at(bare, "left_hand"), atol=1e-9)
        with self.assertRaisesRegex(BadEditError, "hang on itself"):
            edit.reparented(bare, bare.skeleton.find("chest"), hand)

    def test_under_a_parent_of_another_size_a_joint_keeps_its_own(self):
        for scale in ([0.01] * 3, [0.5, 2.0, 0.5]):
            character = tube(root={"scale": scale, "rotation": [0, 0.6, 0, 0.8]})
            upper = character.skeleton.find("upper")
            frame = character.skeleton.rest_global[upper]
            fresh = edit.made(character, "top", None, [0, 0, 1])
            for parent in ("top", None):
                hung = edit.reparented(
                    fresh, fresh.skeleton.find("upper"), None if parent is None else fresh.skeleton.find(parent)
                )
                now = hung.skeleton.rest_global[hung.skeleton.find("upper")]
                np.testing.assert_allclose(now, frame, atol=1e-9)
                np.testing.assert_allclose(Evaluator.of(hung).rest(), character.mesh.rest, atol=1e-6)

    def test_what_followed_a_deleted_joint_follows_its_parent(self):
        bare = self.keeper.with_rules(Rules())
        thumb = [bare.skeleton.find(f"left_thumb_{k}") for k in (2, 1)]
        without = edit.removed(bare, thumb)
        self.stays(without)
        self.comes_back(without)
        self.assertEqual(len(without.skeleton), len(bare.skeleton) - 2)
        kept = without.skeleton.find("left_hand")
        before = bare.binding.joint_weights[:, [bare.skeleton.find("left_hand"), *thumb]].sum(axis=1)
        np.testing.assert_allclose(without.binding.joint_weights[:, kept], before, atol=1e-6)
        self.assertEqual(
            without.skeleton.names[without.skeleton.parents[without.skeleton.find("left_thumb_3")]], "left_hand"
        )
        for row, weights in zip(without.binding.influences[:500], without.binding.weights[:500], strict=True):
            used = row[weights > 0]
            self.assertEqual(len(used), len(set(used.tolist())))

    def test_an_heir_that_the_skin_did_not_know_takes_over_where_the_skin_is(self):
        character = tube()
        lower, upper = (character.skeleton.find(n) for n in ("lower", "upper"))
        fresh = edit.made(character, "middle", lower, [0.1, 0.3, -0.2])
        hung = edit.reparented(fresh, fresh.skeleton.find("upper"), fresh.skeleton.find("middle"))
        left = edit.removed(hung, [hung.skeleton.find("upper")])
        np.testing.assert_allclose(Evaluator.of(left).rest(), character.mesh.rest, atol=1e-6)
        middle = left.skeleton.find("middle")
        np.testing.assert_allclose(
            left.binding.joint_weights[:, middle], character.binding.joint_weights[:, upper], atol=1e-6
        )
        pose = left.skeleton.rest_pose().with_rotation(middle, Rotation.from_rotvec([0, 0, 0.8]).as_quat())
        whole = character.binding.joint_weights[:, upper] > 0.999
        at = np.array([0.1, 0.3, -0.2])
        turned = Rotation.from_rotvec([0, 0, 0.8]).apply(character.mesh.rest[whole] - at) + at
        np.testing.assert_allclose(evaluate_exact(left, pose)[whole], turned, atol=1e-6)

    def test_at_the_top_the_joint_beside_takes_over_and_the_only_one_has_to_stay(self):
        character = tube()
        skeleton = character.skeleton
        lower, upper = skeleton.find("lower"), skeleton.find("upper")
        # What is above it is a plain node: nothing follows that.
        left = edit.removed(character, [lower])
        now = left.skeleton.find("upper")
        np.testing.assert_allclose(left.binding.joint_weights[:, now], 1, atol=1e-6)
        self.assertEqual(left.skeleton.names[left.skeleton.parents[now]], "root")
        np.testing.assert_allclose(Evaluator.of(left).rest(), Evaluator.of(character).rest(), atol=1e-6)
        with self.assertRaisesRegex(BadEditError, "only joint that the skin could follow"):
            edit.removed(left, [now])
        # One after the other: what the first left to the second goes on to the heir of both.
        fresh = edit.made(character, "top", upper, [0, 0.9, 0])
        end = fresh.skeleton.find("top")
        dense = fresh.binding.joint_weights.astype(float)
        dense[:, end] = dense[:, upper] * np.clip(fresh.mesh.rest[:, 1] - 0.5, 0, 0.5)
        dense[:, upper] -= dense[:, end]
        fresh = with_joint_weights(fresh, dense)
        both = edit.removed(fresh, [end, upper])
        np.testing.assert_allclose(both.binding.joint_weights[:, both.skeleton.find("lower")], 1, atol=1e-6)

    def test_a_joint_hung_on_none_stands_at_the_top_and_so_does_its_mirror_image(self):
        bare = self.keeper.with_rules(Rules())
        hung = edit.reparented(bare, bare.skeleton.find("left_hand"), None)
        self.assertEqual(hung.skeleton.parents[hung.skeleton.find("left_hand")], -1)
        both = reflect.reflected(hung, [hung.skeleton.find("left_hand")], bare.skeleton)
        self.assertEqual(both.skeleton.parents[both.skeleton.find("right_hand")], -1)
        self.stays(both)
        np.testing.assert_allclose(self.at(both, "right_hand"), self.at(both, "left_hand") * [-1, 1, 1], atol=1e-9)
        loose = edit.made(self.keeper, "left_rope", None, [0.4, 1.0, 0.1])
        pair = reflect.reflected(loose, [loose.skeleton.find("left_rope")])
        self.assertEqual(pair.skeleton.parents[pair.skeleton.find("right_rope")], -1)
        with self.assertRaisesRegex(BadEditError, "hang on itself"):
            edit.reparented(bare, 3, 3)

    def test_a_joint_that_a_remedy_needs_is_not_deleted(self):
        with self.assertRaisesRegex(JointNeededError, "“left_forearm”: untie or delete it first"):
            edit.removed(self.keeper, [self.skeleton.find("left_forearm")])

    def test_names_are_unique_and_never_empty(self):
        for name, words in (("chest", "already"), ("  ", "needs a name")):
            with self.subTest(name), self.assertRaisesRegex(BadEditError, words):
                edit.renamed(self.keeper, 5, name)
        renamed = edit.renamed(self.keeper, self.skeleton.find("left_forearm"), "left_lower_arm")
        tied = [tied_to(renamed, r) for r in renamed.rules.remedies]
        self.assertIn("left_lower_arm", tied)
        self.assertIs(renamed.binding.weights, self.keeper.binding.weights)
        self.moves_alike(renamed)

    def test_twist_joints_take_from_their_bone_only_however_many_joints_a_vertex_follows(self):
        bare = self.keeper.with_rules(Rules())
        draw, dense = np.random.default_rng(5), bare.binding.joint_weights.astype(float)
        neck = bare.skeleton.find("neck")
        rows = np.flatnonzero(dense[:, neck] > 0.3)[:40]
        others = draw.choice([j for j in np.flatnonzero(bare.skeleton.is_joint) if j != neck], 5, replace=False)
        dense[rows] = 0
        dense[rows[:, None], [neck, *others]] = draw.dirichlet(np.ones(6), len(rows))
        bare = with_joint_weights(bare, dense)
        twisted = edit.twisted(bare, neck, 2)
        place = [twisted.skeleton.find(bare.skeleton.names[j]) for j in others]
        now = twisted.binding.joint_weights[rows]
        np.testing.assert_allclose(now[:, place], dense[rows[:, None], others], atol=1e-6)
        np.testing.assert_allclose(now.sum(axis=1), 1, atol=1e-6)

    def test_twist_joints_share_an_even_gradient_and_move_nothing_yet(self):
        bare = self.keeper.with_rules(Rules())
        neck = bare.skeleton.find("neck")
        twisted = edit.twisted(bare, neck, 3)
        self.stays(twisted)
        chain = [twisted.skeleton.find("neck"), *(twisted.skeleton.find(f"neck_twist_{k}") for k in (1, 2, 3))]
        np.testing.assert_allclose(
            twisted.binding.joint_weights[:, chain].sum(axis=1), bare.binding.joint_weights[:, neck], atol=0.011
        )
        start, end = self.at(bare, "neck"), self.at(bare, "head")
        for k in (1, 2, 3):
            np.testing.assert_allclose(self.at(twisted, f"neck_twist_{k}"), start + (end - start) * k / 4, atol=1e-9)
        # Along the bone their weights follow each other.
        along = (self.rest - start) @ (end - start) / ((end - start) @ (end - start))
        centres = [np.average(along, weights=twisted.binding.joint_weights[:, j]) for j in chain]
        self.assertEqual(centres, sorted(centres))
        with self.assertRaisesRegex(BadEditError, "nothing hangs on it"):
            edit.twisted(bare, bare.skeleton.find("left_thumb_3"), 2)


class BelowAScale(unittest.TestCase):
    def test_a_joint_that_is_added_is_as_large_as_its_parent(self):
        character = tube(root={"scale": [50.0, 50.0, 50.0]})
        draft, upper = Draft(character), character.skeleton.find("upper")
        draft.add("tip", upper, character.skeleton.rest_global[upper, :3, 3] + [0, 10.0, 0], np.eye(3))
        made = draft.finish().skeleton
        for name in ("upper", "tip"):
            size = np.linalg.norm(made.rest_global[made.find(name), :3, :3], axis=0)
            np.testing.assert_allclose(size, 50.0, rtol=1e-6)


class WithoutBones(unittest.TestCase):
    """Joints that stand alone, or on each other."""

    def test_what_has_no_bone_is_told(self):
        character = edit.made(tube(), "loose", None, [1, 0, 0])
        loose = character.skeleton.find("loose")
        self.assertIsNone(edit.bone_of(character.skeleton, loose))
        for change, words in (
            (lambda: edit.aimed(character, loose), "no bone to lie along"),
            (lambda: edit.twisted(character, loose, 2), "no bone to put twist joints"),
            (lambda: edit.twisted(character, 1, 0), "Between 1 and 8"),
            (lambda: edit.twisted(character, 1, 9), "Between 1 and 8"),
            (lambda: with_range(character, loose, "knee_flexion"), "no bone that could turn"),
            (lambda: with_range(character, 1, "tail"), "no range of motion called"),
        ):
            with self.assertRaisesRegex(BadEditError, words):
                change()
        again = edit.continued(character, "second", None, [2, 0, 0])
        self.assertEqual(again.skeleton.parents[again.skeleton.find("second")], -1)

    @given(st.integers(0, 2**31))
    @settings(max_examples=30, deadline=None)
    def test_a_frame_lies_along_its_bone_and_as_near_to_its_hinge_as_can_be(self, seed):
        draw = np.random.default_rng(seed)
        bone, hinge = draw.normal(size=(2, 3)) * draw.uniform(0.01, 10)
        frame = frame_along(bone, hinge)
        np.testing.assert_allclose(frame.T @ frame, np.eye(3), atol=1e-9)
        self.assertGreater(np.linalg.det(frame), 0)
        np.testing.assert_allclose(frame[:, 1] * np.linalg.norm(bone), bone, atol=1e-9)
        # Of all axes across the bone none is nearer to the hinge.
        across = [frame[:, 0] * np.cos(t) + frame[:, 2] * np.sin(t) for t in np.linspace(0, 2 * np.pi, 40)]
        self.assertGreaterEqual(float(frame[:, 2] @ hinge), max(float(a @ hinge) for a in across) - 1e-9)
        along = frame_along(bone, 3 * bone)
        np.testing.assert_allclose(along.T @ along, np.eye(3), atol=1e-9)

    def test_a_bone_stands_in_for_one_that_is_missing(self):
        skeleton = tube().skeleton
        lower, upper = skeleton.find("lower"), skeleton.find("upper")
        for joint in (lower, upper):
            before, after = bone_directions(skeleton, joint)
            np.testing.assert_allclose([before, after], [[0, 1, 0]] * 2, atol=1e-12)
        loose = edit.made(tube(), "loose", None, [1, 0, 0]).skeleton
        np.testing.assert_allclose(bone_directions(loose, loose.find("loose")), [[0, 1, 0]] * 2)
        bent = edit.moved_joints(edit.made(tube(), "end", upper, [0.3, 0.9, 0]), {}).skeleton
        before, after = bone_directions(bent, bent.find("upper"))
        np.testing.assert_allclose(before, [0, 1, 0], atol=1e-12)
        np.testing.assert_allclose(after, [0.6, 0.8, 0], atol=1e-9)


class Ranges(unittest.TestCase):
    def test_they_hold_the_handbook_values(self):
        # AAOS (1965), normal adult ranges, from memory.
        for name, high in (("elbow_flexion", 150), ("shoulder_abduction", 180),
                           ("shoulder_flexion", 180), ("hip_flexion", 120), ("knee_flexion", 135),
                           ("wrist_flexion", 80), ("forearm_roll", 80)):  # fmt: skip
            self.assertEqual(PRESETS[name].high, high, name)
        self.assertEqual(PRESETS["forearm_roll"].low, -80)

    def test_axis_and_sign_bend_the_joint_the_way_the_preset_says(self):
        keeper, _ = open_demo("lock-keeper-bare")
        for joint, tip, name in (
            ("left_forearm", "left_hand", "elbow_flexion"), ("right_shin", "right_foot", "knee_flexion"),
            ("left_thigh", "left_shin", "hip_flexion"), ("right_upper_arm", "right_forearm", "shoulder_abduction"),
            ("left_foot", "left_toes", "ankle"), ("neck", "head", "neck_flexion"),
        ):  # fmt: skip
            with self.subTest(name):
                j = keeper.skeleton.find(joint)
                # A frame turned anyhow must not matter.
                crooked = edit.turned(keeper, j, rotations.from_euler_xyz_deg([40, 70, -25]))
                limited = with_range(crooked, j, name)
                hinge = limited.skeleton.hinge(j)
                told = PRESETS[name]
                np.testing.assert_allclose(np.degrees([hinge.low, hinge.high]), [told.low, told.high], atol=1e-9)
                self.assertAlmostEqual(np.linalg.norm(hinge.axis), 1, places=12)
                turn = rotations.from_axis_angle(hinge.axis, 0.2)
                pose = limited.skeleton.rest_pose().with_rotation(j, turn)
                t = limited.skeleton.find(tip)
                went = limited.skeleton.global_matrices(pose)[t, :3, 3] - limited.skeleton.rest_global[t, :3, 3]
                self.assertGreater(went @ PRESETS[name].toward / np.linalg.norm(went), 0.7)

    def test_a_name_suggests_its_range(self):
        for joint, wanted in (
            ("left_forearm", "elbow_flexion"), ("RightUpperLeg", "hip_flexion"), ("spine_2", "spine_flexion"),
            ("left_forearm_twist_1", "forearm_roll"), ("lamp", None),
        ):  # fmt: skip
            self.assertEqual(suggested(joint), wanted)

    def test_a_bone_that_lies_the_way_it_should_bend_is_told(self):
        with self.assertRaisesRegex(BadEditError, "does not fit"):
            hinge_of(tube().skeleton, 1, PRESETS["ankle"])


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

    def test_every_edit_of_joints_leaves_in_the_file_and_comes_back(self):
        keeper, source = open_demo("lock-keeper")
        only = [r for r in keeper.rules.remedies if "forearm" in tied_to(keeper, r)]
        keeper = keeper.with_rules(only_with(keeper.rules, only))
        s = keeper.skeleton
        changed = edit.renamed(keeper, s.find("left_toes"), "left_ball")
        changed = edit.turned(changed, s.find("left_hand"), rotations.from_euler_xyz_deg([20, 0, 30]))
        changed = edit.reparented(changed, s.find("jaw"), s.find("neck"))
        changed = edit.removed(changed, [changed.skeleton.find("right_thumb_3")])
        changed = edit.twisted(changed, changed.skeleton.find("neck"), 2)
        changed = edit.made(changed, "lantern", changed.skeleton.find("left_hand"), [0.7, 0.9, 0.1])
        changed = with_range(changed, changed.skeleton.find("left_forearm"), "elbow_flexion")
        again = self.again(changed, source)
        self.assertEqual(set(again.skeleton.names), set(changed.skeleton.names))
        self.assertTrue(again.skeleton.is_joint[again.skeleton.find("lantern")])
        np.testing.assert_allclose(Evaluator.of(again).rest(), Evaluator.of(keeper).rest(), atol=2e-6)
        for name in changed.skeleton.names:
            a, b = changed.skeleton.find(name), again.skeleton.find(name)
            np.testing.assert_allclose(
                again.skeleton.rest_global[b], changed.skeleton.rest_global[a], atol=1e-6, err_msg=name
            )
            up, up_again = (c.skeleton.parents[k] for c, k in ((changed, a), (again, b)))
            self.assertEqual(
                changed.skeleton.names[up] if up >= 0 else "", again.skeleton.names[up_again] if up_again >= 0 else ""
            )
        self.assertAlmostEqual(again.skeleton.hinge(again.skeleton.find("left_forearm")).high, np.radians(150))
        for before, after in zip(changed.clips, again.clips, strict=True):
            wanted = Evaluator.of(changed).pose(before.pose_at(changed.skeleton, 1.0)).points
            got = Evaluator.of(again).pose(after.pose_at(again.skeleton, 1.0)).points
            np.testing.assert_allclose(got, wanted, atol=5e-5, err_msg=before.name)

    def test_a_joint_that_stands_in_for_another_just_where_it_was_is_the_one_that_is_written(self):
        source = parse(tube_file().pack())
        character = read_character(source, "Tube")
        fresh = edit.made(character, "knee", character.skeleton.find("lower"), [0, 0.5, 0])
        hung = edit.reparented(fresh, fresh.skeleton.find("upper"), fresh.skeleton.find("knee"))
        left = edit.removed(hung, [hung.skeleton.find("upper")])
        again = self.again(left, source)
        self.assertNotIn("upper", [n for n, j in zip(again.skeleton.names, again.skeleton.is_joint, strict=True) if j])
        text = '{"joints": {"knee": {"euler_xyz_deg": [0, 0, 80]}}}'
        posed = [evaluate_exact(c, pose_from_json(c.skeleton, text)) for c in (left, again)]
        np.testing.assert_allclose(posed[1], posed[0], atol=1e-6)
        self.assertGreater(np.abs(posed[0] - character.mesh.rest).max(), 0.3)

    def test_every_node_hangs_in_one_place_however_joints_are_hung(self):
        source = parse(tube_file().pack())
        character = read_character(source, "Tube")
        topped = edit.made(character, "top", None, [0, 0, 0])
        for change in (
            lambda c: edit.reparented(c, c.skeleton.find("root"), c.skeleton.find("top")),  # stood in the scene
            lambda c: edit.reparented(c, c.skeleton.find("upper"), None),  # hung on another
            lambda c: edit.reparented(c, c.skeleton.find("upper"), c.skeleton.find("root")),
        ):
            changed = change(topped)
            file = parse(write_glb(changed, source))
            nodes = file.document["nodes"]
            hung = [n for node in nodes for n in node.get("children", [])]
            listed = file.document["scenes"][0]["nodes"]
            self.assertEqual(sorted(hung + listed), list(range(len(nodes))))
            again = read_character(file, "Again")
            for name in changed.skeleton.names:
                up, up_again = (
                    c.skeleton.parents[c.skeleton.find(name)] for c in (changed, again)
                )  # fmt: skip
                names = [c.skeleton.names[u] if u >= 0 else None for c, u in ((changed, up), (again, up_again))]
                self.assertEqual(names[0], names[1], name)

    def test_a_part_without_skin_stays_when_the_joint_that_carries_it_is_moved(self):
        source = tube_file()
        source.document["nodes"][1]["mesh"] = 1
        plain = copy.deepcopy(source.document["meshes"][0])
        for key in ("JOINTS_0", "WEIGHTS_0"):
            del plain["primitives"][0]["attributes"][key]
        source.document["meshes"].append(plain)
        character = read_character(parse(source.pack()), "Two")
        upper = character.skeleton.find("upper")
        moved = moved_joints(character, {upper: [0, 0.6, 0.1]})
        again = self.again(moved, parse(source.pack()))
        np.testing.assert_allclose(Evaluator.of(again).rest(), Evaluator.of(character).rest(), atol=1e-6)

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
        dense = character.binding.joint_weights.astype(float)
        first = slice(*character.mesh.parts[0].vertices)
        dense[first] = 0
        dense[first, character.skeleton.find("tail")] = 1
        changed = with_joint_weights(character, dense)
        again = self.again(changed, parse(source.pack()))
        np.testing.assert_allclose(again.binding.joint_weights, dense, atol=1e-6)
        pose = pose_from_json(changed.skeleton, '{"joints": {"tail": {"euler_xyz_deg": [0, 40, 30]}}}')
        np.testing.assert_allclose(evaluate_exact(again, pose), evaluate_exact(changed, pose), atol=1e-5)
        joints = parse(write_glb(changed, parse(source.pack()))).document["skins"][0]["joints"]
        self.assertEqual(len(joints), len(set(joints)))


def tied_to(character, remedy) -> str:
    """The joint that switches a remedy on; nothing for one that is always on."""
    return " ".join(character.skeleton.names[joint] for joint in character.rules.joints_read(remedy))
