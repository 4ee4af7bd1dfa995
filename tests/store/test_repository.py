"""What lasts: revisions, undo, blobs."""

import unittest

import numpy as np

from plethos.store.blobs import digest, pack_offsets, unpack_offsets
from plethos.store.repository import Store
from plethos.store.revision import Missing
from plethos.store.sweep import Sweep
from tests.server import fresh_database


class Repository(unittest.TestCase):
    def setUp(self):
        self.store = Store(fresh_database())
        self.addCleanup(self.store.close)
        self.id = self.store.add_character("Ada", b"file", {"n": 0}, {})

    def test_undo_and_redo_walk_and_an_edit_forgets_the_redo(self):
        for n in (1, 2, 3):
            self.store.append(self.id, f"edit {n}", {"n": n}, {})
        self.assertEqual([self.store.step(self.id, -1).document["n"] for _ in range(5)], [2, 1, 0, 0, 0])
        self.assertEqual(self.store.step(self.id, +1).document["n"], 1)
        now = self.store.append(self.id, "other", {"n": 9}, {})
        self.assertEqual((now.number, now.last), (2, 2))
        self.assertEqual(self.store.step(self.id, +1).document["n"], 9)

    def test_an_edit_is_there_for_another_connection_at_once(self):
        self.store.append(self.id, "edit", {"n": 1}, {digest(b"array"): b"array"})
        other = Store(self.store.engine.url.render_as_string(hide_password=False))
        self.addCleanup(other.close)
        self.assertEqual(other.current(self.id).document["n"], 1)
        self.assertEqual(other.blob(digest(b"array")), b"array")

    def test_unused_blobs_are_swept_and_used_ones_stay(self):
        self.store.append(self.id, "edit", {"blob": digest(b"kept")}, {digest(b): b for b in (b"kept", b"loose")})
        self.assertEqual(Sweep(self.store.transactions).blobs(), 1)
        self.assertEqual(self.store.blob(digest(b"kept")), b"kept")
        with self.assertRaises(Missing):
            self.store.blob(digest(b"loose"))

    def test_a_deleted_character_is_kept_until_it_is_erased(self):
        self.store.append(self.id, "edit", {"n": 7}, {})
        before = self.store.current(self.id)
        with self.assertRaises(Missing):
            self.store.erase(self.id)
        self.store.remove(self.id)
        self.assertEqual(self.store.characters(), [])
        self.assertEqual([c.character_id for c in self.store.characters(removed=True)], [self.id])
        for refused in (self.store.current, self.store.remove, lambda i: self.store.append(i, "edit", {}, {})):
            with self.assertRaises(Missing):
                refused(self.id)
        self.assertEqual(self.store.restore(self.id), before)
        self.assertEqual(self.store.step(self.id, -1).number, before.number - 1)
        self.store.remove(self.id)
        self.store.erase(self.id)
        self.assertEqual(self.store.characters(removed=True), [])
        with self.assertRaises(Missing):
            self.store.restore(self.id)

    def test_offsets_survive_packing_in_their_own_precision(self):
        for kind in (np.float32, np.float64):
            vertices, offsets = np.array([3, 9], np.int32), np.random.default_rng(1).normal(size=(2, 3)).astype(kind)
            back_vertices, back = unpack_offsets(pack_offsets(vertices, offsets))
            np.testing.assert_array_equal(back_vertices, vertices)
            np.testing.assert_array_equal(back, offsets)
            self.assertEqual(back.dtype, kind)
