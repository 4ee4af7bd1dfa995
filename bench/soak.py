"""Random use of a server for some minutes: does its memory come down again? `python -m bench.soak MINUTES`"""

from __future__ import annotations

import math
import random
import sys
import time
from pathlib import Path

import httpx

from bench.riggers import bring_in, running
from plethos.demo.catalogue import shipped

FIRST = 2.0  # minutes after which it is first looked at
FILES = ("lock-keeper", "lock-keeper-bare", "lock-diver", "ferry-cook")


def _memory(port: str) -> float:
    """Megabytes that the process holds that answers on a port: the largest of those that `start` keeps."""
    largest = 0.0
    for status in Path("/proc").glob("[0-9]*/status"):
        try:
            if "forkserver" in (status.parent / "cmdline").read_text():
                line = next(one for one in status.read_text().splitlines() if one.startswith("VmRSS"))
                largest = max(largest, int(line.split()[1]) / 1024)
        except (OSError, StopIteration):
            continue
    return largest


class Somebody:
    """Does this and that with random characters, one thing after the other."""

    def __init__(self, address: str, seed: int) -> None:
        self.api = httpx.Client(base_url=f"{address}/api", timeout=120, headers={"Plethos-Page": "soak"})
        self.draw = random.Random(seed)
        self.address = address
        self.own: list[str] = []

    def bring(self) -> None:
        """One more character, of which some are forgotten."""
        name = self.draw.choice(FILES)
        posted = self.api.post("/characters", files={"files": (f"{name}.glb", shipped(name))})
        self.own.append(posted.raise_for_status().json()["id"])
        if len(self.own) > 8:
            gone = self.own.pop(self.draw.randrange(len(self.own)))
            self.api.delete(f"/characters/{gone}")
            self.api.post(f"/characters/{gone}/erase")

    def look(self) -> None:
        who = self.draw.choice(self.own)
        for what in ("", "/figure", "/mesh", "/bind/findings"):
            self.api.get(f"/characters/{who}{what}").raise_for_status()

    def pose(self) -> tuple[str, dict[str, object]]:
        who = self.draw.choice(self.own)
        half = self.draw.uniform(0.1, 0.9)
        turned = {"left_forearm": [0, 0, math.sin(half), math.cos(half)]}
        return who, {"joints": turned}

    def mend(self) -> None:
        who, pose = self.pose()
        self.api.post(f"/characters/{who}/sculpt/first-mend", json={"pose": pose, "joint": "left_forearm"})
        self.api.post(f"/characters/{who}/sculpt/push-apart", json={})
        self.api.request("DELETE", f"/characters/{who}/sculpt")

    def which(self) -> None:
        who, pose = self.pose()
        self.api.post(f"/characters/{who}/proposals", json={"pose": pose, "joint": "left_forearm"})

    def edit(self) -> None:
        who = self.draw.choice(self.own)
        remedies = self.api.get(f"/characters/{who}").json()["remedies"]
        if remedies:
            one = self.draw.choice(remedies)
            self.api.patch(f"/characters/{who}/remedies/{one['id']}", json={"on": not one["on"]})
        self.api.post(f"/characters/{who}/undo" if self.draw.random() < 0.4 else f"/characters/{who}/redo")

    def bind(self) -> None:
        who = self.draw.choice(self.own)
        self.api.post(f"/characters/{who}/bind/automatic", json={})

    def deliver(self) -> None:
        self.api.get(f"/characters/{self.draw.choice(self.own)}/delivery.glb")

    def go_on(self) -> None:
        """One thing."""
        things = (
            self.bring,
            self.look,
            self.look,
            self.mend,
            self.which,
            self.edit,
            self.edit,
            self.bind,
            self.deliver,
        )
        (self.draw.choice(things) if self.own else self.bring)()


def soak(minutes: float) -> str:
    """How much memory the server holds after two minutes and at the end."""
    with running() as address:
        port = address.rsplit(":", 1)[1]
        bring_in(f"{address}/api/characters")
        somebody = Somebody(address, 1)
        began, looked, things = time.monotonic(), None, 0
        seen: list[float] = []
        while (now := (time.monotonic() - began) / 60) < minutes:
            somebody.go_on()
            things += 1
            if looked is None and now > min(FIRST, minutes / 2):
                looked = _memory(port)
            if things % 20 == 0:
                seen.append(_memory(port))
                print(f"{now:.1f} min, {things} things, {seen[-1]:.0f} MB", file=sys.stderr, flush=True)
        time.sleep(8)
        end = _memory(port)
    assert looked is not None
    return (
        f"{things} things in {minutes:.0f} minutes: {looked:.0f} MB after two, at most {max(seen):.0f}, "
        f"{end:.0f} at the end, {100 * (end / looked - 1):+.0f} % (at most 20)"
    )


if __name__ == "__main__":
    print(soak(float(sys.argv[1]) if len(sys.argv) > 1 else 20.0))
