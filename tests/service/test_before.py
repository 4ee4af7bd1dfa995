"""A database of before revisions had identities: it is brought up, and opens with everything, undo and redo too."""

import gzip
import os
import unittest
import uuid

import numpy as np
import psycopg
from sqlalchemy.engine import make_url

from plethos.service.edits import rule_edits
from plethos.service.library.workbench import Workbench
from plethos.store.migrate import migrate
from plethos.store.repository import Store
from tests.core.formats.test_before import BEFORE, EXPECTED, differs


def restored() -> str:
    """The address of a database with the dump in it, brought up to this version's tables."""
    base = make_url(os.environ["PLETHOS_TEST_DATABASE"])
    name = f"b{uuid.uuid4().hex[:12]}"
    at = f"host={base.host} port={base.port} user={base.username} password={base.password} dbname="
    with psycopg.connect(at + "postgres", autocommit=True) as connection:
        connection.execute(f"create database {name}")
    script = gzip.decompress((BEFORE / "database.sql.gz").read_bytes()).decode()
    # Lines for psql alone are left out; all else is plain SQL.
    plain = "\n".join(line for line in script.splitlines() if not line.startswith("\\"))
    with psycopg.connect(at + name) as connection:
        connection.execute(plain)
    url = base.set(database=name).render_as_string(hide_password=False)
    migrate(url)
    return url


class DatabaseOfBefore(unittest.TestCase):
    def setUp(self):
        self.store = Store(restored())
        self.addCleanup(self.store.close)
        self.bench = Workbench(self.store)

    def test_every_character_opens_as_it_was(self):
        self.assertEqual({c.name for c in self.bench.library()}, {"Torn tube", "Pair", "In progress"})
        for key in ("torn", "pair", "in_progress"):
            opened, told = self.bench.open(EXPECTED[key]["id"]), EXPECTED[key]
            self.assertEqual(len(opened.character.mesh), told["vertices"])
            self.assertEqual(list(opened.character.skeleton.names), told["joints"])
            self.assertEqual((opened.revision.number, opened.revision.last), (told["number"], told["last"]))
            self.assertEqual([r.name for r in opened.character.regions], told["regions"])
            differs(self, opened.character, key)

    def test_a_sculpt_in_progress_goes_on(self):
        held, told = self.bench.open(EXPECTED["in_progress"]["id"]).sculpt, EXPECTED["in_progress"]["sculpt"]
        self.assertEqual(held.note.strokes, told["strokes"])
        self.assertAlmostEqual(np.abs(held.points - held.start).max(), told["offset"], places=9)

    def test_undo_and_redo_walk_all_the_way_and_an_edit_counts_the_same_vertices(self):
        character_id = EXPECTED["torn"]["id"]
        labels = [self.bench.open(character_id).revision.label]
        while self.bench.open(character_id).revision.number:
            labels.append(self.bench.step(character_id, -1).revision.label)
        self.assertEqual(len(labels), EXPECTED["torn"]["number"] + 1)
        self.assertEqual(labels[-1], "Brought in")
        self.assertEqual(self.bench.open(character_id).character.rules.remedies, ())
        for _ in range(EXPECTED["torn"]["number"]):
            self.bench.step(character_id, +1)
        differs(self, self.bench.open(character_id).character, "torn")
        # Stored anew, the weld goes along, and another process reads the same.
        name = self.bench.open(character_id).character.rules.remedies[1]
        rule_edits.set_amount(self.bench, character_id, name.id, 0.7)
        self.assertIn("weld", self.bench.open(character_id).revision.document)
        differs(self, Workbench(self.store).open(character_id).character, "torn")

    def test_what_was_deleted_can_still_be_brought_back(self):
        self.bench.restore(EXPECTED["removed"]["id"])
        self.assertEqual(len(self.bench.open(EXPECTED["removed"]["id"]).character.mesh), 506)
