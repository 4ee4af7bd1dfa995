"""`./plethos cli values`, `rules` and `pose --joints`: what a pipeline reads and writes of the rules."""

import json

import numpy as np
from scipy.spatial.transform import Rotation

from tests.cli.test_cli import PIVOT, CommandLine, read_obj


class RulesOfACharacter(CommandLine):
    """Values in a pose, joints in the world, and all rules as one plain document."""

    RULES = {  # noqa: RUF012
        "dials": [{"id": "wet", "name": "Wet", "low": 0.0, "high": 2.0, "start": 0.5}],
        "groups": [{"id": "arm", "name": "arm", "on": True, "factor": 0.5}],
        "triggers": [
            {"kind": "hinge", "id": "bend", "name": "bend", "joint": "upper", "axis": [0, 0, 1],
             "knots": [{"angle_deg": 0, "value": 0}, {"angle_deg": 90, "value": 1}]},
            {"kind": "dial", "id": "soaked", "name": "soaked", "reads": "wet",
             "knots": [{"input": 0, "value": 0}, {"input": 2, "value": 1}]},
            {"kind": "product", "id": "soggy", "name": "soggy", "of": ["bend", "soaked"]},
        ],
        "remedies": [
            {"kind": "corrective", "id": "c", "name": "elbow", "by": "soggy", "group": "arm",
             "targets": [{"at": 1.0, "name": "elbow", "shape": {"vertices": [240], "deltas": [[0.0, 0.0, 0.1]]}}]},
        ],
    }  # fmt: skip

    def setUp(self):
        super().setUp()
        self.answer("rules", self.tube, "--out", self.folder / "bare.json")
        self.document = {**json.loads((self.folder / "bare.json").read_text()), **self.RULES}
        (self.folder / "rules.json").write_text(json.dumps(self.document))
        self.ruled = self.folder / "ruled.glb"
        self.answer("rules", self.tube, "--set", self.folder / "rules.json", "--out", self.ruled)

    def test_values_are_worked_out_from_joints_and_dials(self):
        pose = self.folder / "pose.json"
        joints = {"upper": {"euler_xyz_deg": [0, 0, 45]}}
        for given, wet in (({}, 0.5), ({"Wet": 1.5}, 1.5), ({"Wet": 9}, 2.0)):
            pose.write_text(json.dumps({"joints": joints, "dials": given}))
            told = self.answer("values", self.ruled, "--pose", pose)
            self.assertEqual(told["dials"], {"Wet": wet})
            self.assertEqual(told["groups"], {"arm": 0.5})
            # Straight responses: half the travel of the joint times half the dial.
            self.assertAlmostEqual(told["remedies"]["elbow"], 0.5 * wet / 2, places=4)

    def test_the_dial_and_the_group_move_the_vertex_by_their_product(self):
        pose = self.folder / "pose.json"
        out = self.folder / "out.obj"
        pose.write_text(json.dumps({"joints": {"upper": {"euler_xyz_deg": [0, 0, 90]}}, "dials": {"Wet": 2}}))
        self.answer("pose", self.ruled, "--pose", pose, "--out", out)
        with_, _ = read_obj(out)
        self.answer("pose", self.ruled, "--pose", pose, "--out", out, "--without")
        without, _ = read_obj(out)
        moved = np.linalg.norm(with_ - without, axis=1)
        self.assertEqual(np.flatnonzero(moved > 1e-6).tolist(), [240])
        # Along the axis of the turn, so it stays 0.1 long; the group lets half of it act.
        self.assertAlmostEqual(moved[240], 0.05, places=5)

    def test_joints_stand_where_scipy_puts_them(self):
        pose, out = self.pose(lower=[10, 20, 30], upper=[-40, 5, 60]), self.folder / "joints.json"
        self.answer("pose", self.tube, "--pose", pose, "--joints", out)
        told = json.loads(out.read_text())
        lower, upper = (Rotation.from_euler("XYZ", e, degrees=True) for e in ([10, 20, 30], [-40, 5, 60]))
        np.testing.assert_allclose(told["upper"]["place"], lower.apply(PIVOT), atol=1e-7)
        for name, wanted in (("lower", lower), ("upper", lower * upper)):
            turned = Rotation.from_quat(told[name]["quaternion_xyzw"])
            self.assertLess((turned * wanted.inv()).magnitude(), 1e-7)

    def test_the_document_of_a_file_set_again_is_the_same_document(self):
        out, again = self.folder / "out.json", self.folder / "again.json"
        self.answer("rules", self.ruled, "--out", out)
        twice = self.folder / "twice.glb"
        self.answer("rules", self.ruled, "--set", out, "--out", twice)
        self.answer("rules", twice, "--out", again)
        self.assertEqual(json.loads(out.read_text()), json.loads(again.read_text()))
        kinds = [t["kind"] for t in json.loads(out.read_text())["triggers"]]
        self.assertEqual(kinds, ["hinge", "dial", "product"])

    def test_what_cannot_be_is_one_sentence_and_writes_nothing(self):
        rules, out = self.folder / "wrong.json", self.folder / "out.glb"
        circle = [{"kind": "product", "id": "a", "name": "a", "of": ["b", "wet"]},
                  {"kind": "product", "id": "b", "name": "b", "of": ["a", "wet"]}]  # fmt: skip
        for wrong, word in (
            ("[", "JSON"),
            ("[]", "object"),
            (json.dumps({**self.document, "triggers": circle, "remedies": []}), "circle"),
            (json.dumps({**self.document, "version": 99}), "version"),
            (json.dumps({**self.document, "triggers": [{"kind": "wish"}]}), "wish"),
        ):
            rules.write_text(wrong)
            with self.subTest(word):
                self.assertIn(word, self.refused("rules", self.tube, "--set", rules, "--out", out))
                self.assertFalse(out.exists())
        pose = self.folder / "pose.json"
        pose.write_text(json.dumps({"joints": {}, "dials": {"Dry": 1}}))
        self.assertIn("Dry", self.refused("values", self.ruled, "--pose", pose))
        self.assertIn("--joints", self.refused("pose", self.ruled, "--pose", self.pose(upper=[0, 0, 1])))
