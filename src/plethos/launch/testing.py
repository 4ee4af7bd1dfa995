"""`./plethos test`: all suites on a throw-away database, then lint and types, then one closing line."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from plethos.launch.cluster import Cluster, SetupError, apt_install
from plethos.launch.front import FRONT, ROOT, build_front, install_packages, type_client

SUITES = ("core", "cli", "store", "service", "web", "outside", "browser")


def _checks() -> dict[str, list[str]]:
    tool = str(Path(sys.executable).parent)
    return {
        "ruff": [f"{tool}/ruff", "check", "src", "tests", "bench"],
        "format": [f"{tool}/ruff", "format", "--check", "-q", "src", "tests", "bench"],
        "mypy": [f"{tool}/mypy"],
        "imports": [f"{tool}/lint-imports"],
        "eslint": ["npm", "run", "lint", "--silent", "--prefix", str(FRONT)],
        "vue-tsc": ["npm", "run", "types", "--silent", "--prefix", str(FRONT)],
    }


def _run_check(name: str, command: list[str]) -> tuple[int, int]:
    start = time.monotonic()
    done = subprocess.run(command, cwd=ROOT, capture_output=True, text=True)
    print(f"{name}: {'ok' if done.returncode == 0 else 'FAILED'} ({time.monotonic() - start:.0f} s)", flush=True)
    if done.returncode:
        print((done.stdout + done.stderr)[-4000:], flush=True)
    return (1, 0) if done.returncode == 0 else (0, 1)


def _run_suite(name: str, environment: dict[str, str]) -> tuple[int, int]:
    """One suite in a process of its own; its last line is ``passed failed``."""
    with tempfile.NamedTemporaryFile("r") as result:
        command = [sys.executable, "-m", "plethos.launch.suite", name, result.name]
        start = time.monotonic()
        done = subprocess.run(command, cwd=ROOT, env=environment)
        print(f"{name}: {time.monotonic() - start:.0f} s", flush=True)
        try:
            passed, failed = (int(n) for n in result.read().split())
        except ValueError:
            return 0, 1
        return passed, failed + (1 if done.returncode not in (0, 1) else 0)


def require_chromium() -> None:
    """Debian's Chromium, for the browser tests."""
    if not shutil.which("chromium"):
        apt_install("chromium")


def run(only: list[str]) -> int:
    """Run everything, or the suites named; 0 when nothing failed."""
    unknown = [s for s in only if s not in (*SUITES, "lint")]
    if unknown:
        raise SetupError(f"There is no suite called {unknown[0]}: {', '.join((*SUITES, 'lint'))}.")
    wanted = only or [*SUITES, "lint"]
    jobs: list[Callable[[], tuple[int, int]]] = []
    with tempfile.TemporaryDirectory(prefix="plethos-test-", dir="/var/tmp") as folder:
        Path(folder).chmod(0o755)
        cluster = Cluster(Path(folder) / "database")
        environment = dict(os.environ)
        # A test run that is told to stop takes its database with it.
        signal.signal(signal.SIGTERM, lambda *_: sys.exit(1))
        try:
            if {"browser", "outside", "lint"} & set(wanted):
                (ROOT / ".cache").mkdir(exist_ok=True)
                install_packages()
            if {"browser", "outside"} & set(wanted):
                require_chromium()
                build_front()
            if "lint" in wanted:
                type_client()
            if {"store", "service", "web", "browser"} & set(wanted):
                environment["PLETHOS_TEST_DATABASE"] = cluster.start()
            for suite in SUITES:
                if suite in wanted:
                    jobs.append(lambda s=suite: _run_suite(s, environment))  # type: ignore[misc]
            if "lint" in wanted:
                jobs += [lambda n=n, c=c: _run_check(n, c) for n, c in _checks().items()]  # type: ignore[misc]
            results = [job() for job in jobs]
        finally:
            cluster.stop()
    passed, failed = sum(p for p, _ in results), sum(f for _, f in results)
    print(f"{passed} passed, {failed} failed")
    return 1 if failed or not passed else 0
