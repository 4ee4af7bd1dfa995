"""What a database bears: many workers that wait, and some that are at work and say so. `python -m bench.workers`"""

from __future__ import annotations

import asyncio
import tempfile
import threading
import time
from collections.abc import Mapping, Sequence
from contextlib import ExitStack
from multiprocessing import get_context
from multiprocessing.synchronize import Barrier
from pathlib import Path
from typing import Any

from tests.figures import tube_file

from plethos.launch.cluster import Cluster
from plethos.service.jobs.jobs import Jobs
from plethos.service.jobs.kind import JobKind, Task
from plethos.service.jobs.kinds import KINDS
from plethos.service.jobs.worker import Worker
from plethos.service.library.workbench import Workbench
from plethos.service.schemas.common import Schema
from plethos.store.migrate import migrate
from plethos.store.repository import Store

IDLE, BUSY = 100, 20
CREWS = 6  # processes that they are in; in life each has its own
SECONDS = 10.0


class Spin(Schema):
    """How many parts, and for how long each."""

    count: int
    seconds: float


class Spinning(JobKind):
    """Says five times a second that it is further, and computes nothing."""

    name = "spinning"
    arguments = Spin

    def parts(self, task: Task) -> Sequence[Mapping[str, Any]]:
        return [task.work.arguments] * task.work.arguments["count"]

    def run(self, task: Task, arguments: Mapping[str, Any]) -> dict[str, Any]:
        steps = int(5 * arguments["seconds"])
        for step in range(steps):
            task.progress(step / steps)
            time.sleep(0.2)
        return {}

    def merge(self, task: Task, documents: Sequence[dict[str, Any]]) -> dict[str, Any]:
        return {"parts": len(documents)}


def _crew(url: str, count: int, hired: Barrier) -> None:
    """So many workers in threads of one process, each with connections of its own, until it is killed."""
    KINDS[Spinning.name] = Spinning()

    async def work() -> None:
        async with Worker(Workbench(Store(url, connections=1))).working() as working:
            await working

    for _ in range(count):
        threading.Thread(target=asyncio.run, args=(work(),), daemon=True).start()
    hired.wait()
    threading.Event().wait()


def _processor(folder: Path) -> float:
    """Seconds that the processes of a database have computed, of those that still run."""
    total = 0
    for stat in Path("/proc").glob("[0-9]*/stat"):
        try:
            if (stat.parent / "cwd").resolve() == folder:
                total += sum(map(int, stat.read_text().rsplit(")", 1)[1].split()[11:13]))
        except OSError:
            continue
    return total / 100


def _memory(folder: Path) -> float:
    """Megabytes that these processes share with nobody, and how many they are."""
    total = 0.0
    for rollup in Path("/proc").glob("[0-9]*/smaps_rollup"):
        try:
            if (rollup.parent / "cwd").resolve() == folder:
                lines = dict(line.split(":") for line in rollup.read_text().splitlines()[1:])
                total += sum(int(lines[key].split()[0]) for key in ("Private_Clean", "Private_Dirty")) / 1024
        except OSError:
            continue
    return total


def measure() -> str:
    """One line: what 100 idle and 20 busy workers ask of a database."""
    KINDS[Spinning.name] = Spinning()
    with tempfile.TemporaryDirectory(dir="/var/tmp", prefix="plethos-workers-") as folder, ExitStack() as stack:
        Path(folder).chmod(0o755)
        cluster = Cluster(Path(folder) / "database")
        url = cluster.start()
        stack.callback(cluster.stop)
        data = (cluster.folder / "data").resolve()
        migrate(url)
        bench = Workbench(Store(url))
        character = bench.bring_in("Tube", tube_file().pack())
        jobs = Jobs(bench)
        processes, hired = get_context("spawn"), get_context("spawn").Barrier(CREWS + 1)
        for _ in range(CREWS):
            crew = processes.Process(target=_crew, args=(url, (IDLE + BUSY) // CREWS, hired))
            crew.start()
            stack.callback(crew.join)
            stack.callback(crew.kill)
        hired.wait()
        time.sleep(SECONDS)  # until all have come

        def asked(seconds: float) -> float:
            before = _processor(data)
            time.sleep(seconds)
            return (_processor(data) - before) / seconds

        idle = asked(SECONDS)
        began = time.perf_counter()
        work = jobs.ask("spinning", character, count=BUSY, seconds=SECONDS)
        while sum(part.state == "running" for part in jobs.list.parts(work.id)) < BUSY:
            time.sleep(0.01)
        taken = time.perf_counter() - began
        busy = asked(SECONDS / 2)
        memory = _memory(data)
        while jobs.find(work.id).is_under_way:
            time.sleep(0.05)
        whole = time.perf_counter() - began
    return (
        f"{IDLE + BUSY} idle workers take {100 * idle:.0f} % of a core of the database; with {BUSY} of them at work "
        f"{100 * busy:.0f} %, {memory:.0f} MB. {BUSY} parts were all taken up {taken:.1f} s after they were asked for, "
        f"and done and put together {whole - SECONDS:.1f} s after the {SECONDS:.0f} s that each takes."
    )


if __name__ == "__main__":
    print(measure())
