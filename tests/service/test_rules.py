"""One of each kind of rule through the workbench: stored, read by another workbench, undone and done again."""

from __future__ import annotations

import math
from unittest.mock import patch

import numpy as np
from scipy.interpolate import PchipInterpolator

from plethos.core.errors import BadEditError, PlethosError
from plethos.core.evaluate import ALL, NONE, Evaluator
from plethos.core.geometry import rotations
from plethos.core.sculpt.session import Dab
from plethos.service.desk.frame import frame
from plethos.service.edits import dial_edits, region_edits, rule_edits
from plethos.service.library.poses import pose_of
from plethos.service.library.workbench import Workbench
from plethos.service.proposals import helpers
from plethos.service.schemas.bind import Pick
from plethos.service.schemas.tools import PaintSettings
from plethos.service.schemas.want import Want
from tests.cases import BenchCase
from tests.long_work import delivered
from tests.strokes import desk
from tests.web.test_api import unpack

Z = [0.0, 0.0, 1.0]
HALF = {"vertices": [240, 241, 242, 243, 264, 265], "shares": [1.0, 1.0, 1.0, 0.5, 0.5, 0.25]}


def bump(size: float) -> dict:
    return {"vertices": [240, 241, 242], "deltas": [[size, 0, 0], [0, size, 0], [0, 0, size]]}


def hinge(id_: str, end: float = 90, **more) -> dict:
    knots = [{"angle_deg": 0, "value": 0}, {"angle_deg": end, "value": 1}]
    return {"kind": "hinge", "id": id_, "joint": "upper", "axis": Z, "knots": knots, **more}


class EveryKind(BenchCase):
    def again(self):
        """The character as another server would open it."""
        return Workbench(self.store).open(self.id)

    def make_everything(self) -> None:
        bench, mine = self.bench, self.id
        dial_edits.put_dial(bench, mine, {"id": "wet", "name": "Wet", "low": 0, "high": 2, "start": 1})
        soaked = {"kind": "dial", "id": "soaked", "reads": "wet", "name": "soaked"}
        rule_edits.put_trigger(bench, mine, {**soaked, "knots": [{"input": 0, "value": 0}, {"input": 2, "value": 1}]})
        rule_edits.put_trigger(bench, mine, hinge("bend", name="bend"))
        rule_edits.put_trigger(
            bench, mine, {"kind": "product", "id": "soggy", "name": "soggy", "of": ["soaked", "bend"]}
        )
        turned = rotations.from_axis_angle([1, 0, 0], 1.0).tolist()
        stored = {"id": "out", "name": "out", "by": "swing", "rotations": [turned]}
        joints = [{"joint": "upper", "axis": [0, 1, 0]}]
        poses = {"kind": "pose_set", "id": "set", "name": "set", "joints": joints, "radius_deg": 50, "poses": [stored]}
        rule_edits.put_trigger(bench, mine, poses)
        targets = [{"at": at, "name": f"at {at}", "shape": bump(at / 20)} for at in (0.3, 0.6, 1.0)]
        corrective = {"kind": "corrective", "id": "c", "name": "elbow", "by": "bend", "targets": targets}
        rule_edits.add_remedy(bench, mine, corrective)
        rule_edits.add_remedy(bench, mine, {**corrective, "id": "p", "name": "soggy elbow", "by": "soggy"})
        rule_edits.add_remedy(bench, mine, {**corrective, "id": "s", "name": "side", "by": "out"})
        keeper = {"kind": "volume_keeper", "id": "k", "name": "keep", "mask": HALF, "share": 0.9, "most": 0.02}
        rule_edits.add_remedy(bench, mine, keeper)
        rule_edits.add_remedy(bench, mine, {"kind": "relaxer", "id": "r", "name": "relax", "mask": HALF, "steps": 4})
        rule_edits.add_remedy(
            bench, mine, {"kind": "skin_blend", "id": "b", "name": "blend", "mask": HALF, "amount": 0.7}
        )
        region_edits.choose(bench, mine, Pick(by="joint", name="upper", least=0.5), None, False)
        share = {"kind": "share", "joint": "upper", "share": 0.5, "part": "twist", "axis": Z}
        helpers.make_helper(bench, mine, "pusher", "upper", [0.05, 0.6, 0.0], [share])
        dial_edits.put_group(bench, mine, {"id": "g", "name": "arm", "on": True, "factor": 0.5}, ["c", "r"])

    def points(self, opened) -> np.ndarray:
        skeleton = opened.character.skeleton
        pose = skeleton.rest_pose()
        upper = skeleton.find("upper")
        pose.rotations[upper] = rotations.multiply(
            rotations.from_axis_angle([1, 0, 0], 0.4), rotations.from_axis_angle(Z, 0.8)
        )
        return opened.version.evaluator.pose(pose).points

    def test_all_of_it_is_stored_and_undone_step_by_step(self):
        self.make_everything()
        rules = self.again().character.rules
        self.assertEqual(
            sorted(r.kind for r in rules.remedies),
            ["corrective", "corrective", "corrective", "helper", "relaxer", "skin_blend", "volume_keeper"],
        )
        self.assertEqual([t.kind for t in rules.triggers], ["dial", "hinge", "product", "pose_set"])
        np.testing.assert_array_equal(self.points(self.again()), self.points(self.opened))
        steps = self.opened.revision.number
        whole, final = rule_edits.rules_document(self.opened), self.points(self.opened)
        seen = {steps: final}
        for k in range(steps - 1, -1, -1):
            self.bench.step(self.id, -1)
            seen[k] = self.points(self.bench.open(self.id))
            np.testing.assert_array_equal(self.points(self.again()), seen[k])
        self.assertEqual(rule_edits.rules_document(self.bench.open(self.id))["remedies"], [])
        for k in range(1, steps + 1):
            self.bench.step(self.id, +1)
            np.testing.assert_array_equal(self.points(self.bench.open(self.id)), seen[k])
        self.assertEqual(rule_edits.rules_document(self.again()), whole)
        # Each remedy did something on its way in: it is seen in the pose.
        self.assertGreater(sum(np.abs(seen[k] - seen[k - 1]).max() > 1e-6 for k in range(1, steps + 1)), 6)

    def test_a_delivery_carries_all_of_it(self):
        self.make_everything()
        data = delivered(self.bench, self.id, influences=8).data
        back = self.bench.open(self.bench.bring_in("Back", data))
        ours, theirs = (rule_edits.rules_document(o) for o in (self.opened, back))
        for kind in ("dials", "triggers", "groups"):
            self.assertEqual([d["id"] for d in ours[kind]], [d["id"] for d in theirs[kind]])
        np.testing.assert_allclose(self.points(back), self.points(self.opened), atol=2e-6)

    def test_what_is_read_is_not_deleted_and_says_by_whom(self):
        self.make_everything()
        for delete, id_, reader in (
            (dial_edits.delete_dial, "wet", "soaked"),
            (rule_edits.delete_trigger, "bend", "soggy"),
            (rule_edits.delete_trigger, "set", "side"),
        ):
            with self.assertRaisesRegex(BadEditError, f"“{reader}” reads"):
                delete(self.bench, self.id, id_)
        rule_edits.tie(self.bench, self.id, "s", None)
        rule_edits.delete_trigger(self.bench, self.id, "set")
        self.assertNotIn("set", [t.id for t in self.again().character.rules.triggers])

    def test_nonsense_stores_nothing(self):
        self.make_everything()
        number = self.opened.revision.number
        for wrong in (
            lambda: rule_edits.put_trigger(self.bench, self.id, {"kind": "product", "id": "x", "of": ["nowhere"]}),
            lambda: rule_edits.put_trigger(self.bench, self.id, {"kind": "product", "id": "soggy", "of": ["soggy"]}),
            lambda: rule_edits.put_trigger(self.bench, self.id, {"kind": "wish", "id": "x"}),
            lambda: rule_edits.add_remedy(self.bench, self.id, {"kind": "spell", "name": "x"}),
            lambda: rule_edits.add_remedy(
                self.bench, self.id, {"kind": "relaxer", "name": "x", "mask": {"vertices": [10**9]}}
            ),
            lambda: dial_edits.put_dial(self.bench, self.id, {"name": "low", "low": 1, "high": 0}),
            lambda: dial_edits.put_group(self.bench, self.id, {"id": "g", "name": "arm"}, ["nobody"]),
        ):
            with self.assertRaises(PlethosError):
                wrong()
        self.assertEqual(self.again().revision.number, number)

    def test_a_dial_in_a_frame_is_the_persons_own_and_not_stored(self):
        self.make_everything()
        number = self.opened.revision.number
        bent = {"upper": rotations.from_axis_angle(Z, math.radians(90)).tolist()}
        wet, dry = (
            frame(desk(self.opened), self.opened.version, pose_of(self.opened.version, {"joints": bent, "dials": d}),
                  Want(), {})
            for d in ({"Wet": 2}, {"Wet": 0})
        )  # fmt: skip
        self.assertNotEqual(wet, dry)
        self.assertEqual(self.again().revision.number, number)

    def test_what_no_remedy_acts_on_is_worked_out_once_while_the_pose_stands_still(self):
        self.make_everything()
        at, opened = desk(self.opened), self.opened
        want, made = Want(without=True), []
        whole = Evaluator.pose

        def counted(evaluator, pose, acting=ALL):
            made.append(acting is NONE)
            return whole(evaluator, pose, acting)

        def shown(joints: dict, want: Want = want) -> np.ndarray:
            """What is shown without remedies: as it is worked out from nothing."""
            version = opened.version
            fresh = pose_of(version, {"joints": joints})
            seen = unpack(frame(at, version, fresh, want, {}))[1]["without"].reshape(-1, 3)
            plain = opened.character if at.stroke is None else at.stroke.evaluator().character
            np.testing.assert_array_equal(seen, whole(Evaluator.of(plain), fresh, NONE).points)
            return seen

        bent = {"upper": {"euler_xyz_deg": [0, 0, 70]}}
        with patch.object(Evaluator, "pose", counted):
            first = shown(bent)
            for end in (40, 50):
                shown(bent, Want(without=True, preview={"remedy_id": "c", "trigger": hinge("x", end)}))
            shown(bent, Want(without=True, body={"remedy_id": "k", "body": {"share": 0.5}}))
            shown(bent, Want(without=True, preview={"remedy_id": "c", "trigger": {**hinge("x"), "joint": "lower"}}))
            self.assertEqual(sum(made), 1)
            self.assertGreater(len(made), 4)
        # Whatever else moves is seen.
        moved = [{"scale": [1, 2, 1]}, {"scale": [1, 1, 2]}, {"translation": [0, 0.1, 0]}, {"euler_xyz_deg": [0, 0, 1]}]
        for other in moved:
            shown(bent)
            self.assertGreater(np.abs(shown({**bent, "lower": other}) - first).max(), 1e-3)
        np.testing.assert_array_equal(shown(bent), first)
        # So is the skin as it is painted, before it is stored and after.
        dab = Dab(480, (0.1, 0.5, 0.0), 0.3, 1.0)
        at.touch(
            at.version,
            "paint",
            pose_of(opened.version, {}),
            PaintSettings(mode="replace", joint="lower", value=1.0, strength=1.0),
            [dab],
        )
        self.assertGreater(np.abs(shown(bent) - first).max(), 1e-3)
        at.end_stroke(self.bench)
        self.assertGreater(np.abs(shown(bent) - first).max(), 1e-3)

    def test_a_knot_in_the_air_shows_what_storing_it_shows(self):
        self.make_everything()
        skeleton = self.opened.character.skeleton
        pose = skeleton.rest_pose().with_rotation(
            skeleton.find("upper"), rotations.from_axis_angle(Z, math.radians(50))
        )  # fmt: skip
        at = desk(self.opened)
        stored = self.opened.character.rules
        for end in (40, 70, 120):
            evaluator, _ = at.preview(self.opened.version, "c", hinge("ignored", end))
            shown = evaluator.pose(pose, ALL).points
            self.assertIs(self.opened.character.rules, stored)
            other = Workbench(self.store)
            rule_edits.put_trigger(other, self.id, hinge("bend", end, name="bend"))
            np.testing.assert_array_equal(other.open(self.id).version.evaluator.pose(pose, ALL).points, shown)
            other.step(self.id, -1)
        # The strip draws it as SciPy's monotone cubic, through its knots.
        knots = [(0, 0.0), (30, 0.2), (55, 0.9), (80, 1.0)]
        asked = {**hinge("x"), "knots": [{"angle_deg": a, "value": v} for a, v in knots]}
        said, fields = unpack(
            frame(at, self.opened.version, pose, Want(preview={"remedy_id": "c", "trigger": asked}), {"seq": 1})
        )  # fmt: skip
        self.assertEqual(said["response"], "c")
        angles, drawn = fields["curve"].reshape(-1, 2).T
        self.assertTrue((np.diff(angles) >= 0).all() and {0, 30, 55, 80} <= set(angles.round(3).tolist()))
        np.testing.assert_allclose(drawn, PchipInterpolator(*zip(*knots, strict=True))(angles), atol=1e-6)
        self.assertGreater(len(angles), 40)
        # Tied to another joint in the air: compiled, and still nothing stored.
        evaluator, fresh = at.preview(self.opened.version, "c", {**hinge("x"), "joint": "lower"})
        self.assertEqual(fresh.joint, skeleton.find("lower"))
        self.assertEqual(evaluator.pose(pose).activation("c"), 0)
