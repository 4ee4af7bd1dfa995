"""Ten riggers on ten characters, twenty poses a second each, beside somebody who edits, brings files in and binds."""

from __future__ import annotations

import asyncio
import contextlib
import json
import math
import re
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

import httpx
import websockets

from plethos.demo.catalogue import shipped

RIGGERS = 10
EVERY = 0.05  # seconds between two poses of one
SECONDS = 6.0
WANT = {"without": True, "measure": "left_forearm"}


@contextlib.contextmanager
def running() -> Iterator[str]:
    """The address of a server of its own, as `./plethos start` starts it."""
    with tempfile.TemporaryDirectory(dir="/var/tmp", prefix="plethos-bench-") as folder:
        Path(folder).chmod(0o755)
        command = [sys.executable, "-m", "plethos.launch", "start", "--empty", "--data", f"{folder}/data"]
        process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        try:
            assert process.stdout is not None
            told = (re.search(r"ready: (http://127\.0\.0\.1:\d+)/", line) for line in process.stdout)
            yield next(found.group(1) for found in told if found)
        finally:
            process.send_signal(signal.SIGTERM)
            process.wait(30)


async def rigger(address: str, character: str, until: float) -> list[float]:
    """Bends an elbow as a page does, one pose in the air at a time; how long each frame took, milliseconds."""
    taken: list[float] = []
    live = f"{address.replace('http', 'ws')}/api/characters/{character}/live?page={character}"
    async with websockets.connect(live, max_size=None, compression=None) as socket:
        due = time.perf_counter()
        while (due := max(due + EVERY, time.perf_counter())) < until:
            await asyncio.sleep(due - time.perf_counter())
            half = math.radians(30 + 20 * math.sin(len(taken) / 10))
            turned = {"left_forearm": [0, 0, math.sin(half), math.cos(half)]}
            seq = len(taken) + 1
            asked = time.perf_counter()
            await socket.send(json.dumps({"type": "pose", "seq": seq, "pose": {"joints": turned}, "want": WANT}))
            while not (isinstance(answer := await socket.recv(), bytes) and _seq(answer) == seq):
                pass
            taken.append((time.perf_counter() - asked) * 1e3)
    return taken


def _seq(frame: bytes) -> int | None:
    return json.loads(frame[4 : 4 + int.from_bytes(frame[:4], "little")])["seq"]  # type: ignore[no-any-return]


def bring_in(characters: str) -> str:
    """Bring the finished lock keeper in; his id."""
    posted = httpx.post(characters, files={"files": ("Keeper.glb", shipped("lock-keeper"))}, timeout=60)
    return str(posted.raise_for_status().json()["id"])


def edit(characters: str, other: str) -> None:
    """Move a knot."""
    remedies = httpx.get(f"{characters}/{other}", timeout=60).json()["remedies"]
    remedy = next(r for r in remedies if r["trigger"] and r["trigger"]["kind"] == "hinge")
    remedy["trigger"]["knots"][-1]["angle_deg"] += 0.1
    to = f"{characters}/{other}/remedies/{remedy['id']}/trigger"
    httpx.put(to, json={"trigger": remedy["trigger"]}, timeout=60).raise_for_status()


def upload(characters: str, other: str) -> None:
    """Bring one more in."""
    bring_in(characters)


def bind(characters: str, other: str) -> None:
    """Ask for automatic weights."""
    httpx.post(f"{characters}/{other}/bind/automatic", json={}, timeout=60).raise_for_status()


def each_second(work: Callable[[str, str], None], characters: str, other: str) -> None:
    """Do something once a second for as long as the riggers are measured; a process of its own."""
    began = time.monotonic()
    for k in range(int(SECONDS)):
        time.sleep(max(0.0, began + k - time.monotonic()))
        work(characters, other)


async def riggers() -> tuple[str, str, str, str]:
    """The slowest pose of ten riggers: alone, and while somebody else does one thing each second."""
    loop = asyncio.get_running_loop()
    with running() as address, ProcessPoolExecutor(1, get_context("spawn")) as somebody:
        characters = f"{address}/api/characters"
        *own, other = [bring_in(characters) for _ in range(RIGGERS + 1)]

        async def slowest(work: Callable[[str, str], None] | None, count: int = RIGGERS) -> tuple[float, int]:
            until = time.perf_counter() + SECONDS
            besides = work and loop.run_in_executor(somebody, each_second, work, characters, other)
            taken = [t[5:] for t in await asyncio.gather(*(rigger(address, c, until) for c in own[:count]))]
            if besides:
                await besides
            return max(max(t) for t in taken), sum(map(len, taken))

        await slowest(edit)  # regions are found, kernels are warm, somebody has come
        one, _ = await slowest(None, 1)
        alone, frames = await slowest(None)
        edits, uploads, binds = [(await slowest(work))[0] for work in (edit, upload, bind)]
    return (
        f"Slowest pose of {RIGGERS} riggers, {frames / RIGGERS / SECONDS:.0f} a second each, as the workbench asks, "
        "25k vertices; they run on the same cores",
        f"{alone:.0f} ms; beside an edit a second {edits:.0f}, an upload {uploads:.0f}, automatic weights {binds:.0f}",
        f"one alone {one:.0f} ms",
        f"{max(alone, edits, uploads, binds):.0f} ms (at most 100)",
    )


def spin(until: float) -> None:
    """Keep one core busy."""
    while time.time() < until:
        pass


async def crowd() -> tuple[str, str, str, str]:
    """Twenty riggers, and the same beside a core that something else keeps busy: what one pose in twenty waits for."""
    with running() as address:
        own = [bring_in(f"{address}/api/characters") for _ in range(2 * RIGGERS)]

        async def waited() -> float:
            until = time.perf_counter() + SECONDS
            taken = [t[5:] for t in await asyncio.gather(*(rigger(address, c, until) for c in own))]
            poses = sorted(ms for t in taken for ms in t)
            return poses[int(0.95 * len(poses))]

        await waited()
        calm = await waited()
        busy = get_context("spawn").Process(target=spin, args=(time.time() + SECONDS + 2,))
        busy.start()
        beside = await waited()
        busy.join()
    return (
        f"95 of 100 poses of {2 * RIGGERS} riggers, 20 a second each, as the workbench asks; on the same cores",
        f"{calm:.0f} ms; with another core busy {beside:.0f} ms",
        f"100 ms; twice the calm figure, {2 * calm:.0f} ms",
        f"{calm / 100:.2f}; {beside / (2 * calm):.2f} (at most 1)",
    )
