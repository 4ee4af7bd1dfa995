"""Rules as values and as documents: what edits leave, round trips of every kind, and documents that are broken."""

import copy
import json
import math
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from plethos.core.edits.review import CHANGED
from plethos.core.errors import BadEditError, BadFileError, PlethosError
from plethos.core.evaluate import Evaluator
from plethos.core.formats.document import from_document, rules_from_document, rules_to_document, to_document, upgraded
from plethos.core.formats.rules import InlineArrays, plain_rules, with_plain_rules
from plethos.core.joints import edit
from plethos.core.measure.travel import bent
from plethos.core.rules.dials import Dial, Group
from plethos.core.rules.remedies import (
    Corrective,
    Helper,
    Relaxer,
    Remedy,
    Share,
    Target,
    VolumeKeeper,
    remedy_from_document,
)
from plethos.core.rules.response import Response
from plethos.core.rules.rules import Rules
from plethos.core.rules.triggers import trigger_from_document
from plethos.core.rules.triggers.dial import DialTrigger
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.rules.triggers.pose_set import PoseSet
from plethos.core.rules.triggers.product import ProductTrigger
from plethos.core.rules.triggers.stored_pose import StoredPose
from plethos.core.skeleton.clips import Clip, Track
from plethos.core.skin.mask import Mask
from plethos.core.skin.shape import Shape
from plethos.core.weights.assign import with_joint_weights
from tests.core.formats.test_documents import Kept
from tests.figures import paths, set_at, tube
from tests.making import any_pose, everything

Z = (0.0, 0.0, 1.0)
RISE = Response((0.0, 1.0), (0.0, 1.0))
NOTHING = Shape("nothing", np.array([0], np.int32), np.zeros((1, 3), np.float32))


def hinge(own: str, name: str = "") -> HingeTrigger:
    return HingeTrigger(1, Z, RISE, name, own)


def corrective(own: str, by: str | None = None, **more) -> Remedy:
    return Remedy(Corrective.of(NOTHING), own, by, id=own, **more)


def ids(those) -> list[str]:
    return [one.id for one in those]


class Edits(unittest.TestCase):
    def test_one_of_the_same_id_is_replaced_in_its_place_and_another_comes_last(self):
        rules = Rules().with_dial(Dial("a", id="a")).with_dial(Dial("b", id="b")).with_dial(Dial("c", high=3, id="a"))
        self.assertEqual([(d.name, d.id) for d in rules.dials], [("c", "a"), ("b", "b")])
        self.assertEqual(rules.dial("c").high, 3)
        with self.assertRaisesRegex(BadEditError, "no dial called “a”"):
            rules.dial("a")
        rules = rules.with_group(Group("g", id="g")).with_group(Group("g", 0.5, id="g"))
        self.assertEqual([g.factor for g in rules.groups], [0.5])
        with self.assertRaisesRegex(BadEditError, "not there any more"):
            rules.remedy("x")

    def test_a_remedy_brings_all_of_its_triggers(self):
        brought = Rules().with_remedy(corrective("r", "late"), hinge("a"), DialTrigger("a", RISE, id="late"))
        self.assertEqual((ids(brought.remedies), ids(brought.triggers)), (["r"], ["a", "late"]))
        again = brought.with_remedy(corrective("r", "late", on=False), hinge("a", "Elbow"))
        self.assertEqual((again.remedy("r").on, ids(again.triggers)), (False, ["a", "late"]))
        self.assertEqual(again.triggers[0].name, "Elbow")

    def test_tying_takes_the_place_of_a_trigger_that_nobody_else_reads(self):
        rules = Rules(triggers=(hinge("old"),), remedies=(corrective("r", "old"),))
        tied = rules.tied("r", hinge("new"))
        self.assertEqual((ids(tied.triggers), tied.remedy("r").by), (["new"], "new"))
        self.assertEqual(ids(rules.tied("r", hinge("old", "renamed")).triggers), ["old"])
        self.assertEqual(rules.tied("r", hinge("old", "renamed")).triggers[0].name, "renamed")
        untied = rules.tied("r", None)
        self.assertEqual((ids(untied.triggers), untied.remedy("r").by), ([], None))
        # One with a name of its own, or that something else reads, stays.
        for kept in (
            Rules(triggers=(hinge("old", "Elbow"),), remedies=(corrective("r", "old"),)),
            Rules(triggers=(hinge("old"),), remedies=(corrective("r", "old"), corrective("s", "old"))),
            Rules(triggers=(hinge("old"), DialTrigger("old", RISE, id="late")), remedies=(corrective("r", "old"),)),
        ):
            self.assertIn("old", ids(kept.tied("r", None).triggers))
            self.assertIn("old", ids(kept.tied("r", hinge("new")).triggers))

    def test_without_a_remedy_its_twin_stands_alone_and_its_own_trigger_goes(self):
        rules = Rules(
            triggers=(hinge("a"), hinge("b")),
            remedies=(corrective("r", "a", twin="s"), corrective("s", "b", twin="r")),
        )
        left = rules.without_remedy("r")
        self.assertEqual((ids(left.remedies), ids(left.triggers)), (["s"], ["b"]))
        self.assertIsNone(left.remedy("s").twin)

    def test_who_reads_a_joint_is_told_through_however_many_values(self):
        elbow = HingeTrigger(2, Z, RISE, id="elbow")
        both = ProductTrigger(("late", "elbow"), id="both")
        rules = Rules(
            triggers=(hinge("a"), DialTrigger("a", RISE, id="late"), elbow, both),
            remedies=(corrective("r", "both"), Remedy(Helper(4, (Share(3, 0.5),)), "h", id="h")),
        )
        self.assertEqual(rules.joints_read(rules.remedy("r")), {1, 2})
        self.assertEqual(rules.joints_read(rules.remedy("h")), {3})
        self.assertEqual(rules.readers(3), ("h",))
        self.assertEqual((rules.holding(4), rules.holding(5)), (("h",), ()))
        self.assertEqual(rules.trigger_of(rules.remedy("r")), both)
        self.assertIsNone(rules.trigger_of(rules.remedy("h")))

    def test_a_target_takes_the_place_of_the_one_at_its_activation(self):
        body = Corrective.of(NOTHING).with_target(Target(NOTHING, 0.7)).with_target(Target(NOTHING, 0.3))
        self.assertEqual([t.at for t in body.targets], [0.3, 0.7, 1.0])
        other = Shape("other", NOTHING.vertices, NOTHING.deltas)
        again = body.with_target(Target(other, 0.7))
        self.assertEqual([t.shape.name for t in again.targets], ["nothing", "other", "nothing"])
        for at in (0.0, -0.5, 1.2):
            with self.assertRaises(BadEditError):
                body.with_target(Target(NOTHING, at))

    @given(st.floats(-350, 350), st.floats(5, 350), st.floats(-179, 179), st.booleans())
    @settings(max_examples=60, deadline=None)
    def test_where_no_range_is_known_the_cut_lies_opposite_the_middle_of_the_response(self, start, length, off, side):
        # By the response's own curve at the angle itself: half a turn to either side of its middle nothing flips.
        character = tube()
        joint = character.skeleton.find("upper")
        axis = (0.0, 0.0, 1.0) if side else (0.6, 0.8, 0.0)
        response = Response((math.radians(start), math.radians(start + length)), (0.0, 1.0))
        trigger = HingeTrigger(joint, axis, response, id="t")
        evaluator = Evaluator.of(character.with_rules(Rules((), (trigger,))))
        angle = math.radians(start + length / 2 + off)
        pose = bent(character.skeleton.rest_pose(), joint, axis, angle)
        told = evaluator.program.values(evaluator.pose(pose).moment)["t"]
        self.assertAlmostEqual(told, float(response.at(angle)), delta=1e-3)

    @given(st.lists(st.tuples(st.floats(-3, 3), st.floats(0, 1)), min_size=2, max_size=6), st.floats(-4, 4))
    @settings(max_examples=60, deadline=None)
    def test_a_flipped_trigger_gives_at_the_other_angle_what_it_gave(self, knots, angle):
        inputs = np.cumsum(np.abs([a for a, _ in knots]) + 0.01) - 3
        trigger = HingeTrigger(1, Z, Response(tuple(inputs.tolist()), tuple(v for _, v in knots)))
        flipped = trigger.flipped()
        self.assertAlmostEqual(float(flipped.response.at(-angle)), float(trigger.response.at(angle)), places=9)
        self.assertEqual(flipped.flipped(), trigger)


class Refused(unittest.TestCase):
    def test_numbers_and_names_out_of_bounds(self):
        turn = (0.0, 0.0, 0.0, 1.0)
        pose = StoredPose((turn,))
        mask = Mask(np.array([1, 3], np.int32), np.array([0.5, 1], np.float32))
        for make in (
            lambda: Dial("d", 1, 0, 0.5),
            lambda: Dial("d", 0, 1, 2),
            lambda: Dial("d", 0, 1, -1),
            lambda: Dial("d", 0, 0, 0),
            lambda: Dial("d", 0, 2e6, 0),
            lambda: Dial("d", 0, float("nan"), 0),
            lambda: Group("g", -0.1),
            lambda: Group("g", float("inf")),
            lambda: Group("g", float("nan")),
            lambda: Share(0, 4.1),
            lambda: Share(0, float("nan")),
            lambda: Share(0, 1, "half"),
            lambda: Helper(0, ()),
            lambda: VolumeKeeper(mask, 0.0),
            lambda: VolumeKeeper(mask, 4.1),
            lambda: VolumeKeeper(mask, 1.0, 0.0),
            lambda: VolumeKeeper(mask, 1.0, np.inf),
            lambda: Relaxer(mask, 0),
            lambda: Relaxer(mask, 101),
            lambda: Mask(mask.vertices, np.array([0.5], np.float32)),
            lambda: Mask(mask.vertices, np.array([0.5, 1.5], np.float32)),
            lambda: Mask(mask.vertices, np.array([0.5, -0.1], np.float32)),
            lambda: Mask(mask.vertices, np.array([0.5, np.nan], np.float32)),
            lambda: Mask(np.array([3, 1], np.int32), mask.shares),
            lambda: Mask(np.array([1, 1], np.int32), mask.shares),
            lambda: Mask(np.array([-1, 1], np.int32), mask.shares),
            lambda: ProductTrigger(("a",)),
            lambda: ProductTrigger(("a", "a")),
            lambda: PoseSet((), (), (pose,), 0.5),
            lambda: PoseSet((1, 1), (Z, Z), (StoredPose((turn, turn)),), 0.5),
            lambda: PoseSet((1,), (Z,), (), 0.5),
            lambda: PoseSet((1,), (Z,), (StoredPose((turn, turn)),), 0.5),
            lambda: PoseSet((1,), (Z,), (StoredPose((turn,), "roll"),), 0.5),
            lambda: PoseSet((1,), (Z,), (StoredPose(((0.0, 0.0, 1.0, 0.0),)),), 4.0),
            lambda: HingeTrigger(1, Z, Response((0.0, 1.0), (0.0, 1.5))),
            lambda: DialTrigger("a", Response((0.0, 1.0), (-0.5, 1.0))),
            lambda: Response.preset("soon", 0, 1),
            lambda: Response.preset("late", 1, 1.00001),
            lambda: Corrective(()),
            lambda: Corrective((Target(NOTHING, 0.5),)),
        ):
            with self.assertRaises(BadEditError):
                make()

    def test_the_ends_of_what_is_allowed(self):
        mask = Mask(np.array([0], np.int32), np.array([1], np.float32))
        self.assertEqual((Relaxer(mask, 1).steps, Relaxer(mask, 100).steps), (1, 100))
        self.assertEqual((Share(0, 4.0).share, Share(0, -4.0).share), (4, -4))
        self.assertEqual((Group("g", 0.0).factor, Dial("d", 0, 1, 1).start), (0, 1))


class Documents(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.character = everything(np.random.default_rng(11))
        rules = cls.character.rules
        groups = (Group("half", 0.5, False, "half"),)
        remedies = [replace(r, group="half", notes=("Look.",), amount=0.25) if r.id == "c" else r
                    for r in rules.remedies]  # fmt: skip
        remedies[3] = replace(remedies[3], on=False, twin="b")
        triggers = [replace(t, name=f"Called {t.id}") for t in rules.triggers]
        rules = replace(rules, groups=groups, triggers=tuple(triggers), remedies=tuple(remedies))
        cls.character = cls.character.with_rules(rules)
        cls.arrays = InlineArrays(cls.character)
        cls.document = json.loads(
            json.dumps(rules_to_document(cls.character.rules, cls.character.skeleton, cls.arrays))
        )  # fmt: skip

    def test_every_kind_comes_back_to_the_same_document(self):
        skeleton = self.character.skeleton
        back = rules_from_document(self.document, skeleton, self.arrays)
        self.assertEqual(json.loads(json.dumps(rules_to_document(back, skeleton, self.arrays))), self.document)
        self.assertEqual(back.dials + back.groups, self.character.rules.dials + self.character.rules.groups)
        # Degrees and back are off by the last bit of a number.
        self.assertEqual(ids(back.triggers), ids(self.character.rules.triggers))
        bend = next(t for t in self.document["triggers"] if t["id"] == "bend")
        self.assertAlmostEqual(bend["start_deg"], np.degrees(-0.5))
        self.assertAlmostEqual(bend["end_deg"], np.degrees(1.5))
        told = ("id", "name", "by", "on", "amount", "group", "twin", "notes", "kind")
        for one, other in zip(back.remedies, self.character.rules.remedies, strict=True):
            self.assertEqual([getattr(one, k) for k in told], [getattr(other, k) for k in told])
        pose = any_pose(np.random.default_rng(1), skeleton)
        shown = Evaluator.of(self.character.with_rules(back)).pose(pose).points
        np.testing.assert_allclose(shown, Evaluator.of(self.character).pose(pose).points, atol=1e-6)

    def test_whatever_is_missing_or_nonsense_is_told_and_nothing_else_happens(self):
        # Each number, list, name and object of each rule left out or replaced: read all the same, or a sentence.
        skeleton = self.character.skeleton
        readers = {
            "dials": Dial.from_document,
            "groups": Group.from_document,
            "triggers": lambda d: trigger_from_document(d, skeleton),
            "remedies": lambda d: remedy_from_document(d, skeleton, self.arrays),
        }
        nonsense = (None, "x", -1, 1e300, float("nan"), [], {}, [None], True, "\u0000")
        refused = 0
        for key, read in readers.items():
            for rule in self.document[key]:
                for path in paths(rule):
                    for value in ("gone", *nonsense):
                        changed = copy.deepcopy(rule)
                        set_at(changed, path, value)
                        try:
                            read(changed)
                        except PlethosError as error:
                            self.assertTrue(error.sentence.endswith("."))
                            refused += 1
        self.assertGreater(refused, 400)

    def test_what_each_kind_needs_is_told_when_it_is_gone(self):
        skeleton = self.character.skeleton
        rules = {r["kind"]: r for r in [*self.document["triggers"], *self.document["remedies"]]}
        for kind, key in (
            ("hinge", "joint"), ("hinge", "axis"), ("hinge", "knots"), ("dial", "reads"), ("dial", "knots"),
            ("product", "of"), ("pose_set", "joints"), ("pose_set", "radius_deg"), ("pose_set", "poses"),
            ("corrective", "targets"), ("helper", "joint"), ("helper", "rules"), ("skin_blend", "mask"),
            ("relaxer", "mask"), ("volume_keeper", "mask"),
        ):  # fmt: skip
            left = {k: v for k, v in rules[kind].items() if k != key}
            with self.subTest(kind=kind, key=key), self.assertRaisesRegex(PlethosError, "needs"):
                if kind in ("hinge", "dial", "product", "pose_set"):
                    trigger_from_document(left, skeleton)
                else:
                    remedy_from_document(left, skeleton, self.arrays)
        for read, kind in ((trigger_from_document, "trigger"), (remedy_from_document, "remedy")):
            with self.assertRaisesRegex(PlethosError, f"no {kind} of the kind “magnet”"):
                read({"kind": "magnet"}, *((skeleton,) if kind == "trigger" else (skeleton, self.arrays)))
        with self.assertRaisesRegex(PlethosError, "amount"):
            remedy_from_document({**rules["relaxer"], "amount": 4.5}, skeleton, self.arrays)
        with self.assertRaisesRegex(BadFileError, "JSON object"):
            with_plain_rules(self.character, [])

    def test_arrays_that_do_not_fit_are_refused(self):
        for kind, ref in (
            ("shares", {"vertices": [0, 1], "shares": [0.5]}),
            ("shares", {"vertices": [10**9], "shares": [0.5]}),
            ("shares", {"vertices": [-1], "shares": [0.5]}),
            ("shares", {"vertices": [0], "shares": ["x"]}),
            ("shares", {"vertices": [0], "shares": [float("nan")]}),
            ("shares", {"vertices": [0]}),
            ("offsets", {"vertices": [0], "deltas": [[0, 0]]}),
            ("offsets", {"vertices": [0, 1], "deltas": [[0, 0, 0]]}),
            ("weights", {"vertices": [0], "rows": [[["tail", 1.0]]]}),
            ("weights", {"vertices": [0], "rows": [[["upper", -1.0]]]}),
            ("weights", {"vertices": [0], "rows": [[["upper", 0.0]]]}),
            ("weights", {"vertices": [0], "rows": [[["upper", 1e400]]]}),
            ("weights", {"vertices": [0, 1], "rows": [[["upper", 1.0]]]}),
        ):
            with self.subTest(kind=kind, ref=ref), self.assertRaises(BadFileError):
                self.arrays.get(kind, ref)

    def test_a_row_that_is_a_little_off_is_normalised_too(self):
        rows = [[["lower", 0.63], ["upper", 0.42]], [["lower", 0.5], ["upper", 0.5]]]
        _, weights = self.arrays.get("weights", {"vertices": [0, 1], "rows": rows})
        np.testing.assert_allclose(weights[:2].sum(axis=1), 1, atol=1e-6)
        np.testing.assert_allclose(np.sort(weights[0])[-2:], [0.4, 0.6], atol=1e-6)

    def test_rows_of_weights_are_normalised_and_what_is_not_told_stays(self):
        first = self.character.mesh.first_copies
        ref = {"vertices": first[[7, 2]].tolist(), "rows": [[["upper", 3.0], ["lower", 1.0]], [["lower", 1.0]]]}
        joints, weights = self.arrays.get("weights", ref)
        skeleton, own = self.character.skeleton, self.character.binding
        dense = np.zeros((len(joints), len(skeleton)))
        for k in range(joints.shape[1]):
            np.add.at(dense, (np.arange(len(joints)), joints[:, k]), weights[:, k])
        upper, lower = skeleton.find("upper"), skeleton.find("lower")
        self.assertEqual((dense[7, upper], dense[7, lower], dense[2, lower]), (0.75, 0.25, 1.0))
        rest = np.setdiff1d(np.arange(len(dense)), [2, 7])
        np.testing.assert_array_equal(dense[rest], own.joint_weights[rest])


class OfBefore(unittest.TestCase):
    """Documents of version 1, word for word: a remedy was one shape with a hinge trigger of its own."""

    def test_each_remedy_becomes_a_corrective_tied_to_a_trigger_of_its_own(self):
        trigger = {"kind": "hinge", "joint": "upper", "axis": [0, 0, 1], "knots": [{"angle_deg": 0, "value": 0}]}
        old = {
            "moved": True,
            "remedies": [
                {"id": "a", "name": "Elbow", "trigger": trigger, "blobs": ["hash"], "pose": {"joints": {}}, "on": False,
                 "amount": 0.5, "report": {"moved": 3, "warnings": ["Flat.", CHANGED]}},
                {"id": "b", "name": "Elbow", "targets": ["Elbow_2"]},
                {"id": "c", "targets": ["Corrective"], "report": {"warnings": None}},
            ],
            "regions": [{"name": "fold", "blob": "other"}, {"name": "", "vertices": [1], "shares": [0.5]}],
        }  # fmt: skip
        plain = {"kind": "corrective", "by": None, "on": True, "amount": 1.0, "notes": []}

        def target(name, shape, pose=None, **report):
            return [{"at": 1.0, "name": name, "shape": shape, "pose": pose, "report": {"warnings": [], **report}}]

        first = target("Elbow", "hash", {"joints": {}}, moved=3, warnings=["Flat."])
        self.assertEqual(upgraded(old), {
            "moved": True,
            "version": 2,
            "triggers": [{**trigger, "id": "a-trigger", "name": ""}],
            "remedies": [
                {**plain, "id": "a", "name": "Elbow", "by": "a-trigger", "on": False, "amount": 0.5,
                 "notes": [CHANGED], "targets": first},
                {**plain, "id": "b", "name": "Elbow_2", "targets": target("Elbow_2", "Elbow_2")},
                {**plain, "id": "c", "name": "Corrective", "targets": target("Corrective", "Corrective")},
            ],
            "regions": [{"name": "fold", "mask": "other"}, {"name": "", "mask": {"vertices": [1], "shares": [0.5]}}],
        })  # fmt: skip
        for broken in ({"remedies": [{"id": "a"}]}, {"remedies": [3]}, {"regions": [{"blob": "x"}]}):
            with self.assertRaisesRegex(BadFileError, "incomplete"):
                upgraded(broken)
        for later in ({"version": 3}, {"version": "2"}, {"remedies": 4}):
            with self.assertRaisesRegex(BadFileError, "later version"):
                upgraded(later)

    def test_places_of_before_joints_could_be_edited_move_them(self):
        base = tube()
        back = from_document(base, {"places": {"upper": [0, 0.6, 0.1]}}, Kept())
        np.testing.assert_allclose(back.skeleton.rest_global[2, :3, 3], [0, 0.6, 0.1], atol=1e-12)
        np.testing.assert_allclose(Evaluator.of(back).rest(), base.mesh.rest, atol=1e-6)


class Characters(unittest.TestCase):
    def test_keys_of_dials_are_written_beside_the_clips_they_belong_to(self):
        character = everything(np.random.default_rng(3))
        times = np.array([0.0, 0.5, 1.0])
        cubic = np.arange(9.0).reshape(3, 3, 1)
        tracks = (
            Track("dial", -1, times, np.array([[0.0], [2.0], [1.0]]), "LINEAR", "Wet"),
            Track("dial", -1, times, cubic, "CUBICSPLINE", "Dry"),
        )
        clip = character.clips[0]
        keyed = replace(character, clips=(replace(clip, tracks=(*clip.tracks, *tracks)),))
        document = json.loads(json.dumps(plain_rules(keyed)))
        back = with_plain_rules(character, document)
        got = [t for t in back.clips[0].tracks if t.channel == "dial"]
        self.assertEqual([(t.dial, t.interpolation) for t in got], [("Wet", "LINEAR"), ("Dry", "CUBICSPLINE")])
        for one, other in zip(got, tracks, strict=True):
            np.testing.assert_array_equal(one.values, other.values)
        # Read again over itself they are not doubled, and a pose of the clip sets the dial.
        again = with_plain_rules(back, document).clips[0]
        self.assertEqual(len(again.tracks), len(keyed.clips[0].tracks))
        self.assertAlmostEqual(again.pose_at(character.skeleton, 0.25).dials["Wet"], 1.0)
        self.assertEqual(Clip("x", 1.0, ()).pose_at(character.skeleton, 0.5).dials, None)

    def test_weights_that_are_not_the_files_stand_in_the_plain_document(self):
        base = tube()
        draw = np.random.default_rng(7).dirichlet(np.ones(2), len(base.mesh))
        dense = np.zeros((len(base.mesh), len(base.skeleton)))
        dense[:, [base.skeleton.find("lower"), base.skeleton.find("upper")]] = draw
        painted = with_joint_weights(base, dense, 4)
        self.assertIsNone(plain_rules(base, base)["weights"])
        back = with_plain_rules(base, json.loads(json.dumps(plain_rules(painted, base))))
        np.testing.assert_allclose(back.binding.joint_weights, dense, atol=1e-6)

    def test_another_version_shares_skeleton_and_binding_exactly_when_they_are_the_same(self):
        base = tube()
        moved = edit.moved_joints(base, {2: [0.0, 0.6, 0.0]})
        dense = moved.binding.joint_weights.astype(float)
        dense[:, [1, 2]] = dense[:, [2, 1]]
        swapped = with_joint_weights(moved, dense)
        arrays = Kept()
        for known in (base, moved, swapped):
            document = to_document(known, base, arrays)
            back = from_document(base, document, arrays, known)
            self.assertIs(back.skeleton, known.skeleton)
            self.assertIs(back.binding, known.binding)
            for other in (base, moved, swapped):
                fresh = from_document(base, document, arrays, other)
                np.testing.assert_array_equal(fresh.binding.joint_weights, known.binding.joint_weights)
                np.testing.assert_array_equal(fresh.skeleton.rest_global, known.skeleton.rest_global)
                self.assertEqual(fresh.binding is other.binding, other is known)

    def test_weights_of_a_joint_that_is_not_there_are_refused(self):
        base = tube()
        for joints in (np.array([[3]]), np.array([[-1]]), np.array([[0, 1]])):
            arrays = Kept()
            ref = arrays.put("weights", "", joints.repeat(len(base.mesh), 0), np.ones((len(base.mesh), 1), np.float32))
            with self.assertRaisesRegex(BadFileError, "joint that is not there"):
                from_document(base, {"version": 2, "weights": ref}, arrays)


class Groups(unittest.TestCase):
    def test_what_a_document_does_not_say_of_a_group_is_on_and_once(self):
        group = Group.from_document({"name": "G"})
        self.assertEqual((group.factor, group.on), (1.0, True))
        self.assertEqual(Group.from_document({**group.to_document(), "on": False}).on, False)


class Members(unittest.TestCase):
    def test_a_group_means_its_remedies_and_a_remedy_itself(self):
        empty = Corrective.of(Shape("s", np.zeros(0, np.int32), np.zeros((0, 3), np.float32)))
        remedies = tuple(Remedy(empty, n, id=n, group=g) for n, g in (("a", "g"), ("b", None), ("c", "g")))
        rules = Rules(groups=(Group("G", id="g"), Group("H", id="h")), remedies=remedies)
        self.assertEqual([rules.members(i) for i in ("g", "h", "b")], [("a", "c"), (), ("b",)])
