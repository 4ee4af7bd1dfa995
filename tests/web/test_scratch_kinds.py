"""A trigger, a remedy and a measure are added as CONTRIBUTING's table says, in a copy, and are there in every layer."""

import os
import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import plethos
from tests.scratch import FILES, LINES

ROOT = Path(__file__).parents[2]


class ScratchKinds(unittest.TestCase):
    def test_they_walk_through_document_api_page_and_delivery(self):
        with tempfile.TemporaryDirectory() as where:
            source = Path(where) / "src" / "plethos"
            # With what numba compiled: it is told by the file's time.
            shutil.copytree(Path(plethos.__file__).parent, source)
            for name, to in FILES.items():
                shutil.copy(ROOT / "tests" / "scratch" / name, source / to)
            for name, lines in LINES.items():
                text = (source / name).read_text()
                for before, put in lines:
                    self.assertEqual(text.count(before), 1, f"{name}: {before}")
                    text = text.replace(before, put + before)
                (source / name).write_text(text)
            own = {**os.environ, "PYTHONPATH": os.pathsep.join((str(source.parent), str(ROOT)))}
            done = subprocess.run(
                [sys.executable, "-m", "unittest", "-q", "tests.scratch.walk"],
                cwd=ROOT, env=own, capture_output=True, text=True, check=False,
            )  # fmt: skip
            self.assertEqual(done.returncode, 0, done.stderr)
