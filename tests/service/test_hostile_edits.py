"""Whatever an edit is made of: it is refused with a sentence, or what was stored opens again and can be posed."""

import json
import math
import unittest

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from plethos.core.errors import PlethosError
from plethos.core.skeleton.pose_files import pose_from_document
from plethos.service.desk.desk import Desk
from plethos.service.desk.frame import frame
from plethos.service.edits import dial_edits, joint_edits, mask_edits, region_edits, rule_edits, weight_edits
from plethos.service.library.workbench import Workbench
from plethos.service.proposals import correctives, helpers
from plethos.service.schemas.bind import Pick
from plethos.service.schemas.want import Want
from plethos.service.sculpts import session
from plethos.store.repository import Store
from tests.figures import tube_file
from tests.server import fresh_database

NUMBERS = st.sampled_from([0.0, 1.0, -0.5, 90.0, 1e-300, 5e-324, 1e7, 1e20, 3e38, 1e300, -1e300, math.inf, math.nan])
TEXTS = st.sampled_from(["name", "a\x00b", "\ud800", "", " ", "\\u0000", "x" * 500, "é\u202e", "a/b", "%00"])
TRIPLES = st.tuples(NUMBERS, NUMBERS, NUMBERS)


def trigger(axis, knots, name, own="t"):
    knots = [{"angle_deg": a, "value": v} for a, v in knots]
    return {"kind": "hinge", "id": own, "name": name, "joint": "upper", "axis": axis, "knots": knots}


def corrective(delta, name, amount, own="c", by="t", pose=None):
    target = {"at": 1, "name": name, "shape": {"vertices": [3], "deltas": [delta]}, "pose": pose}
    return {"kind": "corrective", "id": own, "name": name, "by": by, "amount": amount, "targets": [target]}


def pose(opened, triple, key):
    return pose_from_document(opened.character.skeleton, {"joints": {"upper": {key: triple}}})


def keeper(share, most):
    mask = {"vertices": list(range(200, 320)), "shares": [1.0] * 120}
    return {"kind": "volume_keeper", "id": "k", "name": "keep", "mask": mask, "share": share, "most": most}


def helper(kind, axis, along, knots, x):
    """A helper of nonsense: the upper joint follows the lower by one rule."""
    rules = {
        "slide": {
            "joint": "lower",
            "axis": axis,
            "along": along,
            "knots": [{"angle_deg": a, "metres": v} for a, v in knots],
        },
        "grow": {"joint": "lower", "axis": axis, "knots": [{"angle_deg": a, "factor": v} for a, v in knots]},
        "limit": {"axis": axis, "low_deg": x, "high_deg": None},
        "push": {"value": "wet", "along": along, "metres": x},
        "share": {"joint": "lower", "share": x, "part": "all", "axis": axis},
        "anchor": {"place": "lower", "turn": "upper"},
    }
    return {"kind": "helper", "id": "h", "name": "helper", "joint": "upper", "rules": [{"kind": kind, **rules[kind]}]}


def axes_share(axes, share):
    rule = {"kind": "share", "joint": "lower", "share": share, "part": "axes", "axes": axes}
    return {"kind": "helper", "id": "h", "name": "helper", "joint": "upper", "rules": [rule]}


UP = (0.0, 0.0, 1.0)
KNOTS = st.lists(st.tuples(NUMBERS, NUMBERS), min_size=2, max_size=3)
EDITS = st.one_of(
    st.builds(lambda a: lambda b, i: joint_edits.move(b, i, "upper", a, False), TRIPLES),
    st.builds(lambda n, a: lambda b, i: joint_edits.make(b, i, n, "upper", a, False), TEXTS, TRIPLES),
    st.builds(lambda a: lambda b, i: joint_edits.turn(b, i, "upper", a, False), TRIPLES),
    st.builds(lambda n: lambda b, i: joint_edits.rename(b, i, "lower", n, False), TEXTS),
    st.builds(lambda a, x, y: lambda b, i: joint_edits.set_hinge(b, i, "upper", a, x, y, False),
              TRIPLES, NUMBERS, NUMBERS),
    st.builds(lambda a, k, n: lambda b, i: rule_edits.put_trigger(b, i, trigger(a, k, n)), TRIPLES, KNOTS, TEXTS),
    st.builds(lambda k, n: lambda b, i: rule_edits.put_trigger(b, i, trigger((0, 0, 1), k, n, n)), KNOTS, TEXTS),
    st.builds(lambda d, n, x: lambda b, i: rule_edits.add_remedy(b, i, corrective(d, n, x)), TRIPLES, TEXTS, NUMBERS),
    st.builds(lambda n, m: lambda b, i: rule_edits.add_remedy(b, i, corrective(UP, n, 1, m, m)), TEXTS, TEXTS),
    st.builds(lambda n, v: lambda b, i: rule_edits.add_remedy(b, i, corrective(UP, n, 1, pose={n: v})), TEXTS, NUMBERS),
    st.builds(lambda n, x, y: lambda b, i: dial_edits.put_dial(b, i, {"name": n, "low": 0, "high": x, "start": y}),
              TEXTS, NUMBERS, NUMBERS),
    st.builds(lambda n, x: lambda b, i: dial_edits.put_group(b, i, {"name": n, "factor": x}, None), TEXTS, NUMBERS),
    st.builds(lambda x: lambda b, i: rule_edits.set_amount(b, i, "c", x), NUMBERS),
    st.builds(lambda x, y: lambda b, i: rule_edits.add_remedy(b, i, keeper(x, y)), NUMBERS, NUMBERS),
    st.builds(lambda r, a, w, k, x: lambda b, i: rule_edits.add_remedy(b, i, helper(r, a, w, k, x)),
              st.sampled_from(["slide", "grow", "limit", "push", "share", "anchor"]), TRIPLES, TRIPLES, KNOTS, NUMBERS),
    st.builds(lambda a, x: lambda b, i: rule_edits.bake(b, i, "k", "upper", a, [x]), TRIPLES, NUMBERS),
    st.builds(lambda x: lambda b, i: correctives.add_between(b, i, "c", x), NUMBERS),
    st.builds(lambda x, y: lambda b, i: rule_edits.set_body(b, i, "k", {"share": x, "most": y}), NUMBERS, NUMBERS),
    st.sampled_from([lambda b, i: mask_edits.set_mask(b, i, "k", "soften"), lambda b, i: rule_edits.add_twins(b, i)]),
    st.builds(lambda h, n: lambda b, i: mask_edits.set_mask(b, i, "k", h, n),
              st.sampled_from([*mask_edits.MADE, "pick"]), TEXTS),
    st.builds(lambda k, n: lambda b, i: mask_edits.add_masked(b, i, k, n),
              st.sampled_from(["skin_blend", "relaxer", "volume_keeper"]), st.sampled_from(["upper", "lower", "\x00"])),
    st.builds(lambda x, e: lambda b, i: helpers.share_roll(b, i, "upper", x, e), st.integers(-3, 99), st.booleans()),
    st.builds(lambda a, o, x: lambda b, i: rule_edits.add_remedy(b, i, axes_share([a, o], x)),
              TRIPLES, TRIPLES, NUMBERS),
    st.just(lambda b, i: region_edits.choose(b, i, Pick(by="all"), None, False)),
    st.builds(lambda n: lambda b, i: region_edits.keep(b, i, n), TEXTS),
    st.builds(lambda x: lambda b, i: region_edits.reshape(b, i, "soften", x), NUMBERS),
    st.builds(lambda x: lambda b, i: weight_edits.set_weight(b, i, 3, "upper", x, [], False), NUMBERS),
    st.builds(lambda n, a, x: lambda b, i: helpers.make_helper(b, i, n, "upper", a, [{"of": "upper", "share": x}]),
              TEXTS, TRIPLES, NUMBERS),
    st.builds(lambda a, k: lambda b, i: session.begin(b, i, pose(b.open(i), a, k), None), TRIPLES,
              st.sampled_from(["translation", "scale", "euler_xyz_deg"])),
    st.builds(lambda n: lambda b, i: b.rename(i, n), TEXTS),
)  # fmt: skip


class HostileEdits(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.url = fresh_database()
        cls.store = Store(cls.url)
        cls.bench = Workbench(cls.store)
        cls.file = tube_file().pack()

    @classmethod
    def tearDownClass(cls):
        cls.store.close()

    @settings(max_examples=80, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))
    @given(st.lists(EDITS, min_size=1, max_size=4))
    def test_what_is_accepted_opens_again_and_can_be_posed(self, wanted):
        character = self.bench.bring_in("Tube", self.file)
        done = 0
        for one in wanted:
            try:
                one(self.bench, character)
                done += 1
            except PlethosError as error:
                self.assertTrue(error.sentence.endswith("."), error.sentence)
        again = Workbench(self.store)
        opened = again.open(character)
        now = self.bench.open(character)
        self.assertEqual(again.store.current(character).document, now.revision.document)
        json.dumps(opened.revision.document, allow_nan=False)
        rest = opened.character.skeleton.rest_pose()
        for each in (opened, now):
            desk = Desk(each, {})
            with np.errstate(over="raise", invalid="raise"):
                frame(desk, each.version, rest, Want(without=True, measure="upper"), {"seq": 1})
        for _ in range(done):
            again.step(character, -1)
        self.assertEqual(again.open(character).revision.number, 0)
