"""`./plethos cli sweep`: where characters are worst, as JSON to the letter of docs/formats/sweep.md."""

import hashlib
import json

import numpy as np

from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_read import read_character
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.girth import STATIONS
from tests.cli.test_cli import CommandLine, read_obj
from tests.figures import pair_file, tube_file

SPOT = {
    "id", "kind", "joints", "at_joint", "axis", "direction", "turn", "range", "clip", "kept_pose", "time_s", "pose",
    "onset_deg", "worst_deg", "measure", "unit", "bare", "with_remedies", "badness", "part", "vertex", "at", "curve",
}  # fmt: skip


class Sweep(CommandLine):
    def setUp(self):
        super().setUp()
        self.tube.write_bytes(tube_file(rings=41).pack())
        self.out, self.samples = self.folder / "spots.json", self.folder / "samples.json"

    def swept(self, *more, code=0):
        self.assertEqual(self.call("sweep", self.tube, "--json", self.out, *more), (code, "", ""))
        return json.loads(self.out.read_text())

    def test_the_report_says_what_was_found_and_of_which_file(self):
        told = self.swept("--samples", self.samples)
        self.assertEqual(told["file_sha256"], hashlib.sha256(self.tube.read_bytes()).hexdigest())
        self.assertEqual((told["format"], told["poses"], told["bounds"]["volume_loss"]), (1, 20, [5, 40]))
        self.assertTrue(all(set(s) == SPOT for s in told["spots"]))
        spot = told["spots"][0]
        self.assertEqual(
            (spot["kind"], spot["joints"], spot["axis"], spot["range"]), ("joint", ["upper"], [0, 0, 1], "guessed")
        )
        self.assertEqual([abs(s["worst_deg"]) for s in told["spots"]], [99, 99])
        self.assertAlmostEqual(told["total"]["bare"], sum(s["badness"]["bare"] for s in told["spots"]), places=4)
        worst = max(
            (s["bare"][s["measure"]] - b) / (r - b) for s in told["spots"] for b, r in [told["bounds"][s["measure"]]]
        )
        self.assertAlmostEqual(spot["badness"]["bare"], min(100, 100 * worst), places=4)
        samples = json.loads(self.samples.read_text())
        self.assertEqual(len(samples), 20)
        self.reposed(samples[::7])

    def reposed(self, samples):
        """Each again by `cli pose`: its volume and girth are those that were told."""
        character = read_character(parse(self.tube.read_bytes()), "Tube")
        site = BendMeasure.of(character, character.skeleton.find("upper")).site
        self.assertLessEqual(len(site.slices), STATIONS)
        for sample in samples:
            pose, obj = self.folder / "p.json", self.folder / "p.obj"
            pose.write_text(json.dumps(sample["pose"]))
            self.answer("pose", self.tube, "--pose", pose, "--out", obj)
            points = read_obj(obj)[0][character.mesh.first_copies]
            measured, told = site.with_skin(points[site.vertices]), sample["bare"]["upper"]
            np.testing.assert_allclose(
                [100 - measured.volume, 100 - measured.girth, measured.stretch],
                [told["volume_loss"], told["girth_loss"], told["stretch"]], atol=1e-3,
            )  # fmt: skip

    def test_bounds_limits_and_steps_are_taken(self):
        bounds = self.folder / "b.json"
        bounds.write_text(json.dumps({"joints": {"upper": {"volume_loss": [5, 20], "girth_loss": [98, 99]}}}))
        told = self.swept("--bounds", bounds, "--step", 45, "--past", 0)
        self.assertEqual((told["poses"], told["joint_bounds"]["upper"]["volume_loss"]), (4, [5, 20]))
        self.assertEqual([abs(s["worst_deg"]) for s in told["spots"]], [90, 90])
        self.assertEqual(self.swept("--joints", "lower")["spots"], [])
        self.assertEqual(self.swept("--seconds", 0)["complete"], False)
        self.assertIn("no measure", self.wrong_bounds(bounds, {"weight": [1, 2]}))
        self.assertIn("“elbow”", self.wrong_bounds(bounds, {"joints": {"elbow": {}}}))

    def wrong_bounds(self, path, told):
        path.write_text(json.dumps(told))
        return self.refused("sweep", self.tube, "--json", self.out, "--bounds", path)

    def test_several_files_go_by_their_names_and_a_limit_fails_the_run(self):
        pair = self.folder / "pair.glb"
        pair.write_bytes(pair_file().pack())
        told = self.swept(pair)
        self.assertEqual(set(told), {self.tube.name, "pair.glb"})
        self.assertIn("clip", {s["kind"] for s in told["pair.glb"]["spots"]})
        self.assertNotIn("clip", {s["kind"] for s in self.swept(pair, "--clips", "none")["pair.glb"]["spots"]})
        # Guesses fail nobody's run; the clip does.
        self.swept("--fail-over", 1)
        self.swept(pair, "--fail-over", 1, code=1)

    def test_what_cannot_be_swept_is_one_sentence(self):
        self.assertIn("“nobody”", self.refused("sweep", self.tube, "--json", self.out, "--joints", "nobody"))
        self.assertIn("no clip called “walk”", self.refused("sweep", self.tube, "--json", self.out, "--clips", "walk"))
        self.assertFalse(self.out.exists())
