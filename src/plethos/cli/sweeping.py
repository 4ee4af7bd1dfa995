"""The command that sweeps."""

from __future__ import annotations

import hashlib
import json
import math
import time
from pathlib import Path
from typing import Annotated, Any

import typer

from plethos.cli.base import CallError, app, open_character, read_bytes, write
from plethos.core.character import Character
from plethos.core.joints.body_plan import proposed_hinges
from plethos.core.sweep.bounds import SHIPPED, SweepBounds, bounds_from_text
from plethos.core.sweep.plan import Scope
from plethos.core.sweep.report import report, samples_json
from plethos.core.sweep.sweep import Walked, walked, ways_of
from plethos.core.sweep.sweeper import Sweeper

OVER = 1  # the exit code when a spot is over the limit that was asked for


@app.command()
def sweep(
    sources: Annotated[list[Path], typer.Argument(metavar="IN...", help="Characters: .glb, .gltf, USD or .svg.")],
    out: Annotated[Path, typer.Option("--json", help="Where the spots are written; - is standard output.")],
    bounds: Annotated[Path | None, typer.Option(help="B.json: bounds that differ from the shipped ones.")] = None,
    joints: Annotated[str | None, typer.Option(help="Names, with commas: these joints only.")] = None,
    step: Annotated[float, typer.Option(min=1, max=90, help="Degrees between two poses.")] = 10.0,
    past: Annotated[float, typer.Option(min=0, max=1, help="How far past its range, as a share of it.")] = 0.1,
    pairs: Annotated[bool, typer.Option("--pairs", help="Parents with their children too.")] = False,
    clips: Annotated[str, typer.Option(help="all, none, or names with commas.")] = "all",
    samples: Annotated[Path | None, typer.Option(help="Write every pose with every measure.")] = None,
    seconds: Annotated[float | None, typer.Option(min=0, help="Stop after so long; what was found is told.")] = None,
    fail_over: Annotated[float | None, typer.Option(min=0, max=100, help="Exit 1 for a spot over that.")] = None,
) -> None:
    """Walk characters through their ranges of motion, and rank where they are worst, bare and with remedies."""
    held = SHIPPED if bounds is None else bounds_from_text(read_bytes(bounds))
    until = math.inf if seconds is None else time.monotonic() + seconds
    documents: dict[str, Any] = {}
    every: dict[str, Any] = {}
    for source in sources:
        name = _name(source, documents)
        data = read_bytes(source)
        character, _ = open_character(source, data)
        scope = Scope(
            joints=None if joints is None else frozenset(character.skeleton.find(n.strip()) for n in joints.split(",")),
            step=math.radians(step), past=past, pairs=pairs, clips=_clips(character, clips),
        )  # fmt: skip
        for named in held.joints:
            character.skeleton.find(named)
        digest = hashlib.sha256(data).hexdigest()
        documents[name], every[name] = _swept(character, scope, held, digest, until)
    _put(out, documents)
    if samples is not None:
        _put(samples, every)
    worst = [s["badness"]["with_remedies"] for d in documents.values() for s in d["spots"] if s["range"] != "guessed"]
    if fail_over is not None and max(worst, default=0.0) > fail_over:
        raise typer.Exit(OVER)


def _swept(
    character: Character, scope: Scope, bounds: SweepBounds, digest: str, until: float
) -> tuple[dict[str, Any], list[dict[str, Any]]]:
    """The report of one file, and every pose of it."""
    sweeper, found = Sweeper.of(character), list[Walked]()
    complete = True
    for way in ways_of(character, proposed_hinges(character), scope):
        if time.monotonic() > until:
            complete = False
            break
        found.append(walked(sweeper, way, bounds))
    return report(sweeper, found, bounds, digest, complete), [r for w in found for r in samples_json(sweeper, w)]


def _clips(character: Character, told: str) -> tuple[str, ...] | None:
    if told == "all":
        return None
    if told == "none":
        return ()
    names = tuple(n.strip() for n in told.split(","))
    there = {c.name for c in character.all_clips}
    for name in names:
        if name not in there:
            known = ", ".join(f"“{n}”" for n in sorted(there)) or "none"
            raise CallError(f"There is no clip called “{name}” in this character; there are: {known}.")
    return names


def _name(source: Path, taken: dict[str, Any]) -> str:
    """What a file's part of the output goes by: its name, or its path where two have the same."""
    return source.name if source.name not in taken else str(source)


def _put(path: Path, documents: dict[str, Any]) -> None:
    """One file's by itself, several by their names."""
    told = next(iter(documents.values())) if len(documents) == 1 else documents
    write(path, json.dumps(told, ensure_ascii=False, indent=1).encode())
