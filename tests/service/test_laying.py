"""Joints and regions through the workbench: stored before they are shown, undone, and there again after a restart."""

import threading

import numpy as np

from plethos.core.edits.review import CHANGED
from plethos.core.errors import BadEditError, BadPoseError
from plethos.core.evaluate import Evaluator
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_read import read_character
from plethos.core.sculpt.session import Dab
from plethos.core.skin.picked import PICKED
from plethos.demo.catalogue import shipped
from plethos.service.desk.frame import frame
from plethos.service.edits import joint_edits, region_edits, weight_edits
from plethos.service.library.poses import pose_of
from plethos.service.library.workbench import Workbench
from plethos.service.schemas.bind import Pick, VertexChoice
from plethos.service.schemas.tools import PaintSettings, Within
from plethos.service.schemas.want import MovingJoint, Want
from plethos.service.sculpts import session
from tests.cases import BenchCase
from tests.figures import tube_file
from tests.long_work import delivered, done
from tests.strokes import desk, paint, pick


class Case(BenchCase):
    called, brought = "Lock keeper", shipped("lock-keeper-half-done")

    def setUp(self):
        super().setUp()
        self.rest = self.opened.rest.copy()

    def again(self):
        """The character as another server would open it."""
        return Workbench(self.store).open(self.id)

    def at(self, opened, joint):
        skeleton = opened.character.skeleton
        return skeleton.rest_global[skeleton.find(joint), :3, 3]


class Laying(Case):
    def edit_everything(self):
        joint_edits.move(self.bench, self.id, "left_hand", self.at(self.opened, "left_hand") + [0.01, 0, 0], True)
        joint_edits.turn(self.bench, self.id, "left_forearm", [0, 25, 0], True)
        joint_edits.make(self.bench, self.id, "left_lantern", "left_hand", [0.7, 0.9, 0.1], True)
        joint_edits.rename(self.bench, self.id, "left_toes", "left_ball", True)
        joint_edits.hang(self.bench, self.id, "jaw", "neck", True)
        joint_edits.insert_twists(self.bench, self.id, "neck", 2, True)
        joint_edits.set_range(self.bench, self.id, "left_foot", "ankle", True)
        joint_edits.set_hinge(self.bench, self.id, "head", [1, 0, 0], -20, 30, True)
        joint_edits.delete(self.bench, self.id, "left_thumb_3", True)
        joint_edits.aim(self.bench, self.id, "left_clavicle", True)

    def test_every_edit_survives_a_restart_and_comes_back_to_nothing_by_undo(self):
        self.edit_everything()
        now, again = self.opened.character, self.again().character
        self.assertEqual(again.skeleton.names, now.skeleton.names)
        for name in ("right_lantern", "right_ball", "neck_twist_2"):
            self.assertIn(name, again.skeleton.names)
        for name in ("left_thumb_3", "right_thumb_3"):
            self.assertNotIn(name, again.skeleton.names)
        np.testing.assert_allclose(again.skeleton.rest_global, now.skeleton.rest_global, atol=1e-12)
        np.testing.assert_allclose(again.binding.joint_weights, now.binding.joint_weights, atol=1e-6)
        np.testing.assert_allclose(Evaluator.of(again).rest(), self.rest, atol=2e-6)
        # The remedies act in the frames that were turned: the same skin in the same pose.
        for clip_now, clip_again in zip(now.clips, again.clips, strict=True):
            poses = clip_now.pose_at(now.skeleton, 1.0), clip_again.pose_at(again.skeleton, 1.0)
            a, b = Evaluator.of(now).pose(poses[0]).points, Evaluator.of(again).pose(poses[1]).points
            np.testing.assert_allclose(a, b, atol=1e-5)
        while self.opened.revision.number:
            self.bench.step(self.id, -1)
        np.testing.assert_array_equal(
            self.opened.character.binding.joint_weights, self.opened.bare.binding.joint_weights
        )
        self.assertEqual(self.opened.character.skeleton.names, self.opened.bare.skeleton.names)
        while self.opened.revision.number < self.opened.revision.last:
            self.bench.step(self.id, 1)
        self.assertEqual(self.opened.character.skeleton.names, now.skeleton.names)
        np.testing.assert_allclose(self.opened.character.binding.joint_weights, now.binding.joint_weights, atol=1e-6)

    def test_a_joint_moved_in_a_pose_is_there_in_that_pose(self):
        held = {"joints": {"left_forearm": [0, 0, 0.5, 0.866], "left_upper_arm": [0.1, 0.2, 0.3, 0.9]}}
        pose = pose_of(self.opened.version, held)
        skeleton = self.opened.character.skeleton
        hand = skeleton.find("left_hand")
        wanted = skeleton.global_matrices(pose)[hand, :3, 3] + [0.0, 0.02, 0.01]
        joint_edits.move(self.bench, self.id, "left_hand", wanted, True, pose)
        now = self.opened.character.skeleton
        np.testing.assert_allclose(now.global_matrices(pose)[hand, :3, 3], wanted, atol=1e-9)
        np.testing.assert_allclose(self.at(self.opened, "right_hand"), self.at(self.opened, "left_hand") * [-1, 1, 1])

    def test_a_dragged_joint_shows_what_storing_it_will_and_stores_nothing(self):
        held = {"joints": {"left_forearm": [0, 0, 0.5, 0.866], "left_hand": [0.4, 0, 0, 0.9]}}
        pose, hand = pose_of(self.opened.version, held), self.opened.character.skeleton.find("left_hand")
        world = self.opened.character.skeleton.global_matrices(pose)
        at = tuple((world[hand, :3, 3] + [0.03, 0.01, 0.0]).tolist())
        before = self.frame(pose, Want(), {})
        shown = self.frame(pose, Want(without=True, moving=MovingJoint(joint="left_hand", at=at)), {})
        self.assertNotEqual(shown, before)
        self.assertEqual(self.frame(pose, Want(), {}), before)
        joint_edits.move(self.bench, self.id, "left_hand", at, True, pose)
        stored = self.frame(pose, Want(without=True), {})
        arrays = [np.frombuffer(f[4 + int.from_bytes(f[:4], "little") :], "<f4") for f in (shown, stored)]
        np.testing.assert_allclose(arrays[0], arrays[1], atol=1e-6)

    def frame(self, pose, wanted, extra):
        at = desk(self.opened)
        return frame(at, at.version, pose, wanted, extra)

    def test_one_side_is_carried_over_to_the_other(self):
        # Far enough for the two hands to be no mirror images any more, and a frame turned on one side only.
        joint_edits.move(self.bench, self.id, "left_hand", self.at(self.opened, "left_hand") + [0.03, 0, 0], False)
        joint_edits.turn(self.bench, self.id, "left_shin", [0, 40, 10], False)
        joint_edits.make(self.bench, self.id, "left_buckle", "left_clavicle", [0.1, 1.4, 0.1], False)
        joint_edits.mirror_side(self.bench, self.id, from_left=True)
        for name in ("hand", "buckle"):
            left, right = self.at(self.opened, f"left_{name}"), self.at(self.opened, f"right_{name}")
            np.testing.assert_allclose(right, left * [-1, 1, 1], atol=1e-12)
        frames = self.opened.character.skeleton.rest_global[:, :3, :3]
        left, right = (frames[self.opened.character.skeleton.find(f"{s}_shin")] for s in ("left", "right"))
        np.testing.assert_allclose(right, np.diag([-1.0, 1, 1]) @ left @ np.diag([1.0, 1, -1]), atol=1e-9)

    def test_a_pose_of_before_an_edit_is_refused_and_never_read_beyond_its_end(self):
        before = pose_of(self.opened.version, {"joints": {}})
        joint_edits.insert_twists(self.bench, self.id, "neck", 4, True)
        with self.assertRaisesRegex(BadPoseError, "another skeleton"):
            self.frame(before, Want(), {})

    def test_frames_go_on_while_joints_are_edited(self):
        # Edits run in threads beside the live poses: each frame is wholly of one version.
        stop, faults = threading.Event(), []

        def pose_on() -> None:
            while not stop.is_set():
                try:
                    at = desk(self.opened)
                    version = at.version
                    pose = pose_of(version, {"joints": {"neck": [0, 0, 0.2, 0.98]}})
                    data = frame(at, version, pose, Want(measure=None), {})
                    if not np.isfinite(np.frombuffer(data[-4 * 7 * 60 :], "<f4")).all():
                        faults.append("not finite")
                except Exception as error:
                    faults.append(repr(error))

        thread = threading.Thread(target=pose_on)
        thread.start()
        for _ in range(3):
            joint_edits.insert_twists(self.bench, self.id, "neck", 3, True)
            self.bench.step(self.id, -1)
        stop.set()
        thread.join()
        self.assertEqual(faults, [])

    def test_a_corrective_whose_joint_was_moved_says_so_until_that_is_undone(self):
        def said(opened):
            return [CHANGED in r.notes for r in opened.character.rules.remedies]

        joint_edits.move(
            self.bench, self.id, "left_forearm", self.at(self.opened, "left_forearm") + [0, 0, 0.02], False
        )
        self.assertIn(True, said(self.opened))
        self.assertIn(False, said(self.opened))
        self.assertEqual(said(self.again()), said(self.opened))
        self.bench.step(self.id, -1)
        self.assertNotIn(True, said(self.opened))

    def test_nothing_is_edited_while_a_sculpt_is_in_progress(self):
        pose = pose_of(self.opened.version, {"joints": {"left_forearm": [0, 0, 0.5, 0.866]}})
        session.begin(self.bench, self.id, pose, None)
        with self.assertRaisesRegex(BadEditError, "sculpt is in progress"):
            joint_edits.delete(self.bench, self.id, "left_thumb_3", True)


class Picking(Case):
    def test_picks_are_stored_named_and_undone(self):
        region_edits.choose(self.bench, self.id, Pick(by="part", name="cap"), None, False)
        region_edits.reshape(self.bench, self.id, "grow", 0.05)
        region_edits.keep(self.bench, self.id, "head gear")
        region_edits.reshape(self.bench, self.id, "none", 0.05)
        again = self.again().character
        self.assertEqual([r.name for r in again.regions], ["head gear"])
        cap = again.mesh.part("cap").vertices
        self.assertEqual(int((again.region("head gear") > 0).sum()), cap[1] - cap[0])
        self.bench.step(self.id, -1)
        self.assertGreater(self.opened.character.region().sum(), 0)
        region_edits.forget(self.bench, self.id, "head gear")
        with self.assertRaisesRegex(BadEditError, "no region called"):
            self.opened.character.region("head gear")

    def test_a_stroke_picks_over_the_surface_and_on_both_sides(self):
        t, rest = self.opened.character.mesh.topology.triangles, self.opened.rest
        spot = int(np.argmin(np.linalg.norm(rest[t].mean(axis=1) - [0.11, 0.5, 0.07], axis=1)))
        touch = Dab(spot, tuple(rest[t[spot]].mean(axis=0).tolist()), 0.05, 1.0)
        pose = self.opened.character.skeleton.rest_pose()
        pick(self.bench, self.opened, pose, [touch], mirror=True)
        self.assertEqual(self.opened.revision.label, "Pick by stroke")
        picked = self.opened.character.region()
        sides = [picked[rest[:, 0] * s > 0].sum() for s in (1, -1)]
        self.assertGreater(sides[0], 10)
        self.assertEqual(sides[0], sides[1])
        pick(self.bench, self.opened, pose, [touch], take=True)
        self.assertLess(self.opened.character.region().sum(), picked.sum())

    def test_a_region_locks_brushes_out_and_holds_them_in(self):
        skeleton = self.opened.character.skeleton
        region_edits.choose(self.bench, self.id, Pick(by="joint", name="left_shin", least=0.3), None, False)
        inside = self.opened.character.region() > 0
        t, rest = self.opened.character.mesh.topology.triangles, self.opened.rest
        knee = self.at(self.opened, "left_shin")
        spot = int(np.argmin(np.linalg.norm(rest[t].mean(axis=1) - knee - [0, 0, 0.07], axis=1)))
        touch = Dab(spot, tuple(rest[t[spot]].mean(axis=0).tolist()), 0.2, 1.0)
        for outside in (False, True):
            before = self.opened.character.binding.joint_weights.copy()
            within = Within(region=PICKED, outside=outside)
            rest_pose = skeleton.rest_pose()
            paint(self.bench, self.opened, rest_pose, [touch], "left_thigh", "add", 1.0, 0.3, within=within)
            changed = np.abs(self.opened.character.binding.joint_weights - before).max(axis=1) > 1e-5
            self.assertGreater(changed.sum(), 5)
            self.assertFalse((changed & (inside == outside)).any())
        with self.assertRaisesRegex(BadEditError, "holds no vertex|no region called"):
            Within(region="", outside=False).shares(self.opened.bare)

    def test_fills_gives_and_copies_reach_what_is_picked_and_no_more(self):
        region_edits.choose(self.bench, self.id, Pick(by="part", name="waistcoat"), None, False)
        own = self.opened.character.region() > 0
        for change in (
            lambda: weight_edits.fill(
                self.bench,
                self.id,
                VertexChoice(region=""),
                PaintSettings(mode="replace", joint="chest", value=0.8, strength=1.0, mirror=True),
            ),
            lambda: weight_edits.give(self.bench, self.id, VertexChoice(region=""), "spine_2"),
            lambda: weight_edits.copy_part(self.bench, self.id, "body", VertexChoice(region="")),
            lambda: weight_edits.copy_vertex(self.bench, self.id, 0, VertexChoice(region="")),
            lambda: done(self.bench, "automatic", self.id, region=""),
        ):
            before = self.opened.character.binding.joint_weights.copy()
            change()
            changed = np.abs(self.opened.character.binding.joint_weights - before).max(axis=1) > 1e-4
            self.assertTrue(changed.any())
            self.assertFalse((changed & ~own).any())

    def test_kept_regions_go_out_with_a_delivery_and_come_in_again(self):
        region_edits.choose(self.bench, self.id, Pick(by="part", name="waistcoat"), None, False)
        region_edits.keep(self.bench, self.id, "waistcoat alone")
        size = int((self.opened.character.region("waistcoat alone") > 0).sum())
        fresh = self.bench.bring_in("Back.glb", delivered(self.bench, self.id).data)
        for opened in (self.bench.open(fresh), Workbench(self.store).open(fresh)):
            self.assertEqual([r.name for r in opened.character.regions], ["waistcoat alone"])
            self.assertEqual(len(opened.character.regions[0].vertices), size)

    def test_a_delivery_holds_four_joints_a_vertex_unless_more_are_asked_for(self):
        character = self.opened.character
        dense = character.binding.joint_weights.astype(float)
        dense[:40] = 0
        dense[:40, 5:12] = np.random.default_rng(5).dirichlet(np.ones(7), 40)
        self.bench.edit(self.id, "Many", lambda c: weight_edits.with_joint_weights(c, dense))
        for influences in (4, 8):
            back = read_character(parse(delivered(self.bench, self.id, influences=influences).data), "Back")
            used = int((back.binding.joint_weights > 1e-6).sum(axis=1).max())
            self.assertEqual(used, min(influences, 7))
        kinds = {f["kind"] for f in weight_edits.findings(self.opened)}
        self.assertIn("over_limit", kinds)
        weight_edits.mend(self.bench, self.id, "over_limit")
        self.assertNotIn("over_limit", {f["kind"] for f in weight_edits.findings(self.opened)})

    def test_weights_that_did_not_sum_to_one_in_the_file_are_told(self):
        tube = self.bench.bring_in("Tube", tube_file(weight_sum=0.5).pack())
        (found,) = [f for f in weight_edits.findings(self.bench.open(tube)) if f["kind"] == "unnormalised"]
        self.assertAlmostEqual(found["worst"], 0.5, places=2)
