"""Files that nobody here made: shared fixtures, with sources and licences in data/LICENCES.md."""

import copy
import json
import math
import subprocess
import sys
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np

from plethos.core.evaluate import Evaluator, evaluate_exact
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.gltf_write import write_glb
from plethos.core.geometry import rotations
from plethos.core.joints import edit
from plethos.core.measure.travel import bent
from plethos.core.sculpt.solve import guess_trigger, solve_corrective
from plethos.core.weights.assign import with_joint_weights
from plethos.core.weights.bind import bound_automatically
from plethos.core.weights.edit import given_to
from plethos.demo.catalogue import DEMOS, FILES, open_demo
from plethos.launch.front import FRONT
from tests.figures import tied
from tests.models import DATA, load

VALIDATE = """
import fs from 'node:fs'; import validator from 'gltf-validator';
const out = {};
for (const f of process.argv.slice(1)) {
  const r = await validator.validateBytes(new Uint8Array(fs.readFileSync(f)), {maxIssues: 0});
  out[f] = {errors: r.issues.numErrors, warnings: r.issues.messages.filter(m => m.severity < 2).map(m => m.code)};
}
console.log(JSON.stringify(out));
"""


def vertices(path: str) -> np.ndarray:
    lines = Path(path).read_text().splitlines()
    return np.array([[float(c) for c in line.split()[1:]] for line in lines if line.startswith("v ")])


class Reading(unittest.TestCase):
    def test_the_hand(self):
        character, _ = load("hand_r.glb")
        self.assertEqual(len(character.mesh.file_to_vertex), 1360)
        self.assertEqual(int(character.skeleton.is_joint.sum()), 25)
        self.assertEqual(
            {p for p, j in zip(character.skeleton.joint_parents, character.skeleton.is_joint, strict=True) if j}, {-1}
        )

    def test_the_fox(self):
        character, _ = load("fox/Fox.gltf")
        self.assertEqual(int(character.skeleton.is_joint.sum()), 24)
        self.assertEqual([c.name for c in character.clips], ["Survey", "Walk", "Run"])
        self.assertEqual(len(character.mesh.file_to_vertex), 1728)
        # Every triangle comes split; joined up it is one closed skin of few pieces.
        self.assertLess(len(character.mesh.points), 400)
        rest = evaluate_exact(character, character.skeleton.rest_pose())
        self.assertAlmostEqual(float(np.ptp(rest, axis=0).max()), 155, delta=30)

    def test_the_morphing_cube(self):
        character, source = load("morphcube/AnimatedMorphCube.gltf")
        self.assertEqual(len(character.mesh.shapes), 2)
        clip = character.clips[0]
        # The key at one of the file's own times gives the file's own weights.
        track = clip.tracks[0]
        keyed = clip.pose_at(character.skeleton, float(track.times[40])).shape_weights
        np.testing.assert_allclose([keyed[0], keyed[1]], track.values[40], atol=1e-6)
        scale = source.document["nodes"][0]["scale"][0]
        rest = evaluate_exact(character, character.skeleton.rest_pose())
        low, high = (np.array(source.document["accessors"][2][k]) for k in ("min", "max"))
        np.testing.assert_allclose(np.ptp(rest, axis=0), (high - low) * scale, rtol=1e-5)

    def test_the_sparse_morph(self):
        character, _ = load("sparse_morph.glb")
        self.assertEqual([s.name for s in character.mesh.shapes], ["blendShape1.pCube2"])
        self.assertGreater(len(character.mesh.shapes[0].vertices), 0)


class Delivering(unittest.TestCase):
    def test_automatic_weights_go_with_those_that_others_have_given(self):
        # The hand's 25 joints are all siblings: only their frames tell where the bones go.
        hand, _ = load("hand_r.glb")
        ours, theirs = bound_automatically(hand, 4).binding.joint_weights, hand.binding.joint_weights
        self.assertGreater((ours.argmax(axis=1) == theirs.argmax(axis=1)).mean(), 0.8)
        fox, _ = load("fox/Fox.gltf")
        ours_of, theirs_of = bound_automatically(fox, 4).binding.joint_weights, fox.binding.joint_weights
        self.assertGreater((ours_of.argmax(axis=1) == theirs_of.argmax(axis=1)).mean(), 0.75)
        tips = [j for j, name in enumerate(hand.skeleton.names) if name.endswith("-tip")]
        self.assertEqual((len(tips), ours[:, tips].max(), theirs[:, tips].max()), (5, 0, 0))

    def test_the_khronos_validator_finds_no_error(self):
        with tempfile.TemporaryDirectory() as folder:
            paths = []
            for name, joint in (
                ("hand_r.glb", "index-finger-phalanx-proximal"),
                ("fox/Fox.gltf", "b_Neck_04"),
                ("", "left_shin"),
            ):
                character, source = load(name) if name else open_demo()
                j = character.skeleton.find(joint)
                pose = bent(character.skeleton.rest_pose(), j, (0, 0, 1), 1.0)
                sculpt = evaluate_exact(character, pose)
                near = character.binding.subtree_weights(character.skeleton, j) > 0.3
                sculpt[near] *= 1.01
                shape, _ = solve_corrective(Evaluator.of(character).pose(pose), sculpt, "Swollen")
                mended = character.with_remedy(*tied(shape, guess_trigger(character, pose, shape)))
                for bake in (None, character.clips[0].name) if character.clips else (None,):
                    path = Path(folder) / f"{character.name}-{bool(bake)}.glb"
                    path.write_bytes(write_glb(mended, source, bake))
                    paths.append(str(path))
            self.validate(paths)

    def test_the_khronos_validator_finds_no_error_after_joints_and_weights_were_edited(self):
        with tempfile.TemporaryDirectory() as folder:
            paths = []
            for name, joint, tip in (
                ("hand_r.glb", "index-finger-phalanx-proximal", "index-finger-phalanx-distal"),
                ("fox/Fox.gltf", "b_Neck_04", "b_Tail03_014"),
                ("morphcube/AnimatedMorphCube.gltf", "", ""),
                ("", "left_shin", "left_thumb_3"),
            ):
                character, source = load(name) if name else open_demo("lock-keeper-bare")
                if joint:
                    j = character.skeleton.find(joint)
                    changed = edit.turned(character, j, rotations.from_euler_xyz_deg([10, 20, 30]))
                    changed = edit.moved_joints(changed, {j: changed.skeleton.rest_global[j, :3, 3] * 1.01})
                    changed = edit.made(changed, "lantern", j, changed.skeleton.rest_global[j, :3, 3] * 1.05)
                    changed = edit.removed(changed, [changed.skeleton.find(tip)])
                else:
                    # A bare mesh: its first joint, and what is given to it.
                    changed = edit.made(character, "first", None, [0, 0, 0])
                first = changed.skeleton.find("lantern" if joint else "first")
                shares = np.zeros(len(changed.mesh))
                shares[: len(shares) if not joint else 20] = 1
                changed = with_joint_weights(changed, given_to(changed, shares, first))
                path = Path(folder) / f"{character.name or 'keeper'}.glb"
                path.write_bytes(write_glb(changed, source))
                paths.append(str(path))
                back = read_character(parse(path.read_bytes()), "Back")
                rest = [evaluate_exact(c, c.skeleton.rest_pose()) for c in (changed, back)]
                np.testing.assert_allclose(rest[1], rest[0], atol=1e-5 * np.ptp(rest[0]))
            self.validate(paths)

    def test_a_skeleton_laid_on_the_fox_without_its_skin(self):
        character, source = load("fox/Fox.gltf")
        document = copy.deepcopy(source.document)
        for node in document["nodes"]:
            node.pop("skin", None)
        for primitive in document["meshes"][0]["primitives"]:
            for key in ("JOINTS_0", "WEIGHTS_0"):
                del primitive["attributes"][key]
        del document["skins"]
        bare = read_character(replace(source, document=document), "Bare fox")
        self.assertFalse(bare.skeleton.is_joint.any())
        laid, at = bare, character.skeleton.rest_global[:, :3, 3]
        for j in np.flatnonzero(character.skeleton.is_joint):
            up = character.skeleton.joint_parents[j]
            name = character.skeleton.names[j] + "_laid"
            parent = laid.skeleton.find(character.skeleton.names[up] + "_laid") if up >= 0 else None
            laid = edit.made(laid, name, parent, at[j])
        bound = bound_automatically(laid, 4)
        # As the artist who rigged it had it, more or less: the heaviest joint is the same or its neighbour.
        ours, theirs = (c.binding.joint_weights.argmax(axis=1) for c in (bound, character))
        same = 0
        for mine, its in zip(ours.tolist(), theirs.tolist(), strict=False):
            j = character.skeleton.find(laid.skeleton.names[mine].removesuffix("_laid"))
            near = {its, character.skeleton.joint_parents[its], *character.skeleton.children(its)}
            same += j in near
        self.assertGreater(same / len(theirs), 0.85)

    def test_the_khronos_validator_finds_no_error_in_the_demo_files(self):
        self.validate([str(FILES / f"{name}.glb") for name in DEMOS])

    def validate(self, paths: list[str]) -> None:
        command = ["node", "--input-type=module", "-e", VALIDATE, *paths]
        done = subprocess.run(command, cwd=FRONT, capture_output=True, text=True, check=True)
        told = json.loads(done.stdout)
        self.assertEqual(len(told), len(paths))
        for path, found in told.items():
            self.assertEqual(found["errors"], 0, (path, set(found["warnings"])))


class CommandLine(unittest.TestCase):
    def run_cli(self, *arguments: str) -> subprocess.CompletedProcess:
        command = [sys.executable, "-m", "plethos.cli", *arguments]
        return subprocess.run(command, capture_output=True, text=True)

    def test_pose_correct_inspect_measure_on_the_fox(self):
        fox = str(DATA / "fox" / "Fox.gltf")
        with tempfile.TemporaryDirectory() as folder:
            pose, posed, sculpt, out, back = (
                str(Path(folder) / n) for n in ("p.json", "p.obj", "s.obj", "o.glb", "b.obj")
            )
            Path(pose).write_text('{"joints": {"b_Neck_04": {"euler_xyz_deg": [0, 0, 40]}}}')
            self.assertEqual(self.run_cli("pose", fox, "--pose", pose, "--out", posed).returncode, 0)
            lines = Path(posed).read_text().splitlines()
            raised = []
            for line in lines:
                if line.startswith("v "):
                    x, y, z = (float(c) for c in line.split()[1:])
                    line = f"v {x} {y + (2.0 if z > 30 else 0.0)} {z}"
                raised.append(line)
            Path(sculpt).write_text("\n".join(raised))
            done = self.run_cli("correct", fox, "--pose", pose, "--sculpt", sculpt, "--name", "Neck", "--out", out)
            told = json.loads(done.stdout)
            self.assertEqual(told["joint"], "b_Neck_04")
            self.assertAlmostEqual(told["end_deg"], 40, places=6)
            self.assertTrue(math.isclose(told["start_deg"], 0, abs_tol=1e-9))
            self.assertEqual(self.run_cli("pose", out, "--pose", pose, "--out", back).returncode, 0)
            np.testing.assert_allclose(vertices(back), vertices(sculpt), atol=1e-5)
            seen = json.loads(self.run_cli("inspect", out).stdout)
            self.assertEqual((len(seen["joints"]), seen["remedies"][0]["name"]), (24, "Neck"))
            rows = json.loads(
                self.run_cli(
                    "measure", out, "--joint", "b_Neck_04", "--axis", "z", "--from", "0", "--to", "40", "--steps", "3"
                ).stdout
            )["steps"]
            self.assertAlmostEqual(rows[0]["volume_percent"], 100, places=3)
