"""Strokes that are stored as what they changed, states with a name, going back, forgetting steps."""

import unittest

import numpy as np
from sqlalchemy import text

from plethos.core.errors import BadEditError, BadFileError
from plethos.core.sculpt.session import Dab
from plethos.service.edits import weight_edits
from plethos.service.library.open_character import NotThereError
from plethos.service.library.past import PastOfCharacter, what_changed
from plethos.service.library.workbench import Workbench
from plethos.service.schemas.bind import VertexChoice
from plethos.service.sculpts import kept_sculpt, session
from plethos.store.sweep import Sweep
from tests.cases import BenchCase
from tests.strokes import sculpt

PNG = bytes.fromhex("89504e470d0a1a0a") + b"picture"


class Case(BenchCase):
    def setUp(self):
        super().setUp()
        self.past = PastOfCharacter(self.bench, self.opened)

    def strokes(self, count):
        rest = self.opened.character.skeleton.rest_pose()
        session.begin(self.bench, self.id, rest, None)
        rng = np.random.default_rng(2)
        triangles = self.opened.character.mesh.topology.triangles
        states = [self.opened.sculpt.points]
        for _ in range(count):
            triangle = int(rng.integers(len(triangles)))
            at = self.opened.sculpt.points[triangles[triangle]].mean(axis=0)
            sculpt(self.bench, self.opened, "inflate", Dab(triangle, tuple(at.tolist()), 0.05, 0.3))
            states.append(self.opened.sculpt.points)
        return states

    def reopened(self):
        bench = Workbench(self.store)
        return bench, bench.open(self.id)


class Strokes(Case):
    def test_undo_through_all_of_them_is_exact_here_and_after_a_restart(self):
        states = self.strokes(30)
        bench, opened = self.reopened()
        np.testing.assert_array_equal(opened.sculpt.points, states[-1])
        for state in states[-2::-1]:
            np.testing.assert_array_equal(bench.step(self.id, -1).sculpt.points, state)
        for state in states[1:]:
            np.testing.assert_array_equal(bench.step(self.id, 1).sculpt.points, state)

    def test_a_stroke_on_goes_over_what_was_read_as_over_what_was_made(self):
        self.strokes(5)
        _, opened = self.reopened()
        off = np.random.default_rng(1).normal(size=opened.sculpt.points.shape)
        before = opened.sculpt.at(opened.sculpt.note, off, None)
        self.assertTrue((before.points - before.start != off).any(), "as numbers are rounded")
        moved = before.points.copy()
        moved[7] += (0.01, 0.02, 0.03)
        made = before.after(before.note, moved)
        others = np.arange(len(moved)) != 7
        np.testing.assert_array_equal(made.offsets[others], before.offsets[others])
        np.testing.assert_array_equal(made.points[others], before.points[others])
        np.testing.assert_allclose(made.points[7], moved[7], rtol=1e-15)


class Names(Case):
    def test_a_state_is_named_looked_at_and_gone_back_to_as_an_edit(self):
        self.past.name("  Before lunch\n")
        ((named, changed),) = self.past.told().named
        self.assertEqual((named.name, changed), ("Before lunch", []))
        self.past.set_picture(named.id, PNG)
        self.assertEqual(self.past.picture(named.id), PNG)
        self.assertRaises(BadFileError, self.past.set_picture, named.id, b"no picture")
        weight_edits.give(self.bench, self.id, VertexChoice(part="tube"), "upper")
        self.strokes(1)
        kept_sculpt.keep(self.bench, self.id, "Elbow", None)
        self.assertEqual(self.past.told().named[0][1], ["remedy “Elbow” new", "weights changed"])
        before = self.bench.version_at(self.id, named.step.revision_id).character.binding.joint_weights
        made = self.past.go_back(named.id)
        self.assertEqual(made.revision.label, "Back to “Before lunch”")
        self.assertEqual(made.character.rules.remedies, ())
        np.testing.assert_array_equal(made.character.binding.joint_weights, before)
        self.assertEqual(len(self.bench.step(self.id, -1).character.rules.remedies), 1)
        self.past.unname(named.id)
        self.assertEqual(self.past.told().named, [])
        for gone in (self.past.go_back, self.past.unname, self.past.picture):
            self.assertRaises(NotThereError, gone, named.id)
        self.assertRaises(BadEditError, self.past.name, " \n ")

    def test_old_steps_are_forgotten_but_those_with_a_name(self):
        states = self.strokes(12)
        for _ in range(6):
            self.bench.step(self.id, -1)
        self.past.name("Halfway")
        for _ in range(6):
            self.bench.step(self.id, 1)
        self.assertEqual(self.past.told().steps, 14)
        self.assertEqual(self.past.thin(3), 9)
        told = self.past.told()
        self.assertEqual((told.steps, len(told.named)), (5, 1))
        bench, opened = self.reopened()
        for state in (states[12], states[11], states[10], states[6]):
            np.testing.assert_array_equal(opened.sculpt.points, state)
            bench.step(self.id, -1)
        self.assertIsNone(opened.sculpt, "the first is kept too")
        self.assertEqual(bench.step(self.id, -1).revision.number, 0)
        np.testing.assert_array_equal(bench.step(self.id, 1).sculpt.points, states[6])


class Cleaned(Case):
    def test_what_was_cleaned_away_under_an_open_character_is_brought_along(self):
        self.strokes(1)
        kept = kept_sculpt.keep(self.bench, self.id, "Elbow", None).character
        self.bench.step(self.id, -1)
        session.drop(self.bench, self.id)
        sweep = Sweep(self.store.transactions)
        self.assertEqual(sweep.revisions(hours=0.0), 1)
        self.assertGreater(sweep.blobs(), 0)
        self.bench.edit(self.id, "As it was kept", lambda now: kept)
        _, opened = self.reopened()
        self.assertEqual([r.name for r in opened.character.rules.remedies], ["Elbow"])
        with self.store.transactions() as sql:
            count = "select count(*) from revisions where position('\"Elbow\"' in document::text) > 0"
            self.assertEqual(sql.scalar(text(count)), 1)

    def test_an_overwritten_state_that_has_a_name_stays(self):
        weight_edits.give(self.bench, self.id, VertexChoice(part="tube"), "upper")
        self.past.name("All upper")
        self.bench.step(self.id, -1)
        weight_edits.give(self.bench, self.id, VertexChoice(part="tube"), "lower")
        sweep = Sweep(self.store.transactions)
        self.assertEqual((sweep.revisions(hours=0.0), sweep.blobs()), (0, 0))
        ((named, _),) = self.past.told().named
        upper = self.opened.character.skeleton.find("upper")
        self.assertTrue((self.past.go_back(named.id).character.binding.column(upper) == 1).all())


class WhatChanged(unittest.TestCase):
    def test_it_is_said_by_name(self):
        was = {"remedies": [{"name": "a", "n": 1}, {"name": "b"}], "weights": None, "sculpt": None}
        now = {"remedies": [{"name": "a", "n": 2}, {"name": "c"}], "weights": "x", "sculpt": {}}
        self.assertEqual(
            what_changed(was, now),
            ["remedy “c” new", "remedy “b” gone", "remedy “a” changed", "weights changed", "sculpt in progress"],
        )
        self.assertEqual(what_changed(now, now), [])
