"""What many tests begin with: a workbench on a database of their own, and a character on it."""

from __future__ import annotations

import unittest
from typing import ClassVar

from plethos.service.library.workbench import Workbench
from plethos.store.repository import Store
from tests.figures import tube_file
from tests.server import fresh_database


class BenchCase(unittest.TestCase):
    """A workbench with one character: a tube of so many rings, unless a case says which file."""

    called, rings = "Tube", 21
    brought: ClassVar[bytes | None] = None

    def setUp(self) -> None:
        self.url = fresh_database()
        self.store = Store(self.url)
        self.addCleanup(self.store.close)
        self.bench = Workbench(self.store)
        self.id = self.bench.bring_in(self.called, self.brought or tube_file(rings=self.rings).pack())
        self.opened = self.bench.open(self.id)
