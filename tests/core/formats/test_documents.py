"""What is written as plain data comes back as it was, of every kind, no number left as it is made."""

import dataclasses
import json
import unittest
from types import SimpleNamespace

import numpy as np
from scipy.spatial.transform import Rotation

from plethos.core.motion.motion import Motion
from plethos.core.rules.remedies import Corrective, Helper, Relaxer, Remedy, Share, SkinBlend, Target, VolumeKeeper
from plethos.core.rules.remedies.helper_rules.anchor import Anchor
from plethos.core.rules.remedies.helper_rules.grow import Grow
from plethos.core.rules.remedies.helper_rules.limit import Limit
from plethos.core.rules.remedies.helper_rules.push import Push
from plethos.core.rules.remedies.helper_rules.slide import Slide
from plethos.core.rules.remedies.order import Order
from plethos.core.rules.remedies.remedy import KINDS, remedy_from_document
from plethos.core.rules.response import Response
from plethos.core.rules.triggers import KINDS as TRIGGERS
from plethos.core.rules.triggers import trigger_from_document
from plethos.core.skin.mask import Mask
from plethos.core.skin.shape import Shape
from tests.making import everything

X, Y, Z = (1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)


class Kept:
    """Arrays by number, as they are; the rest of a document has to be plain data."""

    def __init__(self):
        self.held = []

    def put(self, kind, label, *arrays):
        self.held.append(arrays)
        return len(self.held) - 1

    def get(self, kind, ref):
        return self.held[ref]


class AsItWas(unittest.TestCase):
    def setUp(self):
        self.whole = everything(np.random.default_rng(3))
        self.skeleton, self.arrays = self.whole.skeleton, Kept()
        self.upper, self.pusher = (self.skeleton.find(n) for n in ("upper", "pusher"))
        self.mask = Mask(np.array([2, 5, 9], np.int32), np.array([0.25, 1.0, 0.5], np.float32))

    def same(self, one, other, where=""):
        """Equal field by field, numbers to rounding: degrees are written for radians."""
        self.assertIs(type(one), type(other), where)
        if dataclasses.is_dataclass(one):
            for field in dataclasses.fields(one):
                self.same(getattr(one, field.name), getattr(other, field.name), f"{where}.{field.name}")
        elif isinstance(one, np.ndarray):
            self.assertEqual(one.dtype, other.dtype, where)
            np.testing.assert_array_equal(one, other, where)
        elif isinstance(one, tuple | list):
            self.assertEqual(len(one), len(other), where)
            for k, pair in enumerate(zip(one, other, strict=True)):
                self.same(*pair, f"{where}[{k}]")
        elif isinstance(one, float):
            self.assertAlmostEqual(one, other, places=12, msg=where)
        else:
            self.assertEqual(one, other, where)

    def shape(self, name):
        deltas = np.array([[0.1, 0.2, 0.3], [-0.1, 0, 0], [0, 0, 4e-3]], np.float32)
        return Shape(name, np.array([1, 4, 6], np.int32), deltas)

    def bodies(self):
        bend = Response((-0.4, 0.9, 1.7), (0.0, 0.02, 0.05))
        pose = {"joints": {"upper": {"quaternion_xyzw": [0.0, 0.6, 0.0, 0.8]}}}
        yield Corrective(
            (Target(self.shape("a"), 0.3, pose), Target(self.shape("b"), 1.0, {"joints": {}}, {"residual": 0.5}))
        )
        rules = (
            Anchor.of(self.skeleton, self.pusher, self.skeleton.find("lower"), self.upper),
            Share(self.upper, 0.35, "twist", X),
            Slide(self.upper, Z, X, bend),
            Grow(self.upper, Y, Response((0.0, 1.2), (1.0, 1.4))),
            Push("bend", Z, -0.03),
            Limit(X, -0.3, 1.2),
        )
        yield Helper(self.pusher, rules, self.mask)
        yield Helper(self.pusher, (Limit(Y, -0.2), Limit(Z, high=0.6)))
        yield SkinBlend(self.mask)
        yield Relaxer(self.mask, 7)
        yield VolumeKeeper(self.mask, 0.93, 0.012)
        yield Order("arm", "trunk", True)

    def test_remedies_of_every_kind(self):
        seen = set()
        for body in self.bodies():
            remedy = Remedy(
                body, "called", by="bend", on=False, amount=0.7, group="g", twin="t", notes=("moved",), id="r"
            )
            document = json.loads(json.dumps(remedy.to_document(self.skeleton, self.arrays)))
            self.same(remedy, remedy_from_document(document, self.skeleton, self.arrays), body.kind)
            seen.add(body.kind)
        self.assertEqual(seen, set(KINDS))

    def test_triggers_of_every_kind(self):
        for trigger in self.whole.rules.triggers:
            document = json.loads(json.dumps(trigger.to_document(self.skeleton)))
            self.same(trigger, trigger_from_document(document, self.skeleton), trigger.kind)
        self.assertEqual({t.kind for t in self.whole.rules.triggers}, set(TRIGGERS))

    def motion(self):
        draw = np.random.default_rng(4)
        turned = Rotation.random(6, rng=draw).as_quat().reshape(2, 3, 4).astype(np.float32)
        return Motion(
            "walk", 0.04, ("hips", "spine", "head"), (-1, 0, 1), draw.normal(size=(3, 3)), turned,
            draw.normal(size=(2, 3)).astype(np.float32), {"spine": "upper", "head": "lower"},
        )  # fmt: skip

    def test_a_motion(self):
        motion = self.motion()
        document = json.loads(json.dumps(motion.to_document(self.arrays)))
        self.same(motion, Motion.from_document(document, self.arrays))

    def test_a_motion_that_other_joints_take_on_moves_as_it_did(self):
        motion = self.motion()
        np.testing.assert_allclose(
            motion.rest_places, [[0, 0, 0], motion.offsets[1], motion.offsets[1] + motion.offsets[2]]
        )
        other = motion.mapped({"hips": "upper"})
        self.assertEqual(other.mapping, {"hips": "upper"})
        self.same(dataclasses.replace(other, mapping=motion.mapping), motion)
        carried = motion.carried(SimpleNamespace(name={"upper": "arm", "lower": None}.get))
        self.assertEqual(carried.mapping, {"spine": "arm"})
        self.same(dataclasses.replace(carried, mapping=motion.mapping), motion)

    def test_another_mask_or_one_more_note_changes_nothing_else(self):
        other = Mask(np.array([3], np.int32), np.array([1.0], np.float32))
        for body in self.bodies():
            remedy = Remedy(body, "called", by="bend", amount=0.7, notes=("moved",), id="r")
            noted = remedy.noted("turned")
            self.assertEqual(noted.notes, ("moved", "turned"))
            self.same(dataclasses.replace(noted, notes=remedy.notes), remedy)
            self.assertIs(noted.noted("moved"), noted)
            if hasattr(body, "mask"):
                masked = remedy.with_mask(other)
                self.same(masked.mask, other)
                self.same(dataclasses.replace(masked, body=dataclasses.replace(masked.body, mask=body.mask)), remedy)

    def test_an_in_between_is_moved_or_taken_out_and_the_others_stay(self):
        body = next(self.bodies())
        one, last = body.targets
        moved = body.retimed(0.3, 0.6)
        self.same(moved.targets, (dataclasses.replace(one, at=0.6), last))
        self.assertIs(moved.targets[0].shape, one.shape)
        self.same(body.without_target(0.3).targets, (last,))
