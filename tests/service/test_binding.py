"""Binding on a real database: strokes are stored and undone, automatic weights come or are cancelled, remedies stay."""

import math
import unittest

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_read import read_character
from plethos.core.measure.travel import bent
from plethos.core.sculpt.session import Dab
from plethos.demo.catalogue import shipped
from plethos.service.edits import weight_edits
from plethos.service.library.workbench import Workbench
from plethos.service.schemas.bind import VertexChoice
from plethos.service.schemas.tools import PaintSettings
from plethos.service.sculpts import kept_sculpt, session
from plethos.store.repository import Store
from tests.figures import tube_file
from tests.light import light_keeper
from tests.long_work import delivered, done
from tests.server import fresh_database
from tests.strokes import desk, paint, sculpt


class Binding(unittest.TestCase):
    def setUp(self):
        self.url = fresh_database()
        self.bench = Workbench(Store(self.url))
        self.addCleanup(self.bench.store.close)
        self.id = self.bench.bring_in("Tube", tube_file().pack())
        self.opened = self.bench.open(self.id)
        self.skeleton = self.opened.character.skeleton
        self.upper = self.skeleton.find("upper")
        self.pose = bent(self.skeleton.rest_pose(), self.upper, (0, 0, 1), math.radians(80))

    def dab(self, height: float = 0.3) -> Dab:
        """A touch on the +X side of the tube, in the bent pose."""
        posed = Evaluator.of(self.opened.character).pose(self.pose).points
        t = self.opened.character.mesh.topology.triangles
        middle = self.opened.rest[t].mean(axis=1)
        triangle = int(np.argmin(np.linalg.norm(middle - [0.1, height, 0], axis=1)))
        return Dab(triangle, tuple(posed[t[triangle]].mean(axis=0).tolist()), 0.12, 1.0)

    def stroke(self) -> np.ndarray:
        at = desk(self.opened)
        at.touch(at.version, "paint", self.pose, PaintSettings(mode="replace", joint="upper"), [self.dab()])
        live = at.stroke.evaluator().pose(self.pose).points
        at.end_stroke(self.bench)
        self.assertIsNone(at.stroke)
        return live

    def paint(self, height: float, mode: str = "replace") -> None:
        paint(self.bench, self.opened, self.pose, [self.dab(height)], "upper", mode)

    def test_a_stroke_shows_at_once_what_is_stored_when_it_ends(self):
        before = Evaluator.of(self.opened.character).pose(self.pose).points
        live = self.stroke()
        self.assertGreater(np.abs(live - before).max(), 0.02)
        np.testing.assert_allclose(Evaluator.of(self.opened.character).pose(self.pose).points, live, atol=1e-6)

    def test_strokes_survive_a_new_process_and_are_undone_one_by_one(self):
        first = self.opened.character.binding.joint_weights
        self.stroke()
        second = self.opened.character.binding.joint_weights
        self.paint(0.2)
        third = self.opened.character.binding.joint_weights
        self.assertGreater(np.abs(third - second).max(), 0.1)
        other = Workbench(Store(self.url))
        self.addCleanup(other.store.close)
        np.testing.assert_allclose(other.open(self.id).character.binding.joint_weights, third, atol=1e-6)
        for wanted in (second, first):
            np.testing.assert_allclose(other.step(self.id, -1).character.binding.joint_weights, wanted, atol=1e-6)
        self.assertIsNone(other.open(self.id).revision.document["weights"])
        np.testing.assert_allclose(other.step(self.id, +1).character.binding.joint_weights, second, atol=1e-6)

    def test_weights_and_remedies_keep_each_other(self):
        self.stroke()
        painted = self.opened.character.binding.joint_weights
        session.begin(self.bench, self.id, self.pose, None)
        with self.assertRaisesRegex(BadEditError, "sculpt is in progress"):
            self.paint(0.3)
        sculpt(self.bench, self.opened, "inflate", self.dab(0.5))
        kept_sculpt.keep(self.bench, self.id, "Bulge", kept_sculpt.propose_trigger(self.opened))
        np.testing.assert_allclose(self.opened.character.binding.joint_weights, painted, atol=1e-6)
        self.paint(0.2)
        self.assertEqual([r.name for r in self.opened.character.rules.remedies], ["Bulge"])
        back = read_character(parse(delivered(self.bench, self.id).data), "Tube")
        np.testing.assert_allclose(back.binding.joint_weights, self.opened.character.binding.joint_weights, atol=1e-5)
        self.assertEqual([r.name for r in back.rules.remedies], ["Bulge"])

    def test_the_measures_follow_the_weights(self):
        before = self.opened.version.measures.bend(self.upper).at(self.pose).volume
        for height in (0.3, 0.35, 0.4, 0.6, 0.65):
            self.paint(height, "smooth")
        self.assertNotAlmostEqual(
            self.opened.version.measures.bend(self.upper).at(self.pose).volume, before, delta=0.01
        )

    def test_automatic_weights_of_all_or_some_are_one_step(self):
        done(self.bench, "automatic", self.id)
        self.assertEqual(self.opened.revision.number, 1)
        done(self.bench, "automatic", self.id, joints=["upper"])
        self.assertEqual(self.opened.revision.label, "Automatic weights of upper")

    def test_teeth_given_to_the_jaw_keep_every_edge(self):
        # Worked case: the lower teeth follow the jaw, the upper the head, rigidly.
        keeper = self.bench.bring_in("Lock keeper", shipped("lock-keeper-bare"))
        done(self.bench, "automatic", keeper)
        opened = self.bench.open(keeper)
        skeleton = opened.character.skeleton
        pose = bent(skeleton.rest_pose(), skeleton.find("jaw"), (0, 0, 1), math.radians(20))
        for part, joint in (("lower teeth", "jaw"), ("upper teeth", "head")):
            weight_edits.give(self.bench, keeper, VertexChoice(part=part), joint)
        posed = Evaluator.of(opened.character).pose(pose).points
        edges = opened.character.mesh.topology.edges
        for part in opened.character.mesh.parts:
            if "teeth" not in part.name:
                continue
            own = edges[(edges[:, 0] >= part.vertices[0]) & (edges[:, 0] < part.vertices[1])]
            lengths = [np.linalg.norm(p[own[:, 0]] - p[own[:, 1]], axis=1) for p in (opened.rest, posed)]
            np.testing.assert_allclose(lengths[0], lengths[1], atol=1e-6)
            start = part.vertices[0]
            self.assertEqual(np.linalg.norm(posed[start] - opened.rest[start]) > 0.005, part.name.startswith("lower"))

    def test_stray_weights_are_listed_with_a_place_and_mended(self):
        keeper = self.bench.bring_in("Lock keeper", light_keeper())
        opened = self.bench.open(keeper)
        skeleton, rest = opened.character.skeleton, opened.rest
        t = opened.character.mesh.topology.triangles
        triangle = int(np.argmin(np.linalg.norm(rest[t].mean(axis=1) - [-0.04, 0.66, 0.0], axis=1)))
        touch = Dab(triangle, tuple(rest[t[triangle]].mean(axis=0).tolist()), 0.07, 1.0)
        paint(self.bench, opened, skeleton.rest_pose(), [touch], "left_thigh", "add", 1.0, 0.4)
        found = [f for f in weight_edits.findings(opened) if f["kind"] == "stray"]
        self.assertEqual([f["joint"] for f in found], ["left_thigh"])
        self.assertLess(np.linalg.norm(np.array(found[0]["at"]) - [-0.04, 0.66, 0.0]), 0.08)
        weight_edits.mend(self.bench, keeper, "stray", "left_thigh")
        self.assertEqual([f for f in weight_edits.findings(opened) if f["kind"] == "stray"], [])
        with self.assertRaisesRegex(BadEditError, "nothing of that kind"):
            weight_edits.mend(self.bench, keeper, "stray")

    def test_a_vertex_is_set_by_number_and_the_others_make_up_for_it(self):
        vertex = int(np.argmin(np.abs(self.opened.character.binding.joint_weights[:, self.upper] - 0.5)))
        told = dict(weight_edits.influences(self.opened.character, vertex))
        self.assertAlmostEqual(sum(told.values()), 1, places=6)
        weight_edits.set_weight(self.bench, self.id, vertex, "upper", 0.8, [], False)
        self.assertEqual([n for n, _ in weight_edits.influences(self.opened.character, vertex)], ["upper", "lower"])
        np.testing.assert_allclose(
            [w for _, w in weight_edits.influences(self.opened.character, vertex)], [0.8, 0.2], atol=1e-6
        )
        for weight, words in ((1.5, "between 0 and 1"), (float("nan"), "between 0 and 1")):
            with self.assertRaisesRegex(BadEditError, words):
                weight_edits.set_weight(self.bench, self.id, vertex, "upper", weight, [], False)
        with self.assertRaisesRegex(BadEditError, "no vertex"):
            weight_edits.influences(self.opened.character, 10_000)
        self.assertEqual(self.opened.revision.number, 1)

    def test_what_is_not_there_is_told(self):
        with self.assertRaisesRegex(BadEditError, "no part"):
            weight_edits.give(self.bench, self.id, VertexChoice(part="hat"), "upper")

    def test_a_refused_stroke_leaves_nothing(self):
        at = desk(self.opened)
        with self.assertRaisesRegex(BadEditError, "locked"):
            at.touch(
                at.version,
                "paint",
                self.pose,
                PaintSettings(mode="add", joint="upper", locked=self.skeleton.names),
                [self.dab()],
            )
        at.end_stroke(self.bench)
        self.assertEqual(self.opened.revision.number, 0)
