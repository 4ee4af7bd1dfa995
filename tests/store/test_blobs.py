"""Blobs that are stored as what differs from others, and what is cleaned away under them."""

import unittest
from unittest.mock import patch

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import text

from plethos.store import blob_table
from plethos.store.blobs import digest, hashes_of, keys_of, squeeze, unsqueeze
from plethos.store.repository import Store
from plethos.store.revision import Unkept
from plethos.store.sweep import Sweep
from tests.server import fresh_database


class Squeezed(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(st.binary(max_size=3000), st.none() | st.binary(max_size=3000))
    def test_any_bytes_come_back_whatever_they_are_like(self, data, like):
        self.assertEqual(unsqueeze(squeeze(data, like), like), data)

    def test_hashes_are_found_wherever_they_stand_and_have_keys(self):
        one, two = digest(b"1"), digest(b"2")
        self.assertEqual(hashes_of({"a": [one, {"b": two}], "c": "x" * 64, one: 3}), {one, two})
        self.assertEqual(keys_of([two, one]), b"".join(sorted(bytes.fromhex(h)[:8] for h in (one, two))))


class Chains(unittest.TestCase):
    """A line of strokes: each state is the one before with a few numbers changed."""

    def setUp(self):
        self.store = Store(fresh_database())
        self.addCleanup(self.store.close)
        self.id = self.store.add_character("Ada", b"file", {}, {})
        self.rng = np.random.default_rng(4)

    def strokes(self, count):
        state, before, made = self.rng.normal(size=4000), None, []
        for n in range(count):
            state = state.copy()
            state[self.rng.integers(len(state), size=20)] += 0.1
            data = state.tobytes()
            name = digest(data)
            like = {} if before is None else {name: before}
            self.store.append(self.id, f"stroke {n}", {"sculpt": name}, {name: data}, like=like)
            before = (name, data)
            made.append(before)
        return made

    def rows(self, what):
        with self.store.transactions() as session:
            return session.execute(text(f"select {what} from blobs")).all()

    def test_each_takes_little_and_a_whole_one_comes_now_and_then(self):
        with patch.object(blob_table, "DEEPEST", 5):
            made = self.strokes(14)
        depths = sorted(d for (d,) in self.rows("depth"))
        self.assertEqual(depths.count(0), 4, "the file and three whole states")
        self.assertEqual(max(depths), 5)
        little = [size for size, depth in self.rows("length(data), depth") if depth]
        self.assertLess(max(little), 4000 * 8 / 20)
        self.assertEqual(self.store.blobs(name for name, _ in made), dict(made))
        self.assertEqual(self.store.blobs([made[7][0], digest(b"none")]), {made[7][0]: made[7][1]})

    def test_what_is_stood_on_stays_when_nothing_names_it_any_more(self):
        made = self.strokes(6)
        for _ in range(6):
            self.store.step(self.id, -1)
        self.store.append(self.id, "other", {"sculpt": made[3][0]}, {})
        sweep = Sweep(self.store.transactions)
        self.assertEqual(sweep.revisions(), 0, "overwritten a moment ago: kept")
        self.assertEqual(sweep.revisions(hours=0.0), 6)
        self.assertEqual(sweep.blobs(), 2, "the two strokes after it; the three before are stood on")
        self.assertEqual(self.store.blob(made[3][0]), made[3][1])
        self.assertEqual(sweep.all(), 0)

    def test_what_is_named_while_it_is_swept_stays(self):
        loose = digest(b"loose")
        self.store.append(self.id, "edit", {}, {loose: b"loose"})
        sweep = Sweep(self.store.transactions)
        delete = sweep._loose

        def named_meanwhile(batch, began):
            self.store.append(self.id, "names it", {"a": loose}, {})
            return delete(batch, began)

        with patch.object(sweep, "_loose", named_meanwhile):
            self.assertEqual(sweep.blobs(), 0)
        self.assertEqual(self.store.blob(loose), b"loose")

    def test_a_document_that_names_what_is_gone_is_not_stored(self):
        gone = digest(b"gone")
        with self.assertRaises(Unkept) as raised:
            self.store.append(self.id, "edit", {"a": gone}, {})
        self.assertEqual(raised.exception.hashes, {gone})
        self.assertEqual(self.store.append(self.id, "looks like one", {"a": gone}, {}, surely=True).number, 1)
