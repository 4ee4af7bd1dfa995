"""Motion brought onto a character and mended; poses kept, replaced, mirrored; stored, undone, delivered."""

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_read import read_character
from plethos.demo.catalogue import shipped
from plethos.service.desk.bend_strip import clip_curves
from plethos.service.edits import motion_edits
from plethos.service.library.poses import pose_of
from plethos.service.library.workbench import Workbench
from tests.cases import BenchCase
from tests.core.motion.test_motion import WALK, stick
from tests.long_work import delivered


class OnTheKeeper(BenchCase):
    called, brought, walk = "Keeper", shipped("lock-keeper-bare"), WALK.read_bytes()

    @property
    def character(self):
        return self.bench.open(self.id).character

    def clip_pose(self, time=3.0, name="walk_31_joints"):
        return pose_of(self.bench.open(self.id).version, {"clip": {"name": name, "time": time}})

    def test_it_is_a_clip_that_is_stored_mapped_undone_and_deleted(self):
        version = motion_edits.bring_motion(self.bench, self.id, "folder/walk_31_joints.bvh", self.walk)
        self.assertEqual([m.name for m in version.character.motions], ["walk_31_joints"])
        first = self.clip_pose()
        again = Workbench(self.store).open(self.id).version
        np.testing.assert_array_equal(
            pose_of(again, {"clip": {"name": "walk_31_joints", "time": 3.0}}).rotations, first.rotations
        )
        # The left forearm takes on the right one's motion: the one that had it lets go.
        motion_edits.map_motion(self.bench, self.id, "walk_31_joints", {"RightForeArm": "left_forearm"})
        mapping = self.character.motions[0].mapping
        self.assertEqual(mapping["RightForeArm"], "left_forearm")
        self.assertNotIn("LeftForeArm", mapping)
        left = self.character.skeleton.find("left_forearm")
        self.assertGreater(np.abs(self.clip_pose().rotations[left] - first.rotations[left]).max(), 1e-3)
        self.bench.step(self.id, -1)
        np.testing.assert_array_equal(self.clip_pose().rotations, first.rotations)
        # The same file once more is another clip.
        motion_edits.bring_motion(self.bench, self.id, "walk_31_joints.bvh", self.walk)
        self.assertEqual([m.name for m in self.character.motions], ["walk_31_joints", "walk_31_joints_2"])
        motion_edits.delete_motion(self.bench, self.id, "walk_31_joints")
        self.assertEqual([c.name for c in self.character.all_clips][-1], "walk_31_joints_2")

    def test_the_worst_frame_is_where_an_exhaustive_search_finds_it(self):
        """Issue's worked case: every frame is posed on its own and measured, and the strip says the same."""
        motion_edits.bring_motion(self.bench, self.id, "walk.bvh", self.walk)
        version = self.bench.open(self.id).version
        character, frames = version.character, len(version.character.motions[0])
        joint = character.skeleton.find("left_shin")
        curve = [p["with"]["volume"] for p in clip_curves(version, "walk", "left_shin", frames)]
        measure = version.measures.bend(joint)
        inside, clip = measure.site.region.vertices, character.all_clips[-1]
        times = np.linspace(0, clip.duration, frames)
        searched = np.array([
            measure.of_points(version.evaluator.pose(clip.pose_at(character.skeleton, float(t))).points[inside]).volume
            for t in times
        ])  # fmt: skip
        np.testing.assert_allclose(curve, searched, atol=0.006)
        worst = int(np.abs(searched - 100).argmax())
        self.assertLess(abs(int(np.abs(np.array(curve) - 100).argmax()) - worst), 2)
        # The knee is bent most about there: the crouch before the jump.
        bend = [
            2 * np.arccos(min(1, abs(clip.pose_at(character.skeleton, float(t)).rotations[joint][3]))) for t in times
        ]
        self.assertGreater(bend[worst], 0.9 * max(bend))

    def test_what_cannot_be_is_refused_and_nothing_changes(self):
        with self.assertRaisesRegex(BadEditError, "no joint in common"):
            motion_edits.bring_motion(
                self.bench, self.id, "x.bvh", stick([0] * 9).replace(b"Hips", b"Box").replace(b"Chest", b"Lid")
            )
        motion_edits.bring_motion(self.bench, self.id, "walk.bvh", self.walk)
        for mapping, says in (
            ({"Nobody": "pelvis"}, "no joint called “Nobody”"),
            ({"Hips": "nobody"}, "nobody"),
            ({j: None for j in self.character.motions[0].joints}, "One joint has to"),
        ):
            with self.subTest(says=says), self.assertRaisesRegex(Exception, says):
                motion_edits.map_motion(self.bench, self.id, "walk", mapping)
        with self.assertRaisesRegex(BadEditError, "not there any more"):
            motion_edits.delete_motion(self.bench, self.id, "gone")
        self.assertEqual(self.bench.open(self.id).revision.number, 1)


class Poses(BenchCase):
    def test_a_pose_is_kept_replaced_under_its_name_delivered_and_forgotten(self):
        for degrees in (30, 60):
            pose = pose_of(self.bench.open(self.id).version, {"joints": {"upper": {"euler_xyz_deg": [0, 0, degrees]}}})
            version = motion_edits.keep_pose(self.bench, self.id, "  Bow ", pose)
        self.assertEqual([p.name for p in version.character.poses], ["Bow"])
        quaternion = version.character.poses[0].pose["joints"]["upper"]["quaternion_xyzw"]
        np.testing.assert_allclose(quaternion, [0, 0, np.sin(np.pi / 6), np.cos(np.pi / 6)], atol=1e-9)
        back = read_character(parse(delivered(self.bench, self.id).data), "Back")
        self.assertEqual([p.name for p in back.poses], ["Bow"])
        self.assertEqual(len(motion_edits.delete_pose(self.bench, self.id, "Bow").character.poses), 0)
        with self.assertRaisesRegex(BadEditError, "not there any more"):
            motion_edits.delete_pose(self.bench, self.id, "Bow")
        with self.assertRaisesRegex(BadEditError, "name"):
            motion_edits.keep_pose(self.bench, self.id, " \u0000 ", pose)
