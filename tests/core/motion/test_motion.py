"""Motion files, and what they make of a character's joints."""

import json
import tempfile
import unittest
from dataclasses import replace

import bvhio
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from plethos.core.errors import BadFileError
from plethos.core.formats import document as codec
from plethos.core.formats.bvh import read_bvh
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.gltf_write import write_glb
from plethos.core.formats.rules import InlineArrays
from plethos.core.joints import edit
from plethos.core.motion.likeness import guessed_mapping, meant
from plethos.core.motion.motion import Motion
from plethos.core.motion.retarget import clip_of
from plethos.core.skeleton.kept_poses import KeptPose, mirrored_pose
from plethos.core.skeleton.pose_files import pose_from_document
from plethos.demo.catalogue import open_demo
from plethos.store.blobs import pack_motion, unpack_motion
from tests.figures import tube
from tests.models import DATA

WALK = DATA / "walk_31_joints.bvh"
STICK = """HIERARCHY
ROOT Hips
{{
  OFFSET 0 0 0
  CHANNELS 6 Xposition Yposition Zposition {order}
  JOINT Chest
  {{
    OFFSET 0 5 0
    CHANNELS 3 {order}
    End Site
    {{
      OFFSET 0 5 1
    }}
  }}
}}
MOTION
Frames: {frames}
Frame Time: 0.04
{numbers}
"""


def stick(*rows, order="Zrotation Xrotation Yrotation", frames=None) -> bytes:
    numbers = "\n".join(" ".join(map(str, r)) for r in rows)
    return STICK.format(order=order, frames=len(rows) if frames is None else frames, numbers=numbers).encode()


def slide(*rows) -> bytes:
    """The same, its chest moved about as well."""
    return stick(*rows).replace(b"CHANNELS 3", b"CHANNELS 6 Xposition Yposition Zposition")


class Reading(unittest.TestCase):
    def test_joints_of_the_walk_are_where_bvhio_says(self):
        motion = read_bvh(WALK.read_bytes(), "Walk")
        self.assertEqual((len(motion), len(motion.joints)), (240, 31))
        self.assertAlmostEqual(motion.duration, 239 * 0.0333333, places=5)
        theirs = bvhio.readAsHierarchy(str(WALK))
        for frame in (0, 37, 120, 239):
            theirs.loadPose(frame)
            places = {j.Name: np.array(list(j.PositionWorld)) for j, _, _ in theirs.layout()}
            for s, name in enumerate(motion.joints):
                np.testing.assert_allclose(motion.world_places[frame, s], places[name], atol=1e-4)

    @settings(max_examples=30, deadline=None)
    @given(st.permutations("XYZ"), st.lists(st.floats(-360, 360), min_size=6, max_size=6))
    def test_rotations_are_made_in_the_order_of_the_channels(self, order, angles):
        words = " ".join(f"{a}rotation" for a in order)
        motion = read_bvh(stick([1, 2, 3, *angles], order=words), "Stick")
        one, two = (Rotation.from_euler("".join(order), part, degrees=True) for part in (angles[:3], angles[3:]))
        # SciPy's capital letters: about axes that turn along, in this order.
        np.testing.assert_allclose(motion.world_places[0, 1], one.apply([0, 5, 0]) + [1, 2, 3], atol=1e-5)
        off = Rotation.from_quat(motion.world[0, 1]) * (one * two).inv()
        self.assertLess(off.magnitude(), 1e-6)

    def test_joints_below_the_root_slide_as_bvhio_says(self):
        text = slide(*([1, 2, 3, 30 * k, 5, 0, 0.5 * k, 6, -1, 0, 20, 0] for k in range(3)))
        motion = read_bvh(text, "Stick")
        self.assertEqual((motion.sliding, motion.left_out), ((1,), ("Chest",)))
        with tempfile.NamedTemporaryFile(suffix=".bvh") as file:
            file.write(text)
            file.flush()
            theirs = bvhio.readAsHierarchy(file.name)
        for frame in range(3):
            theirs.loadPose(frame)
            places = [list(j.PositionWorld) for j, _, _ in theirs.layout()]
            np.testing.assert_allclose(motion.world_places[frame], places, atol=1e-5)
        self.assertEqual(motion.mapped({"Chest": "chest"}).left_out, ())
        # Keyed, but where it is anyway: no slide.
        still = read_bvh(slide([1, 2, 3, 30, 5, 0, 0, 5, 0, 0, 20, 0]), "Stick")
        self.assertEqual((still.sliding, still.slid), ((), None))

    def test_broken_files_are_refused_with_a_sentence(self):
        good = stick([0] * 9)
        for change, says in (
            (lambda b: b"", "does not begin"),
            (lambda b: b"\xff\xfe\x00", "not text"),
            (lambda b: b.replace(b"MOTION", b""), "cut short"),
            (lambda b: b.replace(b"Frames: 1", b"Frames: 2"), "promises 2 frames of 9 numbers and holds 9"),
            (lambda b: b + b" 7", "of 9 numbers and holds more"),
            (lambda b: b.replace(b"0.04", b"0"), "take no time"),
            (lambda b: b.replace(b"0.04", b"nan"), "take no time"),
            (lambda b: b.replace(b"0.04\n0", b"0.04\nx"), "no number"),
            (lambda b: b.replace(b"0.04\n0", b"0.04\n1e999"), "not finite"),
            (lambda b: b.replace(b"Zrotation Xrotation Yrotation", b"Zrotation Zrotation Yrotation"), "no channels"),
            (lambda b: b.replace(b"Xposition", b"Qposition"), "no channels"),
            (lambda b: b.replace(b"OFFSET 0 5 0", b"OFFSET 0 5"), "broken"),
            (lambda b: b.replace(b"OFFSET 0 5 0", b"OFFSET 0 inf 0"), "no sensible number"),
            (lambda b: b.replace(b"}\nMOTION", b"MOTION"), "not complete"),
            (lambda b: b.replace(b"JOINT Chest", b"WHATEVER Chest"), "none of its words"),
            (lambda b: b.replace(b"JOINT Chest", b"ROOT Chest"), "several skeletons"),
        ):
            with self.subTest(says=says), self.assertRaisesRegex(BadFileError, says):
                read_bvh(change(good), "Broken")

    def test_what_is_cut_anywhere_is_refused_and_never_crashes(self):
        whole = WALK.read_bytes()
        for cut in np.linspace(1, len(whole) - 40, 60).astype(int):
            with self.assertRaises(BadFileError):
                read_bvh(whole[:cut], "Cut")


class Names(unittest.TestCase):
    def test_what_joints_are_called_is_understood(self):
        for name, part, side in (
            ("LeftUpLeg", "thigh", "l"),
            ("r_forearm", "forearm", "r"),
            ("upperarm.L", "upper_arm", "l"),
            ("RThumb", "thumb", "r"),
            ("Hips", "pelvis", ""),
            ("left_shin", "shin", "l"),
            ("RightToeBase", "toes", "r"),
            ("LeftShoulder", "clavicle", "l"),
            ("Spine1", "spine", ""),
            ("calf_r", "shin", "r"),
        ):
            found = meant(name)
            self.assertEqual((found.part, found.side), (part, side), name)
        for name in ("left_thigh_twist_1", "LHipJoint", "HeadEnd", "xyz"):
            self.assertIsNone(meant(name))

    def test_chains_of_other_lengths_meet_at_both_ends(self):
        there, here = ["root", "spine_a", "spine_b", "spine_c"], ["hips", "spine_1", "chest"]
        found = guessed_mapping(there, [-1, 0, 1, 2], here, [-1, 0, 1])
        self.assertEqual(found, {"root": "hips", "spine_a": "spine_1", "spine_c": "chest"})
        found = guessed_mapping(["neck"], [-1], ["neck_1", "neck_2"], [-1, 0])
        self.assertEqual(found, {"neck": "neck_1"})
        found = guessed_mapping(
            ["spine_a", "spine_b"], [-1, 0], ["spine_1", "spine_2", "spine_3", "chest"], [-1, 0, 1, 2]
        )
        self.assertEqual(found, {"spine_a": "spine_1", "spine_b": "chest"})
        self.assertEqual(guessed_mapping(["box"], [-1], ["ball"], [-1]), {})


class Sliding(unittest.TestCase):
    @settings(max_examples=25, deadline=None)
    @given(st.integers(0, 2**31))
    def test_a_character_with_the_same_joints_goes_where_the_motion_goes(self, seed):
        draw = np.random.default_rng(seed)
        rows = [
            [0, 0, 0, *draw.uniform(-80, 80, 3), *draw.uniform(-3, 3, 3), *draw.uniform(-50, 50, 3)] for _ in range(4)
        ]
        motion = read_bvh(slide(*rows), "Stick").mapped({"Hips": "lower", "Chest": "upper"})
        skeleton = tube(root={"scale": [1.5, 1.5, 1.5]} if seed % 2 else None).skeleton
        here = skeleton.rest_global[:, :3, 3]
        scale = np.linalg.norm(here[2] - here[1]) / 5
        self.assertGreater(scale, 0.05)
        clip = clip_of(motion, skeleton)
        for frame in range(4):
            places = skeleton.global_matrices(clip.pose_at(skeleton, frame * 0.04))[:, :3, 3]
            wanted = scale * (motion.world_places[frame, 1] - motion.world_places[frame, 0])
            np.testing.assert_allclose(places[2] - places[1], wanted, atol=1e-5)

    def test_slides_are_stored_and_written_with_the_motion(self):
        motion = read_bvh(slide([0, 0, 0, 0, 0, 0, 1, 6, 0, 0, 0, 0], [0] * 9 + [1, 2, 3]), "Stick")
        arrays = InlineArrays(tube())
        again = Motion.from_document(json.loads(json.dumps(motion.to_document(arrays))), arrays)
        self.assertEqual(again.sliding, (1,))
        np.testing.assert_array_equal(again.slid, motion.slid)
        for own, back in zip(
            (motion.turned, motion.places, motion.slid),
            unpack_motion(pack_motion(motion.turned, motion.places, motion.slid)),
            strict=True,
        ):
            np.testing.assert_array_equal(own, back)


class OnTheKeeper(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.character = open_demo("lock-keeper-bare")[0]
        skeleton = cls.character.skeleton
        read = read_bvh(WALK.read_bytes(), "Walk")
        cls.motion = read.mapped(guessed_mapping(read.joints, read.parents, skeleton.names, skeleton.parents.tolist()))
        cls.clip = clip_of(cls.motion, skeleton)

    def places(self, frame: int):
        skeleton = self.character.skeleton
        pose = self.clip.pose_at(skeleton, frame * self.motion.frame_time)
        return skeleton.global_matrices(pose)[:, :3, 3]

    def test_limbs_point_where_the_motions_own_limbs_point(self):
        skeleton, motion = self.character.skeleton, self.motion
        limbs = (
            ("UpLeg", "Leg", "Foot"),
            ("thigh", "shin", "foot"),
            ("Arm", "ForeArm", "Hand"),
            ("upper_arm", "forearm", "hand"),
        )
        for frame in range(0, 240, 17):
            here, there = self.places(frame), motion.world_places[frame]
            for side in ("Left", "Right"):
                for theirs, ours in (limbs[:2], limbs[2:]):
                    for a, b in ((0, 1), (1, 2)):
                        i, j = (skeleton.find(f"{side.lower()}_{ours[k]}") for k in (a, b))
                        s, t = (motion.joints.index(side + theirs[k]) for k in (a, b))
                        one, two = here[j] - here[i], there[t] - there[s]
                        cosine = one @ two / np.linalg.norm(one) / np.linalg.norm(two)
                        self.assertGreater(cosine, 1 - 1e-5, (frame, side, ours[a]))

    def test_bones_keep_their_length_and_feet_come_down_to_where_they_stand_at_rest(self):
        skeleton = self.character.skeleton
        rest = skeleton.rest_global[:, :3, 3]
        lows = []
        for frame in range(0, 240, 5):
            here = self.places(frame)
            for j, p in enumerate(skeleton.parents.tolist()):
                if p >= 0:
                    self.assertAlmostEqual(
                        np.linalg.norm(here[j] - here[p]), np.linalg.norm(rest[j] - rest[p]), places=6
                    )
            lows.append(here[:, 1].min())
        self.assertAlmostEqual(min(lows), rest[:, 1].min(), delta=0.01)

    def test_turned_round_and_lying_down_it_is_the_same_motion(self):
        """A motion that faces any way, and a character with Z up, meet all the same."""
        motion, skeleton = self.motion, self.character.skeleton
        for degrees in (180, 70, -130):
            turn = Rotation.from_euler("Y", degrees, degrees=True)
            spun = replace(
                motion,
                offsets=turn.apply(motion.offsets),
                turned=(turn * Rotation.from_quat(motion.turned.reshape(-1, 4)) * turn.inv())
                .as_quat().reshape(motion.turned.shape).astype(np.float32),
                places=turn.apply(motion.places).astype(np.float32),
            )  # fmt: skip
            other = clip_of(spun, skeleton)
            for time in (0.0, 2.0, 5.0):
                one, two = (skeleton.global_matrices(c.pose_at(skeleton, time)) for c in (self.clip, other))
                np.testing.assert_allclose(one, two, atol=2e-5, err_msg=str(degrees))

    def test_the_end_of_a_chain_stands_as_what_it_hangs_on(self):
        """In the motion's own rest stance a hand goes on along its forearm as at rest; only its thumb is known."""
        still = np.tile(np.float32([0, 0, 0, 1]), (*self.motion.turned.shape[:2], 1))
        clip = clip_of(replace(self.motion, turned=still), self.character.skeleton)
        pose = clip.pose_at(self.character.skeleton, 0.0)
        for name in ("left_hand", "right_hand", "left_toes"):
            turned = pose.rotations[self.character.skeleton.find(name)]
            np.testing.assert_allclose(np.abs(turned), [0, 0, 0, 1], atol=1e-6)
        upper = pose.rotations[self.character.skeleton.find("left_upper_arm")]
        self.assertGreater(np.abs(upper[:3]).max(), 0.05)

    def test_joints_without_a_source_keep_to_what_they_hang_on(self):
        few = self.motion.mapped({"Hips": "pelvis", "LeftUpLeg": "left_thigh"})
        clip = clip_of(few, self.character.skeleton)
        keyed = {self.character.skeleton.names[t.target] for t in clip.tracks}
        self.assertEqual(keyed, {"pelvis", "left_thigh"})

    def test_it_is_a_clip_that_follows_edits_of_joints_and_comes_back_from_a_document(self):
        character = replace(self.character, motions=(self.motion,), poses=(KeptPose("Sit", {"joints": {}}),))
        self.assertEqual(character.all_clips[-1].name, "Walk")
        renamed = edit.renamed(character, character.skeleton.find("left_thigh"), "left_leg_top")
        self.assertEqual(renamed.motions[0].mapping["LeftUpLeg"], "left_leg_top")
        gone = edit.removed(character, [character.skeleton.find("left_toes")])
        self.assertNotIn("LeftToeBase", gone.motions[0].mapping)
        self.assertEqual(len(gone.motions[0].mapping), len(self.motion.mapping) - 1)
        arrays = InlineArrays(renamed)
        document = codec.to_document(renamed, None, arrays)
        back = codec.from_document(renamed, document, arrays)
        self.assertEqual(back.motions[0].mapping, renamed.motions[0].mapping)
        np.testing.assert_array_equal(back.motions[0].turned, self.motion.turned)
        self.assertEqual([p.name for p in back.poses], ["Sit"])
        document["motions"][0]["joints"][3]["parent"] = 9
        with self.assertRaisesRegex(BadFileError, "motion"):
            codec.from_document(renamed, document, arrays)

    def test_a_delivered_file_plays_it_as_a_plain_clip(self):
        """Read anew without our rules: the joints stand at its key times where the motion put them."""
        character, source = open_demo("lock-keeper-bare")
        moved = replace(character, motions=(self.motion,))
        document = parse(write_glb(moved, source))
        names = [a["name"] for a in document.document["animations"]]
        self.assertEqual(names, [c.name for c in moved.all_clips])
        again = read_character(document, "again")
        walk, wanted = again.clips[-1], moved.all_clips[-1]
        self.assertAlmostEqual(walk.duration, wanted.duration, places=4)
        for time in np.linspace(0, walk.duration, 9):
            one, other = (
                c.skeleton.global_matrices(k.pose_at(c.skeleton, time)) for c, k in ((again, walk), (moved, wanted))
            )
            np.testing.assert_allclose(one, other, atol=1e-5)

    def test_a_mirrored_pose_is_its_mirror_image_and_mirrored_again_it_is_itself(self):
        character = self.character
        skeleton = character.skeleton
        pose = {
            "joints": {
                "left_forearm": {"quaternion_xyzw": [0.1, 0.2, 0.3, 0.9273618]},
                "chest": {"quaternion_xyzw": [0.2, 0.1, -0.1, 0.9695360]},
            }
        }
        mirrored = mirrored_pose(pose, character.mirror, skeleton)
        self.assertEqual(set(mirrored["joints"]), {"right_forearm", "chest"})
        world, other = (skeleton.global_matrices(pose_from_document(skeleton, p))[:, :3, 3] for p in (pose, mirrored))
        pairs = character.joint_pairs
        np.testing.assert_allclose(other[pairs], world * [-1, 1, 1], atol=1e-6)
        dials = {**pose, "dials": {"left smile": 0.3, "right smile": 0.8, "left wink": 0.5, "Tired": 1.0}}
        wanted = {"right smile": 0.3, "left smile": 0.8, "left wink": 0.5, "Tired": 1.0}
        self.assertEqual(mirrored_pose(dials, character.mirror, skeleton)["dials"], wanted)
        again = mirrored_pose(mirrored, character.mirror, skeleton)
        for name, entry in pose["joints"].items():
            np.testing.assert_allclose(again["joints"][name]["quaternion_xyzw"], entry["quaternion_xyzw"], atol=1e-9)
