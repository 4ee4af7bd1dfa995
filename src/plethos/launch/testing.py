"""`./plethos test`: all suites on a throw-away database, then lint and types, then one closing line."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Collection
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

from plethos.launch.cluster import Cluster, SetupError, apt_install, want_meshoptimizer
from plethos.launch.front import FRONT, ROOT, build_front, install_packages, type_client

LANES = 3  # one more than cores: while a suite waits for its page, its server or its database another computes
# What takes longest first, so that the lanes end together.
SUITES = ("core", "browser", "service", "demo", "web", "outside", "cli", "store")
SPLIT = {"browser": 3, "core": 2}  # in how many pieces a suite runs
WARM = "from plethos.launch.warm import warm_kernels; warm_kernels()"


@dataclass(frozen=True)
class SuitePiece:
    """A suite, some modules of it, or the checks that need no tests (``lint``)."""

    suite: str
    modules: tuple[str, ...] = ()

    @property
    def label(self) -> str:
        names = ", ".join(m.rpartition(".")[2].removeprefix("test_") for m in self.modules)
        return f"{self.suite} ({names})" if names else self.suite


def pieces(wanted: Collection[str]) -> list[SuitePiece]:
    """What is wanted, in the order in which it is begun."""
    found: list[SuitePiece] = []
    for suite in SUITES:
        if suite not in wanted:
            continue
        if suite not in SPLIT:
            found.append(SuitePiece(suite))
            continue
        # Each module to the piece that has the fewest tests so far.
        folder = ROOT / "tests" / suite
        files = {".".join(p.relative_to(folder).with_suffix("").parts): p for p in folder.rglob("test_*.py")}
        sizes = {module: p.read_text().count("def test_") for module, p in files.items()}
        shares: list[list[str]] = [[] for _ in range(SPLIT[suite])]
        for module in sorted(sizes, key=lambda m: (-sizes[m], m)):
            min(shares, key=lambda share: sum(sizes[m] for m in share)).append(module)
        found += [SuitePiece(suite, tuple(sorted(share))) for share in shares if share]
    return [*found, SuitePiece("lint")] if "lint" in wanted else found


def _checks() -> dict[str, list[str]]:
    tool = str(Path(sys.executable).parent)
    return {
        "ruff": [f"{tool}/ruff", "check", "src", "tests", "bench"],
        "format": [f"{tool}/ruff", "format", "--check", "-q", "src", "tests", "bench"],
        "mypy": [f"{tool}/mypy"],
        "imports": [f"{tool}/lint-imports"],
        "eslint": ["npm", "run", "lint", "--silent", "--prefix", str(FRONT)],
        "vue-tsc": ["npm", "run", "types", "--silent", "--prefix", str(FRONT)],
        "vitest": ["npm", "test", "--silent", "--prefix", str(FRONT)],
    }


@dataclass
class Lanes:
    """Suites and checks in lanes that run side by side, each told when it is done; whoever is free takes the next.

    Parameters
    ----------
    environment
        Of the suites.
    """

    environment: dict[str, str]
    _running: set[subprocess.Popen[str]] = field(default_factory=set)
    _stopped: bool = False

    def run(self, wanted: Collection[str]) -> tuple[int, int]:
        """Run what is wanted; how many passed and failed."""
        with ThreadPoolExecutor(LANES) as pool:
            try:
                results = list(pool.map(self._piece, pieces(wanted)))
            finally:
                # Told to stop: what runs is stopped too, and nothing more is begun.
                self._stopped = True
                for process in list(self._running):
                    process.kill()
        return sum(p for p, _ in results), sum(f for _, f in results)

    def _piece(self, piece: SuitePiece) -> tuple[int, int]:
        if piece.suite != "lint":
            return self._suite(piece)
        done = [self._check(name, command) for name, command in _checks().items()]
        return sum(p for p, _ in done), sum(f for _, f in done)

    def _suite(self, piece: SuitePiece) -> tuple[int, int]:
        """One suite in a process of its own, which writes ``passed failed``."""
        with tempfile.NamedTemporaryFile("r") as result:
            command = [sys.executable, "-m", "plethos.launch.suite", piece.suite, result.name, *piece.modules]
            code, told, seconds = self._command(command, self.environment)
            print(f"{piece.label}: {seconds:.0f} s\n{told}", flush=True)
            try:
                passed, failed = (int(n) for n in result.read().split())
            except ValueError:
                return 0, 1
            return passed, failed + (1 if code not in (0, 1) else 0)

    def _check(self, name: str, command: list[str]) -> tuple[int, int]:
        code, told, seconds = self._command(command, None)
        print(f"{name}: {'ok' if code == 0 else 'FAILED'} ({seconds:.0f} s)", flush=True)
        if code:
            print(told[-4000:], flush=True)
        return (1, 0) if code == 0 else (0, 1)

    def _command(self, command: list[str], environment: dict[str, str] | None) -> tuple[int, str, float]:
        """Exit code, what was printed, and seconds."""
        if self._stopped:
            return 1, "", 0.0
        start = time.monotonic()
        pipes = {"stdout": subprocess.PIPE, "stderr": subprocess.STDOUT}
        process = subprocess.Popen(command, cwd=ROOT, env=environment, text=True, **pipes)
        self._running.add(process)
        told, _ = process.communicate()
        self._running.discard(process)
        return process.returncode, told, time.monotonic() - start


def chromium() -> str | None:
    """Debian's Chromium for the browser tests: the build that opens no windows, a fifth lighter, where it is there."""
    return shutil.which("chromium-headless-shell") or shutil.which("chromium")


def run(only: list[str]) -> int:
    """Run everything, or the suites named; 0 when nothing failed."""
    unknown = [s for s in only if s not in (*SUITES, "lint")]
    if unknown:
        raise SetupError(f"There is no suite called {unknown[0]}: {', '.join((*SUITES, 'lint'))}.")
    wanted = only or [*SUITES, "lint"]
    with tempfile.TemporaryDirectory(prefix="plethos-test-", dir="/var/tmp") as folder:
        Path(folder).chmod(0o755)
        cluster = Cluster(Path(folder) / "database")
        environment = dict(os.environ)
        # A test run that is told to stop takes its database with it.
        signal.signal(signal.SIGTERM, lambda *_: sys.exit(1))
        # Compiled once, beside what else is set up: else each lane would compile the same for itself.
        warming = subprocess.Popen([sys.executable, "-c", WARM], cwd=ROOT)
        try:
            if {"browser", "outside", "lint"} & set(wanted):
                (ROOT / ".cache").mkdir(exist_ok=True)
                install_packages()
            if "outside" in wanted:
                want_meshoptimizer()
            if {"browser", "outside"} & set(wanted):
                if chromium() is None:
                    apt_install("chromium-headless-shell")
                build_front()
            if "lint" in wanted:
                type_client()
            if {"store", "service", "web", "browser"} & set(wanted):
                environment["PLETHOS_TEST_DATABASE"] = cluster.start()
            warming.wait()
            passed, failed = Lanes(environment).run(wanted)
        finally:
            warming.kill()
            cluster.stop()
    print(f"{passed} passed, {failed} failed")
    return 1 if failed or not passed else 0
