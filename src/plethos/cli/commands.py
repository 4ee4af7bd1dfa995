"""The commands that read, pose, rule, bind and measure."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer

from plethos.cli.base import (
    CallError,
    In,
    Out,
    PoseFile,
    Without,
    app,
    open_character,
    parse_axis,
    read_bytes,
    read_pose,
    show,
    write,
)
from plethos.core.character import Character
from plethos.core.evaluate import ALL, NONE, Evaluator, Posed
from plethos.core.formats import obj, rules
from plethos.core.formats.files import Source, written
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_parts import unnormalised_weights
from plethos.core.formats.svg_file import SvgFile
from plethos.core.formats.svg_write import svg_of
from plethos.core.geometry.outlines import Outlines
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.contact_counter import ContactCounter
from plethos.core.measure.travel import bend_steps, degrees_between
from plethos.core.skin.mesh import Part
from plethos.core.weights.assign import with_joint_weights
from plethos.core.weights.bind import bound_automatically
from plethos.core.weights.check import check_weights
from plethos.core.weights.table import weights_from_json, weights_to_json


@app.command()
def pose(
    source: In,
    pose: PoseFile,
    out: Annotated[Path | None, typer.Option("--out", help="The .obj to write, or the .svg of a drawing.")] = None,
    joints: Annotated[Path | None, typer.Option(help="Write the joints' places and orientations as JSON.")] = None,
    without: Without = False,
) -> None:
    """Posed vertices as OBJ, in the file's order and number, or a drawing as SVG; joints in the world as JSON."""
    character, file = open_character(source)
    if out is None and joints is None:
        raise CallError("Say what to write: --out FILE.obj (FILE.svg for a drawing), or --joints FILE.json.")
    posed = Evaluator.of(character).pose(read_pose(character, pose), NONE if without else ALL)
    if out is not None:
        write(out, posed_file(posed, file))
    if joints is not None:
        write(joints, json.dumps(joints_json(posed), indent=1).encode())


def posed_file(posed: Posed, file: Source) -> bytes:
    """A posed character as a file."""
    if isinstance(file, SvgFile):
        return svg_of(posed.character, file.canvas, posed.exact_points(), posed.channels, None, posed.order).encode()
    return obj.write_obj(posed.character, posed.exact_points()).encode()


def joints_json(posed: Posed) -> dict[str, Any]:
    """Where every joint is in the world, and how it is turned, by name; of a drawing in its own units, y down."""
    skeleton = posed.character.skeleton
    turned = skeleton.turned_in_world(posed.moment.rotations)
    as_told = np.array([1.0, -1.0, 1.0]) if posed.character.mesh.is_flat else np.ones(3)
    return {
        name: {
            "place": (posed.world[j, :3, 3] * as_told + 0.0).tolist(),
            "quaternion_xyzw": turned[j].tolist(),
        }
        for j, name in enumerate(skeleton.names)
    }


@app.command()
def values(source: In, pose: PoseFile) -> None:
    """What every dial, group and remedy stands at in a pose, as JSON."""
    character, _ = open_character(source)
    rules = character.rules
    posed = Evaluator.of(character).pose(read_pose(character, pose))
    program = posed.evaluator.program
    activations = program.activations(posed.moment)

    def value(id_: str) -> float:
        return float(posed.moment.values[program.places.values[id_]])

    show(
        {
            "dials": {d.name: value(d.id) for d in rules.dials},
            "groups": {g.name: value(g.id) for g in rules.groups},
            "remedies": {r.name: activations[r.id] for r in rules.remedies},
        }
    )


@app.command(name="rules")
def rules_command(
    source: In,
    out: Out,
    take: Annotated[
        Path | None, typer.Option("--set", help="Take the rules of such a document; --out is a .glb.")
    ] = None,
) -> None:
    """Everything of ours as one plain document; or a .glb with the rules of such a document in place of its own."""
    character, file = open_character(source)
    if take is None:
        write(out, json.dumps(rules.plain_rules(character), indent=1).encode())
        return
    try:
        document = json.loads(read_bytes(take))
    except (ValueError, RecursionError):
        raise CallError(f"{take} is not a JSON document.") from None
    changed = rules.with_plain_rules(character, document)
    Evaluator.of(changed)  # what cannot be compiled is not written
    write(out, written(changed, file))


def rules_json(character: Character) -> dict[str, Any]:
    """The rules as a file has them, each remedy with the trigger that it is tied to."""
    document, _ = rules.rules_of(character)
    remedies = []
    for told, remedy in zip(document["remedies"], character.rules.remedies, strict=True):
        trigger = character.rules.trigger_of(remedy)
        tied = trigger.to_document(character.skeleton) if trigger is not None else None
        remedies.append({**told, "trigger": tied})
    return {**{k: document.get(k, []) for k in ("dials", "triggers", "groups")}, "remedies": remedies}


def part_json(part: Part) -> dict[str, Any]:
    """What a part is made of."""
    count = part.file_vertices[1] - part.file_vertices[0]
    if isinstance(part.surface, Outlines):
        surface = part.surface
        return {
            "name": part.name, "control_points": count // 3, "curves": len(surface.curves),
            "drawn": [{"name": d.name, "fill": d.fill and d.fill.colour, "fill_rule": d.fill and d.fill.rule,
                       "stroke": d.stroke and d.stroke.colour} for d in surface.drawn],
        }  # fmt: skip
    return {
        "name": part.name, "vertices": count, "triangles": len(part.surface.corners),
        "computed_vertices": part.vertices[1] - part.vertices[0],
    }  # fmt: skip


@app.command()
def inspect(source: In) -> None:
    """What is in a file, as JSON."""
    character, _ = open_character(source)
    skeleton = character.skeleton
    used = int((character.binding.weights > 0).sum(axis=1).max(initial=0))
    show(
        {
            "name": character.name,
            "parts": [part_json(p) for p in character.mesh.parts],
            "joints": [
                {"name": skeleton.names[j], "parent": skeleton.names[p] if p >= 0 else None}
                for j, p in enumerate(skeleton.joint_parents)
                if skeleton.is_joint[j]
            ],
            "influences": character.binding.influences.shape[1],
            "influences_used": used,
            "shapes": [
                {"name": s.name, "moved_vertices": len(s.vertices), "weight": s.weight} for s in character.mesh.shapes
            ],
            **rules_json(character),
            "clips": [{"name": c.name, "seconds": c.duration, "tracks": len(c.tracks)} for c in character.all_clips],
            "repairs": list(character.repairs),
        }
    )


@app.command()
def measure(
    source: In,
    joint: Annotated[str, typer.Option(help="The joint that bends.")],
    axis: Annotated[str, typer.Option(help="x, y, z or X,Y,Z in the joint's rest frame.")],
    start: Annotated[float, typer.Option("--from", help="Degrees.")],
    end: Annotated[float, typer.Option("--to", help="Degrees.")],
    steps: Annotated[int, typer.Option(help="How many angles.")],
    without: Without = False,
) -> None:
    """Volume, least girth and self-intersections of a joint's region over its travel, as JSON; of a drawing area, least
    width and how much of its fills is open, in square user units."""
    if not 1 <= steps <= 10_000 or not (math.isfinite(start) and math.isfinite(end)):
        raise CallError("The steps have to lie between 1 and 10000, and the angles have to be finite.")
    character, _ = open_character(source)
    evaluator = Evaluator.of(character)
    bend = BendMeasure.of(character, character.skeleton.find(joint))
    contacts = ContactCounter.of(character.mesh)
    unit = parse_axis(axis)
    acting = NONE if without else ALL
    rows: list[dict[str, Any]] = []
    held = character.skeleton.rest_pose()
    for step in bend_steps(bend, held, unit, degrees_between(start, end, steps)):
        measured = step.without if without else step.with_
        told: dict[str, Any] = {"angle_deg": math.degrees(step.angle)}
        if character.mesh.is_flat:
            told |= {
                "area_percent": measured.volume, "least_width_percent": measured.girth, "open_fill": measured.open_fill
            }  # fmt: skip
        else:
            told |= {
                "volume_percent": measured.volume, "least_girth_percent": measured.girth,
                "self_intersecting_triangles": contacts.count(evaluator.pose(step.pose, acting).points),
            }  # fmt: skip
        rows.append(told)
    show({"joint": joint, "axis": list(unit), "remedies": not without, "steps": rows, "why": list(bend.site.why)})


@app.command()
def bind(
    source: In,
    out: Out,
    joints: Annotated[str | None, typer.Option(help="Only these joints, with commas: A,B.")] = None,
    influences: Annotated[int, typer.Option(help="How many joints a vertex may follow.")] = 4,
) -> None:
    """Automatic weights for a character that has joints; its own are replaced (with --joints, only theirs)."""
    if not 1 <= influences <= 8:
        raise CallError("The number of influences has to lie between 1 and 8.")
    character, file = open_character(source)
    chosen = None if joints is None else character.skeleton.mask(n.strip() for n in joints.split(","))
    bound = bound_automatically(character, influences, chosen)
    write(out, written(bound, file))
    used = bound.skeleton.is_joint & (bound.binding.joint_weights.max(axis=0) > 0)
    show(
        {
            "vertices": len(bound.mesh.points),
            "joints": [bound.skeleton.names[j] for j in np.flatnonzero(used if chosen is None else used & chosen)],
            "influences": int((bound.binding.weights > 0).sum(axis=1).max()),
        }
    )


@app.command()
def weights(
    source: In,
    check: Annotated[bool, typer.Option("--check", help="List what is wrong.")] = False,
    influences: Annotated[int, typer.Option(help="How many joints a vertex may follow.")] = 4,
    out: Annotated[Path | None, typer.Option("--out", help="Write the weights as a plain file by joint name.")] = None,
    take: Annotated[
        Path | None, typer.Option("--take", help="Take the weights of such a file; needs --out .glb.")
    ] = None,
) -> None:
    """Stray, unnormalised, unmirrored and over-limit weights as JSON; weights out to a plain file, and back in."""
    character, file = open_character(source)
    if check:
        findings = [f.to_json(character) for f in check_weights(character, influences)]
        unnormalised = [
            {"kind": "unnormalised", "joint": None, "vertices": len(v), "worst": worst, "file_vertices": v}
            for v, worst in ([unnormalised_weights(file)] if isinstance(file, GltfFile) else [])
            if v
        ]
        show([*unnormalised, *findings])
        return
    if out is None:
        raise CallError("Say what to do: --check, or --out FILE.")
    if take is not None:
        write(out, written(with_joint_weights(character, weights_from_json(character, read_bytes(take))), file))
    else:
        write(out, json.dumps(weights_to_json(character)).encode())


@app.command()
def demo(
    name: Annotated[str | None, typer.Argument(help="Which; none = list them.")] = None,
    out: Annotated[Path | None, typer.Option("--out", help="The .glb to write, or the .svg of a drawing.")] = None,
) -> None:
    """Write one of the demo characters as a sample file; without a name, list them as JSON."""
    # Only here: the catalogue brings the whole generator with it.
    from plethos.demo.shelf import TELLS, TITLES, shipped

    if name is None:
        show([{"name": n, "title": title, "tells": TELLS[n]} for n, title in TITLES.items()])
        return
    if out is None:
        raise CallError("Say where to write it: --out FILE.glb.")
    write(out, shipped(name))
