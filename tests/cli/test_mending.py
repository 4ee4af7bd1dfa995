"""`./plethos cli solve`: a first corrective for a pose."""

import json

import numpy as np

from tests.cli.test_cli import CommandLine, read_obj
from tests.figures import tube_file


class Solve(CommandLine):
    def setUp(self):
        super().setUp()
        self.tube.write_bytes(tube_file(rings=41).pack())
        self.bent = self.pose(upper=[0, 0, 90])

    def test_the_file_holds_a_corrective_that_gives_the_volume_back(self):
        out = self.folder / "mended.glb"
        told = self.answer("solve", self.tube, "--pose", self.bent, "--give-back", 0.8, "--name", "elbow", "--out", out)
        self.assertEqual((told["name"], told["joint"], told["axis"]), ("elbow", "upper", [0, 0, 1]))
        self.assertGreater(told["volume_percent"], told["volume_before_percent"] + 1)
        self.assertAlmostEqual(told["knots"][-1]["angle_deg"], 90, places=3)
        strip = ("measure", out, "--joint", "upper", "--axis", "z", "--from", 90, "--to", 90, "--steps", 1)
        with_, without = self.answer(*strip), self.answer(*strip, "--without")
        (with_,), (without,) = (x["steps"] if isinstance(x, dict) else x for x in (with_, without))
        volumes = [next(v for k, v in step.items() if "volume" in k) for step in (with_, without)]
        np.testing.assert_allclose(volumes, [told["volume_percent"], told["volume_before_percent"]], atol=0.05)

    def test_more_is_given_back_when_more_is_asked_for(self):
        call = ("solve", self.tube, "--pose", self.bent, "--name", "e", "--out", self.folder / "m.glb")
        some, more = (self.answer(*call, "--give-back", share)["volume_percent"] for share in (0.3, 0.9))
        self.assertGreater(more, some + 0.5)

    def test_what_cannot_be_solved_is_one_sentence(self):
        out = ("--out", self.folder / "m.glb")
        rest = self.pose("rest.json", upper=[0, 0, 0])
        self.assertIn("left rest", self.refused("solve", self.tube, "--pose", rest, "--name", "e", *out))
        self.assertIn("name", self.refused("solve", self.tube, "--pose", self.bent, "--name", " ", *out))
        wrong = ("solve", self.tube, "--pose", self.bent, "--name", "e", "--joint", "lower", *out)
        self.assertIn("bends no skin", self.refused(*wrong))
        self.assertFalse((self.folder / "m.glb").exists())


class Propose(CommandLine):
    def test_each_joint_that_is_turned_gets_the_kind_that_gives_most_back(self):
        demo = self.folder / "keeper.glb"
        self.answer("demo", "lock-keeper-bare", "--out", demo)
        pose = self.pose(left_hand=[0, 80, 0], left_forearm=[0, 0, 120])
        told = self.answer("propose", demo, "--pose", pose)
        self.assertEqual({j: t["kind"] for j, t in told.items()}, {"left_forearm": "corrective", "left_hand": "twist"})
        for one in told.values():
            self.assertGreater(one["gives_back_percent"], 15)
            best = one["tried"][one["kind"]]["volume_percent"]
            self.assertAlmostEqual(best - one["volume_percent"], one["gives_back_percent"])
            self.assertIn(f"{best:.1f} %", one["reason"])
        self.assertIn("hardly rolls", told["left_forearm"]["not_here"]["twist"])


class Bake(CommandLine):
    def test_a_keeper_is_baked_into_a_file_and_what_remains_is_printed(self):
        inside = [v for v in range(240, 720)]
        keeper = {"kind": "volume_keeper", "id": "k", "name": "keep", "share": 1.0, "most": 0.05,
                  "mask": {"vertices": inside, "shares": [1.0] * len(inside)}}  # fmt: skip
        rules, kept, out = (self.folder / n for n in ("rules.json", "kept.glb", "baked.glb"))
        self.tube.write_bytes(tube_file(rings=41).pack())
        self.answer("rules", self.tube, "--out", rules)
        rules.write_text(json.dumps({**json.loads(rules.read_text()), "remedies": [keeper]}))
        self.answer("rules", self.tube, "--set", rules, "--out", kept)
        call = ("bake", kept, "--remedy", "keep", "--joint", "upper", "--axis", "z", "--angles", "30,60,90")
        told = self.answer(*call, "--out", out)
        np.testing.assert_allclose(told["targets"], [1 / 3, 2 / 3, 1])
        self.assertLess(told["remains"], 0.01)
        pose = self.pose(upper=[0, 0, 60])
        both = []
        for file in (kept, out):
            self.answer("pose", file, "--pose", pose, "--out", self.folder / "p.obj")
            both.append(read_obj(self.folder / "p.obj")[0])
        np.testing.assert_allclose(*both, atol=1e-5)
        self.assertIn("no remedy", self.refused(*call[:3], "other", *call[4:], "--out", out))
        self.assertIn("numbers", self.refused(*call[:-1], "a,b", "--out", out))
