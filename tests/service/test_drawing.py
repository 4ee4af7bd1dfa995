"""Drawings on the workbench: strokes on outlines are stored, a split fill is undone and redone, clips are delivered."""

import dataclasses
import json
import math
import unittest

import numpy as np

from plethos.core.errors import BadEditError, BadPoseError
from plethos.core.evaluate import NONE, Evaluator
from plethos.core.formats.files import read_file
from plethos.core.formats.svg_write import write_drawing
from plethos.core.propose.flat_mend import width_kept
from plethos.core.sculpt.session import Dab
from plethos.demo.shelf import shipped
from plethos.service.desk.frame import frame
from plethos.service.edits import dial_edits, drawing_edits, joint_edits
from plethos.service.library.poses import pose_of
from plethos.service.library.workbench import Workbench
from plethos.service.proposals import correctives, helpers
from plethos.service.proposals.first_mends import MendAsked, first_mend
from plethos.service.schemas.tools import OutlineSettings, PaintSettings, PickSettings
from plethos.service.schemas.want import Want
from plethos.service.sculpts import kept_sculpt, session
from plethos.store.repository import Store
from plethos.store.sweep import Sweep
from tests.drawings import ARM, bar, laid, svg
from tests.long_work import delivered
from tests.server import fresh_database
from tests.strokes import desk
from tests.web.test_api import unpack


def turned(**degrees) -> dict:
    return {"joints": {n: {"euler_xyz_deg": [0, 0, d]} for n, d in degrees.items()}}


class OnADrawing(unittest.TestCase):
    def setUp(self):
        self.store = Store(fresh_database())
        self.addCleanup(self.store.close)
        self.bench = Workbench(self.store)
        character, file = laid(
            svg(f'<g id="limb">{bar(points=6)}</g>', '<g id="hat"><circle cx="0" cy="-90" r="15"/></g>')
        )
        self.id = self.bench.bring_in("limb.svg", write_drawing(character, file))
        self.opened = self.bench.open(self.id)

    def pose(self, **degrees):
        return pose_of(self.opened.version, turned(**degrees))

    def stroke(self, brush, vertex, drag=(0, 0, 0), strength=1.0, radius=0.0, **more):
        page = desk(self.opened)
        held = self.opened.version.sculpt
        page.touch(page.version, "outline", held.pose, OutlineSettings(brush=brush, **more),
                   [Dab(vertex, (0, 0, 0), radius, strength, drag)])  # fmt: skip
        shown = unpack(frame(page, page.version, held.pose, Want(), {"seq": 1}))
        page.end_stroke(self.bench)
        return shown

    def again(self):
        """The character as another process reads it from the store."""
        other = Workbench(self.store)
        return other.open(self.id)


class Strokes(OnADrawing):
    def test_points_and_widths_are_stored_with_every_stroke_and_kept_as_a_corrective(self):
        session.begin(self.bench, self.id, self.pose(lower=70), None)
        _, shown = self.stroke("move", 15, (4, 6, 0))
        np.testing.assert_allclose(
            shown["with"].reshape(-1, 3)[15] - self.opened.version.sculpt.start[15], [4, 6, 0], atol=1e-4
        )
        self.assertEqual(len(shown["widths"]), len(self.opened.character.mesh) // 3)
        self.stroke("width", 15, strength=2.0)
        held = self.again().sculpt
        self.assertEqual(held.note.strokes, 2)
        np.testing.assert_allclose((held.points - held.start)[15:18], [[4, 6, 0]] * 3, atol=1e-4)
        self.assertAlmostEqual(held.channels[15, 0], 3 * held.start_channels[15, 0], places=4)
        # One step back is one stroke.
        self.bench.step(self.id, -1)
        self.assertEqual(self.opened.sculpt.channels[15, 0], self.opened.sculpt.start_channels[15, 0])
        self.bench.step(self.id, +1)
        rule = kept_sculpt.propose_trigger(self.opened.version)
        self.assertEqual(rule["joint"], "lower")
        wanted = self.opened.sculpt.points.copy()
        kept_sculpt.keep(self.bench, self.id, "knee", rule)
        made = Evaluator.of(self.again().character).pose(self.pose(lower=70))
        np.testing.assert_allclose(made.exact_points(), wanted, atol=1e-3)
        self.assertAlmostEqual(float(made.channels[15, 0]), 3, places=4)
        self.assertAlmostEqual(
            float(Evaluator.of(self.opened.character).pose(self.pose(lower=70), NONE).channels[15, 0]), 1
        )

    def test_a_sculpt_of_widths_alone_is_kept_too(self):
        session.begin(self.bench, self.id, self.pose(lower=70), None)
        self.stroke("width", 15, strength=1.0)
        kept_sculpt.keep(self.bench, self.id, "wide", kept_sculpt.propose_trigger(self.opened.version))
        made = Evaluator.of(self.opened.character).pose(self.pose(lower=70))
        self.assertAlmostEqual(float(made.channels[15, 0]), 2, places=4)

    def test_two_pages_at_one_sculpt_do_not_lose_each_other(self):
        session.begin(self.bench, self.id, self.pose(lower=70), None)
        one, other = desk(self.opened), desk(self.opened)
        pose = self.opened.sculpt.pose
        one.touch(one.version, "outline", pose, OutlineSettings(brush="move"), [Dab(15, (0, 0, 0), 0, 1, (5, 0, 0))])
        held = self.opened.sculpt
        self.bench.commit(
            self.opened, "elsewhere", self.opened.character,
            held.after(dataclasses.replace(held.note, strokes=1), held.points + [0, 1, 0], held.channels + 1),
        )  # fmt: skip
        one.end_stroke(self.bench)
        now = self.opened.sculpt
        np.testing.assert_allclose((now.points - now.start)[15], [5, 1, 0], atol=1e-4)
        self.assertAlmostEqual(now.channels[15, 0] - now.start_channels[15, 0], 1, places=5)
        self.assertIsNone(other.stroke)

    def test_nonsense_moves_nothing(self):
        page = desk(self.opened)
        with self.assertRaisesRegex(BadEditError, "No sculpt"):
            page.touch(page.version, "outline", self.pose(), OutlineSettings(brush="move"), [])
        session.begin(self.bench, self.id, self.pose(lower=70), None)
        page = desk(self.opened)
        for settings, dab in (
            (OutlineSettings(brush="move"), Dab(-4, (0, 0, 0), 0, 1)),
            (OutlineSettings(brush="move", picked=(10**7,)), Dab(0, (0, 0, 0), 0, 1)),
            (OutlineSettings(brush="width"), Dab(0, (0, 0, 0), 0, math.inf)),
        ):  # fmt: skip
            with self.assertRaises(BadEditError):
                page.touch(page.version, "outline", self.opened.sculpt.pose, settings, [dab])
        self.assertEqual(self.opened.sculpt.note.strokes, 0)

    def test_weights_are_painted_and_points_picked_by_the_same_brushes_as_on_a_skin(self):
        page = desk(self.opened)
        at = tuple(self.opened.rest[15].astype(float).tolist())
        page.touch(
            page.version,
            "paint",
            self.pose(),
            PaintSettings(mode="replace", joint="upper", value=1.0, strength=1.0),
            [Dab(0, at, 15.0, 1.0)],
        )
        page.end_stroke(self.bench)
        dense = self.again().character.binding.joint_weights
        self.assertGreater(dense[15, self.opened.character.skeleton.find("upper")], 0.99)
        np.testing.assert_array_equal(dense[::3], dense[1::3])
        page = desk(self.opened)
        page.touch(page.version, "pick", self.pose(), PickSettings(), [Dab(0, at, 15.0, 1.0)])
        page.end_stroke(self.bench)
        self.assertGreater(self.opened.character.region()[15], 0.5)

    def test_the_width_is_kept_in_one_step(self):
        first_mend(self.bench, self.id, MendAsked(self.pose(lower=80), "lower"))
        measured = self.opened.version.measures.bend(self.opened.character.skeleton.find("lower"))
        held = self.opened.sculpt
        self.assertGreater(measured.of_points(held.points[measured.site.vertices]).girth, 90)
        self.assertLess(measured.of_points(held.start[measured.site.vertices]).girth, 80)

    def test_an_in_between_keeps_the_width_at_its_own_angle(self):
        first_mend(self.bench, self.id, MendAsked(self.pose(lower=100), "lower"))
        kept_sculpt.keep(self.bench, self.id, "knee", kept_sculpt.propose_trigger(self.opened.version))
        (card,) = self.opened.character.rules.remedies
        character, joint = self.opened.character, self.opened.character.skeleton.find("lower")
        wanted = width_kept(character, joint, self.pose(lower=40), NONE)

        def away():
            made = Evaluator.of(self.opened.character).pose(self.pose(lower=40))
            return np.abs(made.exact_points() - wanted).max()

        before = away()
        correctives.add_between(self.bench, self.id, card.id, 40.0)
        self.assertGreater(before, 0.1)
        self.assertLess(away(), 1e-3)


class Split(OnADrawing):
    def test_it_is_stored_undone_redone_and_delivered(self):
        before = self.opened.character.mesh
        points = len(before)
        session.begin(self.bench, self.id, self.pose(lower=70), None)
        with self.assertRaisesRegex(BadEditError, "in progress"):
            drawing_edits.split(self.bench, self.id, "lower")
        session.drop(self.bench, self.id)
        made = drawing_edits.split(self.bench, self.id, "lower")
        self.assertGreater(len(made.character.mesh), points)
        other = self.again()
        np.testing.assert_array_equal(other.character.mesh.rest, self.opened.character.mesh.rest)
        self.assertEqual(len(other.bare.mesh), len(made.character.mesh))
        # An edit on top of it, then both undone and done again, by this process and by another.
        dial_edits.put_dial(self.bench, self.id, {"name": "belly", "low": 0, "high": 1, "start": 0})
        self.bench.step(self.id, -1)
        self.assertEqual(len(self.opened.character.mesh), len(made.character.mesh))
        self.bench.step(self.id, -1)
        self.assertEqual(len(self.opened.character.mesh), points)
        self.assertEqual(len(self.again().character.mesh), points)
        self.bench.step(self.id, +1)
        self.bench.step(self.id, +1)
        self.assertEqual(len(self.opened.character.mesh), len(made.character.mesh))
        self.assertEqual([d.name for d in self.opened.character.rules.dials], ["belly"])
        Sweep(self.store.transactions).all()
        file = delivered(self.bench, self.id)
        self.assertTrue(file.name.endswith(".svg"))
        _, back = read_file(file.name, file.data)
        np.testing.assert_allclose(back.mesh.rest, made.character.mesh.rest, atol=1e-4)
        self.assertEqual(back.skeleton.names, made.character.skeleton.names)

    def test_a_process_that_looked_on_takes_the_split_drawing_over(self):
        other = Workbench(self.store)
        watching = other.open(self.id)
        made = drawing_edits.split(self.bench, self.id, "lower")
        other.shelf.catch_up(self.id)
        np.testing.assert_array_equal(watching.character.mesh.rest, made.character.mesh.rest)

    def test_where_nothing_is_to_be_split_nothing_is_stored(self):
        head = self.opened.revision.id
        for joint, part, why in (
            ("end", None, "nothing to be split"),
            ("lower", "hat", "nothing to be split"),
            ("lower", "x", "no part"),
        ):
            with self.assertRaisesRegex(BadEditError, why):
                drawing_edits.split(self.bench, self.id, joint, part)
        with self.assertRaises(BadPoseError):
            drawing_edits.split(self.bench, self.id, "nobody")
        self.assertEqual(self.opened.revision.id, head)


class OrderAndHelpers(OnADrawing):
    def test_a_part_comes_to_the_front_where_the_bend_is_held(self):
        drawing_edits.start_order(self.bench, self.id, self.pose(lower=-60), "lower", "limb", "hat", False)
        version = self.again().version
        for degrees, order in ((0, [0, 1]), (-25, [0, 1]), (-35, [1, 0]), (-90, [1, 0]), (60, [0, 1])):
            head, _ = unpack(
                frame(desk(self.opened), version, pose_of(version, turned(lower=degrees)), Want(), {"seq": 1})
            )
            self.assertEqual(head["order"], order, degrees)
        with self.assertRaisesRegex(BadEditError, "itself"):
            drawing_edits.start_order(self.bench, self.id, self.pose(lower=60), "lower", "hat", "hat", False)
        with self.assertRaisesRegex(BadEditError, "no part"):
            drawing_edits.start_order(self.bench, self.id, self.pose(lower=60), "lower", "hat", "glove", False)

    def test_a_helper_at_a_point_takes_half_of_the_turn(self):
        pose = self.pose(lower=80)
        vertex = helpers.vertex_at(self.opened.version, pose, 16, (0, 0, 0))
        self.assertEqual(vertex, 15)
        helpers.start_helper(self.bench, self.id, "spot", pose, "lower", (vertex, 30.0))
        character = self.again().character
        (remedy,) = character.rules.remedies
        self.assertEqual(remedy.kind, "helper")
        world = Evaluator.of(character).pose(pose_of(self.opened.version, turned(lower=80))).world[remedy.body.joint]
        self.assertAlmostEqual(math.degrees(math.atan2(world[1, 0], world[0, 0])), 40, places=5)
        with self.assertRaisesRegex(BadEditError, "click a point"):
            helpers.start_helper(self.bench, self.id, "outside", pose, "lower")
        with self.assertRaises(BadEditError):
            helpers.vertex_at(self.opened.version, pose, 10**7, (0, 0, 0))


class Laying(unittest.TestCase):
    def test_joints_made_one_after_the_other_lie_in_the_plane_and_turn_in_it(self):
        store = Store(fresh_database())
        self.addCleanup(store.close)
        bench = Workbench(store)
        id_ = bench.bring_in("bare.svg", svg(bar(points=6)))
        parent = None
        for row in ARM:
            joint_edits.make(bench, id_, row["name"], parent, [row["at"][0], -row["at"][1], 3.0], False)
            parent = row["name"]
        joint_edits.move(bench, id_, "lower", [90.0, 5.0, 7.0], False, None)
        skeleton = bench.open(id_).character.skeleton
        np.testing.assert_allclose(skeleton.rest_global[skeleton.find("lower"), :3, 3], [90, 5, 0])
        self.assertEqual(skeleton.hinge(skeleton.find("lower")).axis, (0.0, 0.0, 1.0))
        np.testing.assert_allclose(skeleton.rest_global[:, 2, :2], 0)


class Delivered(unittest.TestCase):
    def test_clips_and_poses_of_the_heron(self):
        store = Store(fresh_database())
        self.addCleanup(store.close)
        bench = Workbench(store)
        id_ = bench.bring_in("Heron", shipped("heron"))
        version = bench.open(id_).version
        posed = drawing_edits.deliver(bench, id_, "pose", pose=pose_of(version, turned(front_shank=60)))
        self.assertIn(b"<path", posed.data)
        self.assertNotIn(b"plethos:rules", posed.data)
        animated = drawing_edits.deliver(bench, id_, "animated", "walk along the quay")
        self.assertEqual(animated.name, "Heron, walk along the quay.svg")
        self.assertEqual(json.loads(drawing_edits.deliver(bench, id_, "lottie", "walk along the quay").data)["fr"], 30)
        self.assertEqual(drawing_edits.picture(bench, id_, "look for fish", 5, 40)[:4], b"\x89PNG")
        with self.assertRaisesRegex(BadPoseError, "no clip"):
            drawing_edits.deliver(bench, id_, "lottie", "swim")
        with self.assertRaisesRegex(BadEditError, "not delivered"):
            drawing_edits.deliver(bench, id_, "film", "walk along the quay")
        solid = bench.bring_in("Keeper", shipped("lock-keeper-bare"))
        with self.assertRaisesRegex(BadEditError, "no drawing"):
            drawing_edits.deliver(bench, solid, "pose")
        with self.assertRaisesRegex(BadEditError, "no drawing"):
            drawing_edits.split(bench, solid, "left_forearm")
