"""Installing and building the front end, only when its sources changed."""

from __future__ import annotations

import fcntl
import hashlib
import shutil
import subprocess
import sys
from pathlib import Path

from plethos.launch.cluster import SetupError

ROOT = Path(__file__).parents[3]
FRONT = ROOT / "frontend"
TYPES = FRONT / "src" / "api" / "schema.d.ts"  # written by `type_client`: nothing is built of it


def _digest(*paths: Path) -> str:
    total = hashlib.sha256()
    for path in paths:
        files = sorted(p for p in path.rglob("*") if p.is_file() and p != TYPES) if path.is_dir() else [path]
        for file in files:
            total.update(str(file.relative_to(ROOT)).encode() + b"\0" + file.read_bytes())
    return total.hexdigest()


def _npm(*arguments: str, what: str) -> None:
    if shutil.which("npm") is None:
        raise SetupError("Node 20 with npm is missing: install it, then try again.")
    done = subprocess.run(["npm", *arguments], cwd=FRONT, capture_output=True, text=True)
    if done.returncode:
        tail = "\n".join((done.stdout + done.stderr).strip().splitlines()[-15:])
        raise SetupError(f"{what} failed:\n{tail}")


def install_packages() -> None:
    """`npm ci` when the lock changed."""
    stamp, want = FRONT / "node_modules" / ".plethos", _digest(FRONT / "package-lock.json")
    if _is(stamp, want):
        return
    print("Installing the front end's packages …", flush=True)
    _npm("ci", "--no-audit", "--no-fund", what="Installing the front end's packages")
    stamp.write_text(want)


def build_front() -> None:
    """Build `frontend/dist` when anything it is made of changed."""
    sources = [FRONT / n for n in ("src", "index.html", "vite.config.ts", "package-lock.json", "tsconfig.json")]
    stamp, want = FRONT / "dist" / ".plethos", _digest(*sources)
    if _is(stamp, want):
        return
    try:
        lock = open(ROOT / ".cache" / "front.lock", "w")  # noqa: SIM115  closed below
    except OSError as error:
        raise SetupError(
            f"Cannot write in {ROOT} ({error.strerror}): clone Plethos to a folder of your own."
        ) from None  # fmt: skip
    with lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if _is(stamp, want):
            return
        install_packages()
        print("Building the front end …", flush=True)
        _npm("run", "build", "--silent", what="Building the front end")
        stamp.write_text(want)


def _is(stamp: Path, want: str) -> bool:
    return stamp.exists() and stamp.read_text() == want


def type_client() -> None:
    """Write `TYPES`, the types of the API's client, from the application's own description."""
    description = ROOT / ".cache" / "openapi.json"
    subprocess.run([sys.executable, "-m", "plethos.web.describe", str(description)], cwd=ROOT, check=True)
    _npm("run", "schema", "--silent", what="Typing the API's client")
