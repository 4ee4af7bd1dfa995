"""One test suite, or some modules of it, in this process: ``python -m plethos.launch.suite core RESULT_FILE``."""

from __future__ import annotations

import sys
import unittest
from pathlib import Path

from plethos.launch.front import ROOT


def main(name: str, result_file: str, *modules: str) -> int:
    """Run `tests/NAME`, all of it or some modules, and write how many passed and failed."""
    sys.path.insert(0, str(ROOT))
    loader = unittest.TestLoader()
    if modules:
        tests = loader.loadTestsFromNames([f"tests.{name}.{module}" for module in modules])
    else:
        tests = loader.discover(str(ROOT / "tests" / name), top_level_dir=str(ROOT))
    result = unittest.TextTestRunner(verbosity=1).run(tests)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    passed = result.testsRun - failed - len(result.skipped)
    Path(result_file).write_text(f"{passed} {failed}")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:]))
