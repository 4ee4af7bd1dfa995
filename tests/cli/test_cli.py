"""`./plethos cli` as a pipeline calls it: files in, files and JSON out, exit code 0, or 2 with one sentence."""

import io
import json
import os
import subprocess
import sys
import tempfile
import unittest
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from unittest import mock

import numpy as np
import trimesh
from scipy.spatial.transform import Rotation

from plethos import cli
from plethos.core.evaluate import Evaluator
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_read import read_character
from plethos.core.measure.region import joint_region
from plethos.launch.front import ROOT
from tests.figures import tube, tube_file, tube_points

DATA = Path(__file__).parents[1] / "outside" / "data"
PIVOT = np.array([0, 0.5, 0])


def read_obj(path: Path) -> tuple[np.ndarray, list[str]]:
    """Vertices and group names of an OBJ, read by nothing of ours."""
    lines = path.read_text().splitlines()
    points = np.array([[float(c) for c in line.split()[1:4]] for line in lines if line.startswith("v ")])
    return points, [line.split(maxsplit=1)[1] for line in lines if line.startswith("o ")]


class CommandLine(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.tube = self.folder / "tube.glb"
        self.tube.write_bytes(tube_file().pack())

    def call(self, *arguments) -> tuple[int, str, str]:
        """Exit code, standard output, standard error."""
        out, err = io.StringIO(), io.StringIO()
        with (
            mock.patch("sys.argv", ["plethos cli", *map(str, arguments)]),
            redirect_stdout(out),
            redirect_stderr(err),
            self.assertRaises(SystemExit) as stop,
        ):
            cli.main()
        return stop.exception.code, out.getvalue(), err.getvalue()

    def answer(self, *arguments) -> dict:
        code, out, err = self.call(*arguments)
        self.assertEqual((code, err), (0, ""))
        return json.loads(out) if out else {}

    def pose(self, name: str = "pose.json", **euler) -> Path:
        path = self.folder / name
        path.write_text(json.dumps({"joints": {j: {"euler_xyz_deg": e} for j, e in euler.items()}}))
        return path

    def refused(self, *arguments) -> str:
        code, out, err = self.call(*arguments)
        self.assertEqual((code, out), (2, ""))
        self.assertEqual(len(err.strip().splitlines()), 1, err)
        self.assertNotIn("Traceback", err)
        return err


class Pose(CommandLine):
    def test_the_end_that_follows_one_joint_turns_as_scipy_turns_it(self):
        out = self.folder / "posed.obj"
        euler = [20, -35, 70]
        self.answer("pose", self.tube, "--pose", self.pose(upper=euler), "--out", out)
        posed, groups = read_obj(out)
        rest = tube_points()[0]
        self.assertEqual((posed.shape, groups), (rest.shape, ["tube"]))
        # Intrinsic X-Y-Z, as the issue of pose files fixes it: SciPy calls that "XYZ".
        turned = Rotation.from_euler("XYZ", euler, degrees=True).apply(rest - PIVOT) + PIVOT
        whole = rest[:, 1] > 0.7
        np.testing.assert_allclose(posed[whole], turned[whole], atol=1e-6)
        np.testing.assert_allclose(posed[rest[:, 1] < 0.3], rest[rest[:, 1] < 0.3], atol=1e-6)

    def test_a_quaternion_says_the_same_as_its_angles(self):
        euler, quaternion = self.folder / "a.obj", self.folder / "b.obj"
        self.answer("pose", self.tube, "--pose", self.pose(upper=[10, 20, 30]), "--out", euler)
        path = self.folder / "q.json"
        xyzw = Rotation.from_euler("XYZ", [10, 20, 30], degrees=True).as_quat().tolist()
        path.write_text(json.dumps({"joints": {"upper": {"quaternion_xyzw": xyzw}}}))
        self.answer("pose", self.tube, "--pose", path, "--out", quaternion)
        np.testing.assert_allclose(read_obj(euler)[0], read_obj(quaternion)[0], atol=1e-6)

    def test_order_and_number_are_the_files_own_where_a_seam_splits_vertices(self):
        split = self.folder / "split.glb"
        split.write_bytes(tube_file(seam=True).pack())
        out = self.folder / "split.obj"
        self.answer("pose", split, "--pose", self.pose(upper=[0, 0, 60]), "--out", out)
        posed, _ = read_obj(out)
        count = len(tube_points()[0])
        self.assertEqual(len(posed), count + 21)
        np.testing.assert_array_equal(posed[count:], posed[: 21 * 24 : 24])

    def test_a_gltf_finds_its_files_beside_it(self):
        out = self.folder / "fox.obj"
        self.answer("pose", DATA / "fox" / "Fox.gltf", "--pose", self.pose(), "--out", out)
        # The fixture's README: every triangle is split.
        self.assertEqual(len(read_obj(out)[0]) % 3, 0)

    def test_it_writes_into_what_is_no_file_through_links_and_to_standard_output(self):
        wanted = self.folder / "wanted.obj"
        self.answer("pose", self.tube, "--pose", self.pose(), "--out", wanted)
        call = [sys.executable, "-m", "plethos.cli", "pose", "-", "--pose", str(self.pose()), "--out"]
        for out in ("-", "/dev/stdout"):
            told = subprocess.run([*call, out], capture_output=True, input=self.tube.read_bytes())
            self.assertEqual((told.returncode, told.stdout), (0, wanted.read_bytes()), told.stderr)
        self.assertTrue(Path("/dev/stdout").is_symlink())
        pipe, link = self.folder / "pipe", self.folder / "link.obj"
        os.mkfifo(pipe)
        reader = subprocess.Popen(["cat", str(pipe)], stdout=subprocess.PIPE)
        self.answer("pose", self.tube, "--pose", self.pose(), "--out", pipe)
        self.assertEqual(reader.communicate()[0], wanted.read_bytes())
        self.assertTrue(pipe.is_fifo())
        link.symlink_to(self.folder / "behind.obj")
        (self.folder / "behind.obj").touch()
        self.answer("pose", self.tube, "--pose", self.pose(), "--out", link)
        self.assertTrue(link.is_symlink())
        self.assertEqual((self.folder / "behind.obj").read_bytes(), wanted.read_bytes())

    def test_a_name_that_promises_another_kind_of_file_is_refused(self):
        for call, name in (
            (("demo", "bargehand"), "x.glb"),
            (("demo", "lock-keeper-bare"), "x.svg"),
            (("pose", self.tube, "--pose", self.pose()), "x.glb"),
        ):
            out = self.folder / name
            self.assertIn("call it x.", self.refused(*call, "--out", out))
            self.assertFalse(out.exists())

    def test_digits_are_enough_to_come_back(self):
        out = self.folder / "posed.obj"
        self.answer("pose", self.tube, "--pose", self.pose(upper=[1, 2, 3]), "--out", out)
        character = tube()
        pose = character.skeleton.rest_pose()
        pose.rotations[character.skeleton.find("upper")] = Rotation.from_euler("XYZ", [1, 2, 3], degrees=True).as_quat()
        np.testing.assert_allclose(read_obj(out)[0], Evaluator.of(character).pose(pose).points, atol=3e-7)

    def test_a_wrong_call_is_one_sentence_and_writes_nothing(self):
        out = self.folder / "none.obj"
        good = self.pose(upper=[0, 0, 1])
        self.assertIn(
            "knee", self.refused("pose", self.tube, "--pose", self.pose("k.json", knee=[0, 0, 0]), "--out", out)
        )
        self.assertIn("missing.glb", self.refused("pose", self.folder / "missing.glb", "--pose", good, "--out", out))
        self.refused("pose", self.tube, "--out", out)
        self.refused("pose", self.tube, "--pose", good, "--out", self.folder / "no" / "such" / "folder.obj")
        cut = self.folder / "cut.glb"
        cut.write_bytes(self.tube.read_bytes()[:500])
        self.assertIn("cut off", self.refused("pose", cut, "--pose", good, "--out", out))
        self.assertFalse(out.exists())


class Sculpted(CommandLine):
    def setUp(self):
        super().setUp()
        self.held = self.pose(upper=[0, 0, 90])
        self.sculpt = self.folder / "sculpt.obj"
        self.answer("pose", self.tube, "--pose", self.held, "--out", self.sculpt)
        lines = self.sculpt.read_text().splitlines()
        self.wanted = read_obj(self.sculpt)[0]
        near = np.abs(tube_points()[0][:, 1] - 0.5) < 0.08
        self.wanted[near] += [0.004, 0.01, -0.003]
        vertices = iter(self.wanted)
        moved = [
            "v " + " ".join(f"{c:.9g}" for c in next(vertices)) if line.startswith("v ") else line for line in lines
        ]
        self.sculpt.write_text("\n".join(moved) + "\n")
        self.near = int(near.sum())

    def correct(self) -> tuple[dict, Path]:
        out = self.folder / "mended.glb"
        told = self.answer(
            "correct", self.tube, "--pose", self.held, "--sculpt", self.sculpt, "--name", "Bend", "--out", out
        )
        return told, out


class Correct(Sculpted):
    def test_the_corrective_comes_back_at_its_pose_and_is_silent_at_rest(self):
        told, out = self.correct()
        self.assertEqual((told["joint"], told["axis"], told["moved_vertices"]), ("upper", [0, 0, 1], self.near))
        self.assertAlmostEqual(told["start_deg"], 0)
        self.assertAlmostEqual(told["end_deg"], 90)
        self.assertLess(told["round_trip_error"], 1e-6)
        posed = self.folder / "again.obj"
        self.answer("pose", out, "--pose", self.held, "--out", posed)
        np.testing.assert_allclose(read_obj(posed)[0], self.wanted, atol=2e-6)
        self.answer("pose", out, "--pose", self.held, "--without", "--out", posed)
        self.assertGreater(np.abs(read_obj(posed)[0] - self.wanted).max(), 0.009)
        self.answer("pose", out, "--pose", self.pose("rest.json"), "--out", posed)
        np.testing.assert_allclose(read_obj(posed)[0], tube_points()[0], atol=1e-6)

    def test_inspect_shows_what_was_made(self):
        _, out = self.correct()
        told = self.answer("inspect", out)
        (remedy,) = told["remedies"]
        self.assertEqual((remedy["name"], remedy["trigger"]["joint"]), ("Bend", "upper"))
        self.assertEqual(told["joints"], [{"name": "lower", "parent": None}, {"name": "upper", "parent": "lower"}])
        self.assertEqual(self.answer("inspect", self.tube)["remedies"], [])

    def test_a_sculpt_of_another_mesh_or_of_nothing_is_refused(self):
        out = self.folder / "no.glb"
        call = ("correct", self.tube, "--pose", self.held, "--name", "Bend", "--out", out, "--sculpt")
        short = self.folder / "short.obj"
        short.write_text("\n".join(self.sculpt.read_text().splitlines()[:20]))
        self.refused(*call, short)
        same = self.folder / "same.obj"
        self.answer("pose", self.tube, "--pose", self.held, "--out", same)
        self.assertIn("move something", self.refused(*call, same))
        broken = self.folder / "nan.obj"
        broken.write_text(self.sculpt.read_text().replace("v ", "v nan ", 1))
        self.refused(*call, broken)
        self.assertFalse(out.exists())


class Subtract(Sculpted):
    """Worked case: with two correctives and a dial on, only the correction itself remains of an OBJ."""

    def rules(self, source: Path, change) -> Path:
        """A copy of a file with its rules changed."""
        plain, out = self.folder / "rules.json", self.folder / f"{source.stem}-set.glb"
        self.answer("rules", source, "--out", plain)
        document = json.loads(plain.read_text())
        change(document)
        plain.write_text(json.dumps(document))
        self.answer("rules", source, "--set", plain, "--out", out)
        return out

    def test_only_the_correction_remains(self):
        _, first = self.correct()

        def more(document):
            target = json.loads(json.dumps(document["remedies"][0]["targets"][0]))
            target["shape"]["deltas"] = [[0.02, 0.01, 0.0] for _ in target["shape"]["deltas"]]
            document["dials"] = [{"id": "d", "name": "Full", "low": 0, "high": 1, "start": 0}]
            document["triggers"].append({
                "kind": "dial", "id": "full", "name": "", "reads": "d",
                "knots": [{"input": 0, "value": 0}, {"input": 1, "value": 1}],
            })  # fmt: skip
            document["remedies"].append({
                **document["remedies"][0], "id": "other", "name": "Other", "by": "full",
                "targets": [{**target, "name": "Other"}],
            })  # fmt: skip

        both = self.rules(first, more)
        pose = self.folder / "both.json"
        pose.write_text(json.dumps({"joints": {"upper": {"euler_xyz_deg": [0, 0, 60]}}, "dials": {"Full": 0.7}}))
        sent, back, out = (self.folder / n for n in ("sent.obj", "back.obj", "delta.obj"))
        self.answer("pose", both, "--pose", pose, "--out", sent)
        points, _ = read_obj(sent)
        without = self.folder / "without.obj"
        self.answer("pose", both, "--pose", pose, "--without", "--out", without)
        self.assertGreater(np.abs(read_obj(without)[0] - points).max(), 0.01)
        moved = points.copy()
        moved[300:305] += [0.0, 0.003, 0.004]
        vertices = iter(moved.tolist())
        lines = sent.read_text().splitlines()
        back.write_text(
            "\n".join("v " + " ".join(map(repr, next(vertices))) if n.startswith("v ") else n for n in lines)
        )
        told = self.answer("subtract", both, "--pose", pose, "--sculpt", back, "--out", out)
        self.assertEqual(told["moved_vertices"], 5)
        rest = tube_points()[0]
        offsets = read_obj(out)[0] - rest
        # Only what was sculpted moves, and turned back by the weighted bend it is as long as it was.
        np.testing.assert_allclose(np.delete(offsets, range(300, 305), axis=0), 0, atol=1e-5)
        upper = np.clip((rest[300:305, 1] - 0.5) / 0.25 + 0.5, 0, 1)[:, None]
        cosine, sine = np.cos(np.pi / 3), np.sin(np.pi / 3)
        turn = np.array([[cosine, -sine, 0], [sine, cosine, 0], [0, 0, 1]])
        linear = (1 - upper) * offsets[300:305] + upper * (offsets[300:305] @ turn.T)
        np.testing.assert_allclose(linear, [[0.0, 0.003, 0.004]] * 5, atol=1e-5)
        self.assertIn("move something", self.refused("subtract", both, "--pose", pose, "--sculpt", sent, "--out", out))

    def test_an_in_between_is_made_of_a_corrective_that_is_there(self):
        _, out = self.correct()
        half = self.pose("half.json", upper=[0, 0, 45])
        posed, more = self.folder / "posed.obj", self.folder / "between.glb"
        sculpt, wanted = self.sculpted(out, half)
        call = ("correct", out, "--pose", half, "--sculpt", sculpt, "--name", "x", "--of", "Bend", "--out", more)
        told = self.answer(*call)
        self.assertAlmostEqual(told["at"], 0.25, places=5)  # half way, where the late response is a quarter on
        self.assertEqual(len(told["targets"]), 2)
        self.answer("pose", more, "--pose", half, "--out", posed)
        np.testing.assert_allclose(read_obj(posed)[0], wanted, atol=3e-6)
        self.answer("pose", more, "--pose", self.held, "--out", posed)
        np.testing.assert_allclose(read_obj(posed)[0], self.wanted, atol=3e-6)
        self.assertAlmostEqual(self.answer(*call, "--at", 0.4)["at"], 0.4)
        self.assertIn("would be at 1", self.refused(*call, "--at", 1))
        self.assertIn("no corrective called", self.refused(*call[:-3], "Nobody", "--out", more))
        # An activation is what it is before the amount.
        told, weaker = self.folder / "rules.json", self.folder / "weaker.glb"
        self.answer("rules", out, "--out", told)
        rules = json.loads(told.read_text())
        rules["remedies"][0]["amount"] = 0.6
        told.write_text(json.dumps(rules))
        self.answer("rules", out, "--set", told, "--out", weaker)
        self.assertAlmostEqual(self.answer(call[0], weaker, *call[2:])["at"], 0.25, places=5)

    def test_in_a_pose_beyond_it_is_led_on_to_there(self):
        _, out = self.correct()
        far, posed, more = self.pose("far.json", upper=[0, 0, 120]), self.folder / "posed.obj", self.folder / "far.glb"
        sculpt, wanted = self.sculpted(out, far)
        told = self.answer(
            "correct", out, "--pose", far, "--sculpt", sculpt, "--name", "x", "--of", "Bend", "--out", more
        )  # fmt: skip
        self.assertEqual((told["at"], told["targets"]), (1.0, [0.75, 1.0]))
        for pose, points in ((far, wanted), (self.held, self.wanted)):
            self.answer("pose", more, "--pose", pose, "--out", posed)
            np.testing.assert_allclose(read_obj(posed)[0], points, atol=3e-6)

    def sculpted(self, source, pose):
        """What a character is in a pose, some of it moved: the file, and where its points are."""
        posed, sculpt = self.folder / "posed.obj", self.folder / "sculpt.obj"
        self.answer("pose", source, "--pose", pose, "--out", posed)
        wanted = read_obj(posed)[0]
        wanted[260:300] += [0.005, 0.0, 0.002]
        vertices = iter(wanted.tolist())
        sculpt.write_text(
            "\n".join(
                "v " + " ".join(map(repr, next(vertices))) if n.startswith("v ") else n
                for n in posed.read_text().splitlines()
            )
        )
        return sculpt, wanted


class Inspect(CommandLine):
    def test_the_fixtures_are_told_as_their_readme_says(self):
        hand = self.answer("inspect", DATA / "hand_r.glb")
        self.assertEqual(sum(p["vertices"] for p in hand["parts"]), 1360)
        self.assertEqual(len(hand["joints"]), 25)
        self.assertTrue(all(j["parent"] is None for j in hand["joints"]))
        fox = self.answer("inspect", DATA / "fox" / "Fox.gltf")
        self.assertEqual((len(fox["joints"]), len(fox["clips"])), (24, 3))
        cube = self.answer("inspect", DATA / "morphcube" / "AnimatedMorphCube.gltf")
        self.assertEqual(len(cube["shapes"]), 2)

    def test_what_was_repaired_is_told(self):
        heavy = self.folder / "heavy.glb"
        heavy.write_bytes(tube_file(weight_sum=0.8).pack())
        told = self.answer("inspect", heavy)
        self.assertIn(str(len(tube_points()[0])), " ".join(told["repairs"]))
        self.assertEqual(self.answer("inspect", self.tube)["repairs"], [])


class Measure(CommandLine):
    def measure(self, source: Path, axis: str, start: float, end: float, steps: int, *more: str) -> list[dict]:
        call = ("measure", source, "--joint", "upper", "--axis", axis, "--from", start, "--to", end, "--steps", steps)
        return self.answer(*call, *more)["steps"]

    def test_a_twist_pinches_by_the_closed_form(self):
        # Closed form: where both joints share half and half, a twist of t scales the section by cos(t / 2). Between
        # the rings of the mesh the straight edges cut in a little further.
        for row in self.measure(self.tube, "y", 0, 150, 6):
            wanted = 100 * np.cos(np.radians(row["angle_deg"]) / 2) ** 2
            self.assertLess(row["least_girth_percent"], wanted + 0.01)
            self.assertGreater(row["least_girth_percent"], wanted - 2)

    def test_the_volume_is_what_trimesh_finds_of_the_posed_file(self):
        character = tube()
        rest = Evaluator.of(character).rest()
        region = joint_region(character, character.skeleton.find("upper"), rest)
        faces, size = [region.triangles], len(region.vertices)
        for k, loop in enumerate(region.loops):
            faces.append(np.stack([np.roll(loop, -1), loop, np.full(len(loop), size + k)], axis=1))

        def volume(points: np.ndarray) -> float:
            inside = points[region.vertices]
            capped = np.vstack([inside, *(inside[loop].mean(axis=0) for loop in region.loops)])
            mesh = trimesh.Trimesh(capped, np.vstack(faces), process=False)
            self.assertTrue(mesh.is_watertight)
            return float(mesh.volume)

        for axis, angle, euler in (("y", 120, [0, 120, 0]), ("z", 80, [0, 0, 80]), ("1,0,0", -60, [-60, 0, 0])):
            out = self.folder / "posed.obj"
            self.answer("pose", self.tube, "--pose", self.pose(upper=euler), "--out", out)
            (row,) = self.measure(self.tube, axis, angle, angle, 1)
            wanted = 100 * volume(read_obj(out)[0]) / volume(rest)
            self.assertLess(wanted, 97)
            self.assertAlmostEqual(row["volume_percent"], wanted, places=2)

    def test_contacts_appear_in_the_fold_and_not_before(self):
        first, last = self.measure(self.tube, "z", 0, 170, 2)
        self.assertEqual(first["self_intersecting_triangles"], 0)
        self.assertGreater(last["self_intersecting_triangles"], 10)

    def test_wrong_calls(self):
        call = ["measure", self.tube, "--joint", "upper", "--axis", "y", "--from", 0, "--to", 90, "--steps", 3]
        for at, value in ((3, "knee"), (5, "w"), (5, "0,0,0"), (7, "inf"), (11, 0)):
            self.refused(*call[:at], value, *call[at + 1 :])


class Bind(CommandLine):
    def test_a_character_is_bound_anew_and_bends_where_its_joint_is(self):
        out = self.folder / "bound.glb"
        told = self.answer("bind", self.tube, "--out", out)
        self.assertEqual((told["joints"], told["influences"]), (["lower", "upper"], 2))
        self.assertEqual(self.answer("weights", out, "--check"), [])
        posed = self.folder / "posed.obj"
        self.answer("pose", out, "--pose", self.pose(upper=[0, 0, 90]), "--out", posed)
        rest, points = tube_points()[0], read_obj(posed)[0]
        turned = Rotation.from_euler("Z", 90, degrees=True).apply(rest - PIVOT) + PIVOT
        np.testing.assert_allclose(points[rest[:, 1] > 0.9], turned[rest[:, 1] > 0.9], atol=0.004)

    def test_weights_are_checked(self):
        heavy = self.folder / "heavy.glb"
        heavy.write_bytes(tube_file(weight_sum=0.8).pack())
        found = {f["kind"]: f for f in self.answer("weights", heavy, "--check")}
        self.assertEqual((found["unnormalised"]["vertices"], found["unnormalised"]["worst"]), (506, 0.8))
        self.assertEqual(len(found), 1)

    def test_weights_go_out_and_come_back(self):
        table, out = self.folder / "weights.json", self.folder / "back.glb"
        self.answer("weights", self.tube, "--out", table)
        self.answer("bind", self.tube, "--out", out)
        self.answer("weights", out, "--take", table, "--out", out)
        one, other = (read_character(parse(p.read_bytes()), "x").binding.joint_weights for p in (self.tube, out))
        np.testing.assert_allclose(one, other, atol=1e-5)

    def test_wrong_calls(self):
        out = self.folder / "no.glb"
        self.assertIn("knee", self.refused("bind", self.tube, "--out", out, "--joints", "knee"))
        self.refused("bind", self.tube, "--out", out, "--influences", "9")
        self.refused("weights", self.tube)
        self.assertFalse(out.exists())


class Demo(CommandLine):
    def test_they_are_listed_and_written_whole(self):
        listed = self.answer("demo")
        self.assertIn("ferry-cook", [d["name"] for d in listed])
        out = self.folder / "cook.glb"
        self.answer("demo", "ferry-cook", "--out", out)
        told = self.answer("inspect", out)
        self.assertIn("blouse", [p["name"] for p in told["parts"]])
        self.assertEqual(len(told["clips"]), 8)
        keeper = self.folder / "keeper.glb"
        self.answer("demo", "lock-keeper", "--out", keeper)
        self.assertEqual(len(self.answer("inspect", keeper)["remedies"]), 34)

    def test_wrong_calls(self):
        self.assertIn("lock-diver", self.refused("demo", "harbour-master", "--out", self.folder / "x.glb"))
        self.refused("demo", "ferry-cook")


class Script(CommandLine):
    def test_the_script_itself_runs_a_command(self):
        done = subprocess.run([ROOT / "plethos", "cli", "inspect", self.tube], capture_output=True, text=True)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertEqual(json.loads(done.stdout)["name"], "tube")
        done = subprocess.run([ROOT / "plethos", "cli", "inspect", "nothing.glb"], capture_output=True, text=True)
        self.assertEqual((done.returncode, done.stdout), (2, ""))

    def test_an_unknown_command_of_the_script_is_told(self):
        done = subprocess.run([ROOT / "plethos", "dance"], capture_output=True, text=True)
        self.assertEqual(done.returncode, 1)
        self.assertIn("dance", done.stderr)


class SameAsTheLibrary(CommandLine):
    def test_a_written_file_reads_as_the_character_that_was_written(self):
        character = read_character(parse(self.tube.read_bytes()), "tube")
        told = self.answer("inspect", self.tube)
        self.assertEqual(told["parts"][0]["vertices"], len(character.mesh.file_to_vertex))
        self.assertEqual(told["influences_used"], 2)
