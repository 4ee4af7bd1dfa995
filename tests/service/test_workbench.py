"""Use cases on a real database."""

import gc
import math
import unittest
import weakref
from concurrent.futures import ThreadPoolExecutor
from threading import Event
from unittest.mock import patch

import numpy as np

from plethos.core.errors import BadEditError, BadFileError
from plethos.core.evaluate import evaluate_exact
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.travel import bent
from plethos.core.sculpt.session import Dab
from plethos.service.edits import rule_edits
from plethos.service.library import shelf
from plethos.service.library.open_character import NotThereError
from plethos.service.library.workbench import Workbench
from plethos.service.sculpts import kept_sculpt, session
from plethos.store.repository import Store
from tests.figures import activation, tube_file
from tests.server import fresh_database
from tests.strokes import sculpt


class OnTheBench(unittest.TestCase):
    def setUp(self):
        self.url = fresh_database()
        self.store = Store(self.url)
        self.addCleanup(self.store.close)
        self.bench = Workbench(self.store)
        self.id = self.bench.bring_in("Tube", tube_file().pack())
        skeleton = self.bench.open(self.id).character.skeleton
        self.pose = bent(skeleton.rest_pose(), skeleton.find("upper"), (0, 0, 1), math.radians(90))

    def stroke(self, bench=None):
        bench = bench or self.bench
        opened = bench.open(self.id)
        points = opened.sculpt.points
        triangle = int(
            np.argmin(np.abs(opened.rest[opened.character.mesh.topology.triangles].mean(axis=1)[:, 1] - 0.5))
        )
        at = points[opened.character.mesh.topology.triangles[triangle]].mean(axis=0)
        sculpt(bench, opened, "inflate", Dab(triangle, tuple(at), 0.1, 1.0))
        return opened

    def make_remedy(self):
        session.begin(self.bench, self.id, self.pose, None)
        opened = self.stroke()
        target = opened.sculpt.points.copy()
        kept_sculpt.keep(self.bench, self.id, "Bulge", kept_sculpt.propose_trigger(opened))
        return self.bench.open(self.id), target

    def test_a_sculpt_becomes_a_tied_shape_that_comes_back(self):
        opened, target = self.make_remedy()
        np.testing.assert_allclose(evaluate_exact(opened.character, self.pose), target, atol=1e-6)
        (trigger,) = opened.character.rules.triggers
        self.assertEqual(trigger.joint, opened.character.skeleton.find("upper"))

    def test_strokes_undo_and_redo_one_by_one_also_in_a_new_process(self):
        session.begin(self.bench, self.id, self.pose, None)
        states = [self.bench.open(self.id).sculpt.points.copy()]
        for _ in range(3):
            states.append(self.stroke().sculpt.points.copy())
        other = Workbench(Store(self.url))
        self.addCleanup(other.store.close)
        np.testing.assert_array_equal(other.open(self.id).sculpt.points, states[3])
        for expected in (2, 1, 0):
            np.testing.assert_array_equal(other.step(self.id, -1).sculpt.points, states[expected])
        np.testing.assert_array_equal(other.step(self.id, +1).sculpt.points, states[1])

    def test_undo_after_keep_goes_back_into_the_session(self):
        self.make_remedy()
        opened = self.bench.step(self.id, -1)
        self.assertEqual(opened.character.rules.remedies, ())
        self.assertEqual(opened.sculpt.note.strokes, 1)
        self.assertEqual(len(self.bench.step(self.id, +1).character.rules.remedies), 1)

    def test_drop_changes_nothing_and_undo_brings_it_back(self):
        session.begin(self.bench, self.id, self.pose, None)
        self.stroke()
        opened = session.drop(self.bench, self.id)
        self.assertIsNone(opened.sculpt)
        self.assertEqual(opened.character.rules.remedies, ())
        self.assertEqual(self.bench.step(self.id, -1).sculpt.note.strokes, 1)

    def test_sculpting_again_keeps_the_trigger_and_adds_to_the_shape(self):
        opened, first = self.make_remedy()
        remedy, triggers = opened.character.rules.remedies[0], opened.character.rules.triggers
        session.begin(self.bench, self.id, self.pose, remedy.id)
        np.testing.assert_allclose(self.bench.open(self.id).sculpt.points, first, atol=1e-6)
        target = self.stroke().sculpt.points.copy()
        opened = kept_sculpt.keep(self.bench, self.id, "Bulge", None)
        self.assertEqual(
            (opened.character.rules.remedies[0].by, opened.character.rules.triggers), (remedy.by, triggers)
        )
        np.testing.assert_allclose(evaluate_exact(opened.character, self.pose), target, atol=1e-6)

    def test_edits_are_undoable_and_the_tie_breaks_without_losing_the_shape(self):
        opened, _ = self.make_remedy()
        remedy, triggers = opened.character.rules.remedies[0], opened.character.rules.triggers
        rule_edits.set_trigger(self.bench, self.id, remedy.id, None)
        rule_edits.switch(self.bench, self.id, remedy.id, False)
        rule_edits.set_amount(self.bench, self.id, remedy.id, 0.5)
        opened = rule_edits.rename(self.bench, self.id, remedy.id, "Elbow")
        now = opened.character.rules.remedies[0]
        self.assertEqual(
            (now.by, opened.character.rules.triggers, now.on, now.amount, now.name), (None, (), False, 0.5, "Elbow")
        )
        np.testing.assert_array_equal(now.body.shapes[0].deltas, remedy.body.shapes[0].deltas)
        for _ in range(4):
            opened = self.bench.step(self.id, -1)
        self.assertEqual(opened.character.rules.triggers, triggers)
        rule_edits.delete(self.bench, self.id, remedy.id)
        with self.assertRaises(BadEditError):
            rule_edits.switch(self.bench, self.id, remedy.id, True)

    def test_both_directions_of_a_joint_add_up(self):
        opened, _ = self.make_remedy()
        skeleton = opened.character.skeleton
        back = bent(skeleton.rest_pose(), skeleton.find("upper"), (0, 0, 1), math.radians(-60))
        session.begin(self.bench, self.id, back, None)
        other = self.stroke()
        target = other.sculpt.points.copy()
        kept_sculpt.keep(self.bench, self.id, "Other way", kept_sculpt.propose_trigger(other))
        opened = self.bench.open(self.id)
        np.testing.assert_allclose(evaluate_exact(opened.character, back), target, atol=1e-6)
        activations = [activation(opened.character, r, back) for r in opened.character.rules.remedies]
        np.testing.assert_allclose(activations, [0, 1], atol=1e-9)

    def test_characters_that_nobody_has_in_hand_are_let_go_by_their_size(self):
        held = self.bench.open(self.id)
        ids = [self.bench.bring_in(f"Tube {n}", tube_file().pack()) for n in range(3)]
        with patch.object(shelf, "MOST_KEPT", 2.5 * held.size):
            seen = [weakref.ref(self.bench.open(i)) for i in ids]
            gc.collect()
            self.assertEqual([r() is not None for r in seen], [False, True, True])
            self.assertIs(self.bench.open(self.id), held, "what someone holds is found again")
        with patch.object(shelf, "MOST_KEPT", 0):
            self.assertIs(self.bench.open(ids[0]), self.bench.open(ids[0]), "the newest stays, however large")

    def test_a_joint_that_bends_no_skin_is_looked_into_once_however_often_frames_ask(self):
        version = self.bench.open(self.id).version
        told = []
        with patch.object(BendMeasure, "of", side_effect=BendMeasure.of) as sought:
            for _ in range(3):
                with self.assertRaisesRegex(BadEditError, "skin") as refused:
                    version.measures.bend(version.character.skeleton.find("root"))
                told.append(refused.exception.sentence)
            version.measures.bend(version.character.skeleton.find("upper"))
        self.assertEqual(sought.call_count, 2)
        self.assertEqual(len(set(told)), 1)

    def test_whoever_opens_one_keeps_nobody_waiting_who_works_on_another(self):
        other = self.bench.bring_in("Other", tube_file().pack())
        self.bench.open(self.id)
        reading, go_on = Event(), Event()
        read, asked = self.bench.shelf._read, []

        def slowly(character_id):
            asked.append(character_id)
            reading.set()
            self.assertTrue(go_on.wait(60))
            return read(character_id)

        with patch.object(shelf.Shelf, "_read", side_effect=slowly), ThreadPoolExecutor(5) as pool:
            self.addCleanup(go_on.set)
            opening = [pool.submit(self.bench.open, other) for _ in range(3)]
            self.assertTrue(reading.wait(60))
            # While that is read this one is edited and renamed, from a thread that can be waited for.
            pool.submit(self.make_remedy).result(60)
            self.assertEqual(pool.submit(self.bench.rename, self.id, "Pole").result(60).revision.name, "Pole")
            self.assertFalse(any(o.done() for o in opening))
            go_on.set()
            found = {id(o.result(60)) for o in opening}
            self.assertEqual((len(found), asked), (1, [other]), "read once, for all who wanted it")
            # Dropped while it is read: whoever comes next has it read anew.
            self.bench.shelf.forget(other)
            reading.clear()
            go_on.clear()
            late = pool.submit(self.bench.open, other)
            self.assertTrue(reading.wait(60))
            dropped = pool.submit(self.bench.shelf.forget, other)
            self.assertFalse(dropped.done())
            go_on.set()
            dropped.result(60)
            self.assertIsNot(self.bench.open(other), late.result(60))

    def test_refusals_leave_nothing_behind(self):
        with self.assertRaises(BadFileError):
            self.bench.bring_in("x", tube_file().pack()[:-200])
        self.assertEqual(len(self.bench.library()), 1)
        session.begin(self.bench, self.id, self.pose, None)
        with self.assertRaisesRegex(BadEditError, "in progress"):
            session.begin(self.bench, self.id, self.pose, None)
        with self.assertRaisesRegex(BadEditError, "Nothing was sculpted"):
            kept_sculpt.propose_trigger(self.bench.open(self.id))
        with self.assertRaises(NotThereError):
            self.bench.open("nobody")
