"""The commands that turn sculpts into shapes."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer

from plethos.cli.base import CallError, In, Out, PoseFile, app, open_character, read_bytes, read_pose, show, write
from plethos.core.character import Character
from plethos.core.evaluate import Acting, Evaluator
from plethos.core.formats import obj
from plethos.core.formats.files import written
from plethos.core.formats.obj_match import sculpt_from_obj
from plethos.core.formats.svg_sculpt import sculpt_from_svg
from plethos.core.geometry.rotations import Array
from plethos.core.propose.between import further_on, led_on
from plethos.core.rules.remedies import Corrective, Remedy, Target
from plethos.core.rules.remedies.corrective import APART, target_name
from plethos.core.sculpt.solve import guess_trigger, solve_corrective
from plethos.core.skeleton.names import free_name
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.pose_files import pose_to_json


@app.command()
def correct(
    source: In,
    pose: PoseFile,
    sculpt: Annotated[Path, typer.Option(help="What `pose` wrote (an OBJ, an SVG of a drawing), sculpted.")],
    name: Annotated[str, typer.Option(help="What the corrective is called.")],
    out: Out,
    of: Annotated[str | None, typer.Option(help="A corrective that gets the sculpt as an in-between.")] = None,
    at: Annotated[float | None, typer.Option(help="The activation of the in-between; else the pose's own.")] = None,
) -> None:
    """Turn a posed sculpt into a corrective with the hinge trigger that its pose suggests, or into an in-between."""
    character, file = open_character(source)
    if not name.strip():
        raise CallError("The corrective needs a name.")
    held = read_pose(character, pose)
    if of is not None:
        mended, told = between(character, held, read_sculpt(character, held, sculpt), of, at)
        write(out, written(mended, file))
        show({"name": of, **told})
        return
    posed = Evaluator.of(character).pose(held)
    target = read_sculpt(character, held, sculpt)
    label = free_name(name.strip(), {r.name for r in character.rules.remedies})
    shape, report = solve_corrective(posed, target.points, label, channels=target.channels)
    trigger = guess_trigger(character, held, shape)
    body = Corrective.of(shape, pose_to_json(character.skeleton, held), report.to_json())
    mended = character.with_remedy(Remedy(body, label, by=trigger.id), trigger)
    write(out, written(mended, file))
    came_back = np.abs(Evaluator.of(mended).pose(held).points - target.points).max()
    show(
        {
            "name": label,
            "joint": character.skeleton.names[trigger.joint],
            "axis": list(trigger.axis),
            "start_deg": math.degrees(trigger.response.start),
            "end_deg": math.degrees(trigger.response.end),
            "moved_vertices": report.moved,
            "round_trip_error": report.round_trip_error,
            "evaluated_error": float(came_back),
            "greatest_move": report.greatest_move,
            "warnings": list(report.warnings),
        }
    )


@dataclass(frozen=True, eq=False)
class Sculpt:
    """Where a sculpt puts the vertices ``(V, 3)``, and their channels ``(V, C)`` where it says them."""

    points: Array
    channels: Array | None = None


def read_sculpt(character: Character, held: Pose, path: Path) -> Sculpt:
    """A sculpt of the character in a pose; what it does not hold is as it is there."""
    if character.mesh.is_flat:
        drawn = sculpt_from_svg(character, read_bytes(path))
        return Sculpt(drawn.points, drawn.channels)
    posed = Evaluator.of(character).pose(held).exact_points()
    text = read_bytes(path).decode("utf-8", "replace")
    return Sculpt(sculpt_from_obj(character, text, posed).points)


def between(
    character: Character, held: Pose, target: Sculpt, name: str, at: float | None
) -> tuple[Character, dict[str, Any]]:
    """A corrective with one more target that a sculpt is solved for, and what is told of it.

    It is an in-between; or, in a pose well beyond where the corrective is fully on, one further on.
    """
    rules = character.rules
    remedy = next((r for r in rules.remedies if r.name == name and r.sculpted is not None), None)
    if remedy is None:
        raise CallError(f"There is no corrective called “{name}” in this character.")
    evaluator = Evaluator.of(character)
    longer = further_on(character, remedy, held) if at is None else None
    place = evaluator.pose(held).activation(remedy.id) if at is None else at
    if longer is None and not APART <= place <= 1 - APART:
        raise CallError(
            f"An in-between lies between {APART:g} and {1 - APART:g}; this one would be at {place:.3g}: "
            "bend to where the corrective is partly on, or well beyond."
        )
    base = evaluator.pose(held, Acting.these(*(r.id for r in rules.remedies if r.on and r.id != remedy.id)))
    shape, report = solve_corrective(
        base, target.points, target_name(name, 1.0 if longer else place), remedy.amount, None, target.channels
    )  # fmt: skip
    body = remedy.shapes_or_refuse("has no shapes.")
    fresh = Target(shape, round(place, 6), pose_to_json(character.skeleton, held), report.to_json())
    if longer is not None:
        mended = character.with_rules(led_on(rules, remedy, longer, replace(fresh, at=1.0)))
    else:
        mended = character.with_remedy(replace(remedy, body=body.with_target(fresh)))
    targets = mended.rules.remedy(remedy.id).shapes_or_refuse("has no shapes.")
    return mended, {
        "at": 1.0 if longer else place,
        "targets": [t.at for t in targets.targets],
        "moved_vertices": report.moved,
        "round_trip_error": report.round_trip_error,
        "warnings": list(report.warnings),
    }


@app.command()
def subtract(
    source: In,
    pose: PoseFile,
    sculpt: Annotated[Path, typer.Option(help="What `pose` wrote (an OBJ, an SVG of a drawing), sculpted.")],
    out: Out,
) -> None:
    """What remains of a sculpt when all that is on is taken away, on the mesh at rest, as OBJ."""
    character, _ = open_character(source)
    held = read_pose(character, pose)
    posed = Evaluator.of(character).pose(held)
    if character.mesh.is_flat:
        raise CallError("This is a drawing: what remains of a sculpt of it is not written as a mesh.")
    shape, report = solve_corrective(posed, read_sculpt(character, held, sculpt).points, "what remains")
    points = character.mesh.rest.astype(np.float64)
    points[shape.vertices] += shape.deltas
    write(out, obj.write_obj(character, points).encode())
    show(
        {
            "moved_vertices": report.moved,
            "round_trip_error": report.round_trip_error,
            "greatest_offset": float(np.linalg.norm(shape.deltas, axis=1).max(initial=0)),
            "warnings": list(report.warnings),
        }
    )
