"""`./plethos cli` on drawings: laid, posed, corrected, measured, split, delivered; SVG in and out."""

import json
import math
import zipfile
from xml.etree import ElementTree

import numpy as np
import svgpathtools

from plethos.core.formats.svg_clean import SVG
from tests.cli.test_cli import CommandLine
from tests.drawings import ARM, bar, opened, svg


def points(path) -> np.ndarray:
    """The ends of all segments of the first path of an SVG, read by nothing of ours."""
    root = ElementTree.parse(path).getroot()
    d = next(e.get("d") for e in root.iter(f"{{{SVG}}}path"))
    parsed = svgpathtools.parse_path(d)
    return np.array([[s.start.real, s.start.imag] for s in parsed] + [[parsed[-1].end.real, parsed[-1].end.imag]])


def out_of(path, by: float):
    """A sculpt of a posed drawing: its first point moved to the right."""
    text = path.read_text()
    x, rest = text.split('d="M')[1].split(" ", 1)
    out = path.with_name("moved.svg")
    out.write_text(text.split('d="M')[0] + f'd="M{float(x) + by:.8g} ' + rest)
    return out


class Drawings(CommandLine):
    def setUp(self):
        super().setUp()
        self.bare = self.folder / "limb.svg"
        self.bare.write_bytes(svg(bar(points=6)))
        self.joints = self.folder / "joints.json"
        self.joints.write_text(json.dumps(ARM))
        self.laid = self.folder / "laid.svg"

    def lay(self, *more):
        return self.answer("lay", self.bare, "--joints", self.joints, "--out", self.laid, *more)

    def test_joints_are_laid_and_seen_again(self):
        self.assertEqual(self.lay(), {"joints": ["upper", "lower", "end"], "control_points": 24, "influences": 2})
        told = self.answer("inspect", self.laid)
        self.assertEqual([j["name"] for j in told["joints"]], ["upper", "lower", "end"])
        self.assertEqual(told["parts"][0]["control_points"], 24)
        self.assertEqual(told["parts"][0]["drawn"][0]["fill_rule"], "evenodd")
        # It is still the drawing that it was, for others too.
        np.testing.assert_allclose(points(self.laid), points(self.bare), atol=1e-4)

    def test_a_pose_turns_counter_clockwise_as_seen(self):
        self.lay("--rigid")
        out, where = self.folder / "posed.svg", self.folder / "joints_posed.json"
        self.answer("pose", self.laid, "--pose", self.pose(lower=[0, 0, 90]), "--out", out, "--joints", where)
        told = json.loads(where.read_text())
        # In user units, y down: what turns counter-clockwise goes up, to y below 0.
        np.testing.assert_allclose(told["end"]["place"], [100, -100, 0], atol=1e-6)
        np.testing.assert_allclose(told["lower"]["quaternion_xyzw"], [0, 0, math.sqrt(0.5), math.sqrt(0.5)], atol=1e-9)
        now, was = points(out), points(self.bare)
        moved = was[:, 0] > 100
        np.testing.assert_allclose(now[~moved], was[~moved], atol=1e-4)
        np.testing.assert_allclose(now[moved], [100, 0] + (was[moved] - [100, 0])[:, ::-1] * [1, -1], atol=1e-3)

    def test_measures_and_the_split_follow_the_closed_forms(self):
        self.lay("--rigid")
        steps = ("--joint", "lower", "--axis", "z", "--from", "0", "--to", "120", "--steps", "3")
        told = self.answer("measure", self.laid, *steps)["steps"]
        for step in told:
            self.assertAlmostEqual(step["open_fill"], opened(10, math.radians(step["angle_deg"])), delta=0.2)
            self.assertAlmostEqual(
                step["least_width_percent"], 100 * math.cos(math.radians(step["angle_deg"] / 2)), delta=0.1
            )
        split = self.folder / "split.svg"
        self.assertEqual(self.answer("split", self.laid, "--joint", "lower", "--out", split)["before"], 24)
        self.assertEqual([s["open_fill"] for s in self.answer("measure", split, *steps)["steps"]], [0, 0, 0])
        self.assertIn("nothing to be split", self.refused("split", self.laid, "--joint", "end", "--out", split))

    def test_a_sculpt_of_the_posed_drawing_becomes_a_corrective_and_an_in_between(self):
        self.lay()
        pose, half = self.pose(lower=[0, 0, 80]), self.pose("half.json", lower=[0, 0, 40])
        out, mended = self.folder / "posed.svg", self.folder / "mended.svg"
        self.answer("pose", self.laid, "--pose", pose, "--out", out)
        text = out.read_text()
        x, y = (float(v) for v in text.split('d="M')[1].split("L")[0].split())
        sculpted = self.folder / "sculpted.svg"
        sculpted.write_text(
            text.replace(f'd="M{x:.8g} {y:.8g}', f'd="M{x + 6:.8g} {y - 3:.8g}').replace(
                'stroke-width="1"', 'stroke-width="2.5"'
            )
        )
        told = self.answer(
            "correct", self.laid, "--pose", pose, "--sculpt", sculpted, "--name", "knee", "--out", mended
        )
        self.assertEqual((told["joint"], told["name"]), ("lower", "knee"))
        again = self.folder / "again.svg"
        self.answer("pose", mended, "--pose", pose, "--out", again)
        np.testing.assert_allclose(points(again), points(sculpted), atol=1e-3)
        self.assertIn('stroke-width="2.5"', again.read_text())
        # Half way it is half on; what is seen there becomes an in-between, and changes nothing at the end.
        self.answer("pose", mended, "--pose", half, "--out", again)
        between = self.folder / "between.svg"
        told = self.answer(
            "correct",
            mended,
            "--pose",
            half,
            "--sculpt",
            out_of(again, 2),
            "--name",
            "x",
            "--of",
            "knee",
            "--out",
            between,
        )
        self.assertEqual(len(told["targets"]), 2)
        self.answer("pose", between, "--pose", pose, "--out", again)
        np.testing.assert_allclose(points(again), points(sculpted), atol=1e-3)
        rest = self.folder / "rest.svg"
        self.answer("pose", mended, "--pose", self.pose("rest.json"), "--out", rest)
        np.testing.assert_allclose(points(rest), points(self.bare), atol=1e-4)

    def test_a_clip_is_delivered_for_those_who_know_no_rules(self):
        heron = self.folder / "heron.svg"
        self.answer("demo", "heron", "--out", heron)
        clip = ("--clip", "look for fish")
        for ending in ("svg", "json"):
            self.answer("deliver", heron, *clip, "--out", self.folder / f"clip.{ending}")
        self.assertIn("<animate", (self.folder / "clip.svg").read_text())
        self.assertEqual(json.loads((self.folder / "clip.json").read_text())["fr"], 30)
        self.answer("deliver", heron, "--out", self.folder / "whole.svg")
        # It is called after its file, and is the same otherwise.
        whole = (self.folder / "whole.svg").read_bytes()
        self.assertEqual(whole, heron.read_bytes().replace(b"<title>Heron", b"<title>heron"))
        small = self.folder / "small.svg"
        small.write_bytes(svg(bar()))
        self.assertIn("no clip", self.refused("deliver", small, "--clip", "x", "--out", self.folder / "x.zip"))

    def test_what_is_for_solids_works_on_drawings_too(self):
        self.lay()
        bound, table, rules = (self.folder / n for n in ("bound.svg", "weights.json", "rules.json"))
        self.assertEqual(self.answer("bind", self.laid, "--influences", 2, "--out", bound)["influences"], 2)
        self.assertIsInstance(self.answer("weights", bound, "--check"), list)
        self.answer("weights", bound, "--out", table)
        self.answer("weights", self.laid, "--take", table, "--out", bound)
        self.answer("rules", bound, "--out", rules)
        self.answer("rules", bound, "--set", rules, "--out", bound)
        self.assertEqual(self.answer("values", bound, "--pose", self.pose(lower=[0, 0, 30]))["remedies"], {})
        np.testing.assert_allclose(points(bound), points(self.bare), atol=1e-4)

    def test_frames_are_pictures_in_a_zip(self):
        heron, out = self.folder / "heron.svg", self.folder / "frames.zip"
        self.answer("demo", "heron", "--out", heron)
        self.answer("deliver", heron, "--clip", "walk along the quay", "--width", 16, "--out", out)
        with zipfile.ZipFile(out) as archive:
            self.assertEqual(len(archive.namelist()), 49)

    def test_what_does_not_fit_a_drawing_gets_a_sentence(self):
        self.lay()
        pose = self.pose(lower=[0, 0, 30])
        for call, why in (
            (("lay", self.bare, "--joints", self.bare, "--out", self.laid), "not a JSON"),
            (("lay", self.tube, "--joints", self.joints, "--out", self.laid), "no drawing"),
            (("pose", self.laid, "--pose", pose, "--out", self.folder / "x.obj"), "call it x.svg"),
            (("pose", self.tube, "--pose", self.pose("r.json"), "--out", self.folder / "x.svg"), "call it x.obj"),
            (("correct", self.laid, "--pose", pose, "--sculpt", "/no.svg", "--name", "a", "--out", self.laid),
             "Cannot read"),
            (("deliver", self.laid, "--out", self.folder / "x.glb"), "as an .svg"),
            (("deliver", self.tube, "--out", self.folder / "x.svg"), "as a .glb"),
            (("split", self.tube, "--joint", "upper", "--out", self.laid), "no drawing"),
            (("subtract", self.laid, "--pose", pose, "--sculpt", self.laid, "--out", self.laid), "is a drawing"),
            (("solve", self.laid, "--pose", pose, "--name", "a", "--out", self.laid), ""),
            (("propose", self.laid, "--pose", pose), ""),
        ):  # fmt: skip
            self.assertIn(why, self.refused(*call))
