"""What a sculpt stroke leaves alone and takes along; pushing apart as one stored step."""

import unittest
from dataclasses import replace

import numpy as np

from plethos.core.errors import BadEditError, BadFileError
from plethos.core.evaluate import Acting, Evaluator
from plethos.core.measure.travel import bent
from plethos.core.rules.dials import Group
from plethos.core.sculpt.session import Dab
from plethos.core.skeleton.mapping import mapped_pose
from plethos.core.skeleton.pose_files import pose_to_json
from plethos.demo.catalogue import shipped
from plethos.service.desk.frame import frame
from plethos.service.jobs.jobs import Jobs
from plethos.service.library.documents import SculptNote
from plethos.service.library.poses import pose_of
from plethos.service.library.version import HeldSculpt, OvertakenError
from plethos.service.schemas.tools import SculptSettings
from plethos.service.schemas.want import Want
from plethos.service.sculpts import border as border_edits
from plethos.service.sculpts import kept_sculpt, obj_exchange, session
from tests.cases import BenchCase
from tests.light import light_keeper
from tests.making import everything
from tests.strokes import desk
from tests.web.test_api import unpack


class OnTheKeeper(BenchCase):
    called, brought = "Keeper", light_keeper()

    def setUp(self):
        super().setUp()
        self.mesh = self.opened.character.mesh

    def begin(self, **joints):
        turned = {"joints": {n: {"euler_xyz_deg": list(e)} for n, e in joints.items()}}
        session.begin(self.bench, self.id, pose_of(self.opened.version, turned), None)
        return self.opened.version.sculpt

    def stroke(self, vertex, strength=1.0, radius=0.05, brush="inflate", **settings):
        """One dab at a vertex; what moved since the session began ``(V, 3)``."""
        held = self.opened.version.sculpt
        triangle = int(np.flatnonzero((self.mesh.topology.triangles == vertex).any(axis=1))[0])
        dab = Dab(triangle, tuple(held.points[vertex].tolist()), radius, strength)
        page = desk(self.opened)
        page.touch(page.version, "sculpt", held.pose, SculptSettings(brush=brush, **settings), [dab])
        page.end_stroke(self.bench)
        now = self.opened.version.sculpt
        return now.points - now.start

    def at(self, x, y, z):
        return int(np.argmin(np.linalg.norm(self.mesh.rest - [x, y, z], axis=1)))


class Groups(unittest.TestCase):
    def test_a_sculpt_of_one_remedy_shows_nothing_of_a_group_that_is_off(self):
        whole = everything(np.random.default_rng(1))
        rules = replace(whole.rules, groups=(Group("Coat", on=False, id="g"),))
        for other in ("p", "r", "k"):
            rules = rules.with_remedy(replace(rules.remedy(other), group="g"))
        evaluator = Evaluator.of(whole.with_rules(rules))
        pose = bent(whole.skeleton.rest_pose(), whole.skeleton.find("upper"), (0, 0, 1), 1.2)
        held = HeldSculpt.of(SculptNote("c", pose_to_json(whole.skeleton, pose)), evaluator, None)
        np.testing.assert_allclose(held.start, evaluator.pose(pose).exact_points(), atol=1e-12)
        without = evaluator.pose(pose, Acting.these("s", "h", "b")).exact_points()
        np.testing.assert_allclose(held.base.exact_points(), without, atol=1e-12)


class Told(OnTheKeeper):
    def test_what_is_sculpted_far_from_every_turned_joint_is_asked_about(self):
        self.begin(left_forearm=(20, 0, 60), left_shin=(40, 0, 0))
        self.assertIsNone(kept_sculpt.far_from_turned(self.opened.version), "nothing is sculpted yet")
        where = self.opened.character.skeleton.rest_global[:, :3, 3]
        find = self.opened.character.skeleton.find
        self.stroke(self.at(*where[find("left_shin")]))
        self.assertIsNone(kept_sculpt.far_from_turned(self.opened.version), "of two that are turned either will do")
        self.bench.step(self.id, -1)
        self.stroke(int(self.mesh.rest[:, 1].argmax()))
        told = kept_sculpt.far_from_turned(self.opened.version)
        self.assertEqual(told, "This is not near “left_forearm”, the joint that is turned: is it the right one?")


class Borders(OnTheKeeper):
    brought = shipped("lock-keeper-bare")

    def test_they_stay_unless_told_otherwise_and_are_put_back_in_one_step(self):
        there = int(np.flatnonzero(self.mesh.border)[5])
        self.begin()
        moved = self.stroke(there)
        self.assertGreater(np.abs(moved).max(), 1e-4)
        self.assertFalse(moved[self.mesh.border].any())
        self.assertEqual(len(border_edits.moved_border(self.opened.version)), 0)
        moved = self.stroke(there, border_stays=False)
        count = int((moved[self.mesh.border] != 0).any(axis=1).sum())
        self.assertGreater(count, 0)
        np.testing.assert_array_equal(
            border_edits.moved_border(self.opened.version),
            np.flatnonzero(self.mesh.border & (moved != 0).any(axis=1)),
        )
        version = self.opened.version
        _, fields = unpack(frame(desk(self.opened), version, version.sculpt.pose, Want(border=True), {}))
        self.assertEqual(int(fields["region"].sum()), count)
        border_edits.put_border_back(self.bench, self.id)
        now = self.opened.version.sculpt
        kept = now.points - now.start
        self.assertFalse(kept[self.mesh.border].any())
        np.testing.assert_array_equal(kept[~self.mesh.border], moved[~self.mesh.border])
        with self.assertRaisesRegex(BadEditError, "No border"):
            border_edits.put_border_back(self.bench, self.id)
        self.bench.step(self.id, -1)
        self.assertEqual(len(border_edits.moved_border(self.opened.version)), count)


class Mirrored(OnTheKeeper):
    def test_both_sides_move_alike_and_what_is_stored_is_what_was_seen(self):
        character = self.opened.character
        left = {"joints": {"left_forearm": {"quaternion_xyzw": [0.1, 0.2, 0.3, 0.927]}}}
        right = mapped_pose(left, character.mirror, character.skeleton)
        self.assertEqual(list(right["joints"]), ["right_forearm"])
        pose = pose_of(self.opened.version, {"joints": {**left["joints"], **right["joints"]}})
        session.begin(self.bench, self.id, pose, None)
        vertex = self.at(0.5, 1.3, 0.0)
        moved = self.stroke(vertex, mirror=True)
        pairs = self.mesh.pairs
        one = np.flatnonzero((moved != 0).any(axis=1))
        self.assertTrue((pairs[one] >= 0).all())
        np.testing.assert_allclose(moved[pairs[one]], moved[one] * [-1, 1, 1], atol=1e-6)
        plain = self.stroke(vertex) - moved
        self.assertFalse(plain[pairs[one[self.mesh.rest[one, 0] > 0]]].any())

    def test_a_pose_that_is_not_alike_is_refused_and_nothing_moves(self):
        self.begin(left_forearm=(0, 0, 40))
        with self.assertRaisesRegex(BadEditError, "both sides"):
            self.stroke(self.at(0.5, 1.3, 0.0), mirror=True)
        held = self.opened.version.sculpt
        self.assertEqual(held.note.strokes, 0)
        np.testing.assert_array_equal(held.points, held.start)


class AllParts(OnTheKeeper):
    brought = shipped("lock-keeper-bare")

    def test_cloth_over_the_skin_comes_along_when_it_is_told_to(self):
        self.begin()
        parts = self.mesh.part_numbers
        # The first vertex of some cloth that has skin right below it.
        cloth = next(
            v
            for v in range(0, len(self.mesh), 50)
            if ((np.linalg.norm(self.mesh.rest - self.mesh.rest[v], axis=1) < 0.02) & (parts != parts[v])).any()
        )
        alone = self.stroke(cloth)
        self.assertEqual(set(parts[(alone != 0).any(axis=1)]), {parts[cloth]})
        together = self.stroke(cloth, through=True)
        self.assertGreater(len(set(parts[(together != 0).any(axis=1)])), 1)


class Elsewhere(OnTheKeeper):
    def test_an_obj_goes_out_and_comes_back_as_one_stroke_and_what_is_no_sculpt_is_refused(self):
        held = self.begin(left_forearm=(0, 0, 60))
        text = obj_exchange.sent_out(self.opened.version)
        with self.assertRaisesRegex(BadEditError, "nothing in it has moved"):
            obj_exchange.bring_back(self.bench, self.id, text)
        lines = text.splitlines()
        rows = [k for k, line in enumerate(lines) if line.startswith("v ")]
        vertex = self.at(0.45, 1.3, 0.0)
        for k in np.flatnonzero(self.mesh.file_to_vertex == vertex).tolist():
            x, y, z = (float(w) for w in lines[rows[k]].split()[1:])
            lines[rows[k]] = f"v {x} {y + 0.01} {z}"
        version = obj_exchange.bring_back(self.bench, self.id, "\n".join(lines))
        moved = version.sculpt.points - held.start
        self.assertEqual(np.flatnonzero((moved != 0).any(axis=1)).tolist(), [vertex])
        np.testing.assert_allclose(moved[vertex], [0, 0.01, 0], atol=1e-7)
        self.assertEqual(version.sculpt.note.strokes, 1)
        with self.assertRaisesRegex(BadFileError, "same mesh"):
            obj_exchange.bring_back(self.bench, self.id, "v 1 2 3\n")
        with self.assertRaisesRegex(BadFileError, "no vertices"):
            obj_exchange.bring_back(self.bench, self.id, "nonsense")


class PushingApart(OnTheKeeper):
    def test_what_lay_in_the_fold_is_given_back_outside(self):
        hinge = self.opened.character.skeleton.hinge(self.opened.character.skeleton.find("left_forearm"))
        self.begin(left_forearm=tuple((120 * np.array(hinge.axis)).tolist()))
        measure = self.opened.version.measures.bend(self.opened.character.skeleton.find("left_forearm"))
        counter, before = self.opened.version.measures.contacts, self.opened.sculpt.points
        *_, last = Jobs(self.bench).have_done("push_apart", self.id, joint="left_forearm")
        after = last.version.sculpt.points
        counts = [counter.count(p.astype(np.float32)) for p in (before, after)]
        self.assertGreater(counts[0], 50)
        self.assertEqual((counts[1], last.document["left"]), (0, 0))
        volumes = [measure.of_points(p[measure.site.vertices]).volume for p in (before, after)]
        self.assertGreater(volumes[1], volumes[0] - 1.0, "pushing alone costs seven")
        # Open hems and seams stay, and what is far from the fold.
        moved = (np.abs(after - before) > 1e-9).any(axis=1)
        self.assertFalse((moved & self.mesh.border).any())
        self.assertLess(moved.sum(), 1500)

    def test_whoever_stops_it_changes_nothing_and_another_session_is_not_written_over(self):
        hinge = self.opened.character.skeleton.hinge(self.opened.character.skeleton.find("left_forearm"))
        bent = tuple((125 * np.array(hinge.axis)).tolist())
        self.begin(left_forearm=bent)
        rounds = Jobs(self.bench).have_done("push_apart", self.id, joint="left_forearm")
        next(rounds)
        rounds.close()
        self.assertEqual(self.opened.version.sculpt.note.strokes, 0)
        rounds = Jobs(self.bench).have_done("push_apart", self.id, joint="left_forearm")
        next(rounds)
        session.drop(self.bench, self.id)
        self.begin(left_forearm=tuple((0.9 * np.array(bent)).tolist()))
        with self.assertRaises(OvertakenError):
            list(rounds)
        self.assertEqual(self.opened.version.sculpt.note.strokes, 0)
