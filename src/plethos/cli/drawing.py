"""The commands that only drawings need, and what is delivered of a clip."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated

import typer

from plethos.cli.base import CallError, In, Out, app, open_character, read_bytes, show, write
from plethos.core.character import Character
from plethos.core.edits.clip_loss import clip_loss
from plethos.core.edits.split import split_across
from plethos.core.formats.drawn_frames import Frames
from plethos.core.formats.files import written
from plethos.core.formats.lottie import lottie
from plethos.core.formats.pictures import pictures
from plethos.core.formats.svg_animate import animated_svg
from plethos.core.formats.svg_file import SvgFile, parse_svg
from plethos.core.formats.svg_write import svg_of, write_drawing
from plethos.core.joints.flat import laid_flat
from plethos.core.skeleton.clips import Clip
from plethos.core.weights.area import rigid
from plethos.core.weights.assign import DELIVERED, with_joint_weights
from plethos.core.weights.bind import bound_automatically


@app.command()
def lay(
    source: In,
    joints: Annotated[Path, typer.Option(help='JSON: [{"name": "thigh", "parent": null, "at": [x, y]}, ...].')],
    out: Out,
    influences: Annotated[int, typer.Option(min=1, max=8, help="How many joints a point may follow.")] = DELIVERED,
    stiff: Annotated[bool, typer.Option("--rigid", help="Give each point wholly to one joint.")] = False,
) -> None:
    """Lay joints on a drawing, and give it automatic weights."""
    character, file = open_character(source)
    try:
        told = json.loads(read_bytes(joints))
    except (ValueError, RecursionError):
        raise CallError(f"{joints} is not a JSON document.") from None
    laid = bound_automatically(laid_flat(character, told), influences)
    if stiff:
        laid = with_joint_weights(laid, rigid(laid.binding.joint_weights), 1)
    write(out, written(laid, file))
    skeleton = laid.skeleton
    show(
        {
            "joints": [n for n, is_joint in zip(skeleton.names, skeleton.is_joint.tolist(), strict=True) if is_joint],
            "control_points": len(laid.mesh) // 3,
            "influences": int((laid.binding.weights > 0).sum(axis=1).max()),
        }
    )


@app.command()
def split(
    source: In,
    joint: Annotated[str, typer.Option(help="The joint that the fills are split across.")],
    out: Out,
    part: Annotated[str | None, typer.Option(help="Only in this part.")] = None,
) -> None:
    """Split the fills that bend at a joint across it, so that none opens at the fold."""
    character, file = open_character(source)
    if not isinstance(file, SvgFile):
        raise CallError("This is no drawing: there is no fill to be split.")
    made = split_across(character, character.skeleton.find(joint), part)
    again = parse_svg(svg_of(made, file.canvas, made.mesh.rest).encode())
    write(out, write_drawing(made, again))
    show({"control_points": len(made.mesh) // 3, "before": len(character.mesh) // 3})


def _tell_loss(character: Character, clip: Clip) -> None:
    """Say what the file cannot hold of a clip, if anything."""
    found = clip_loss(character, clip)
    if found.remedies:
        names = ", ".join(f"“{n}”" for n in found.remedies)
        typer.echo(
            f"The file cannot hold {names}: its skin is off by {1e3 * found.metres:.1f} mm at most, "
            f"{found.time:.2f} s into “{clip.name}”. Bake them into correctives first, and it can.",
            err=True,
        )


@app.command()
def deliver(
    source: In,
    out: Annotated[Path, typer.Option("--out", help="A .glb; of a drawing .svg, .json (Lottie) or .zip (PNG).")],
    clip: Annotated[str | None, typer.Option(help="The clip that is baked; of a drawing animated.")] = None,
    width: Annotated[int, typer.Option(min=16, max=4096, help="Of PNG frames, pixels.")] = 1024,
) -> None:
    """The character as a file; with a clip its corrections are baked into that, for players that know no rules."""
    character, file = open_character(source)
    ending = out.suffix.lower()
    if not isinstance(file, SvgFile):
        if ending != ".glb":
            raise CallError("A solid character is delivered as a .glb.")
        write(out, written(character, file, clip))
        if clip is not None:
            _tell_loss(character, next(c for c in character.all_clips if c.name == clip))
        return
    if clip is None:
        if ending != ".svg":
            raise CallError("Without a clip a drawing is delivered as an .svg.")
        write(out, written(character, file))
        return
    found = next((c for c in character.all_clips if c.name == clip), None)
    if found is None:
        raise CallError(f"There is no clip called “{clip}”.")
    frames = Frames.of(character, found)
    title = f"{character.name}: {clip}"
    if ending == ".svg":
        write(out, animated_svg(frames, file.canvas, title).encode())
    elif ending == ".json":
        write(out, json.dumps(lottie(frames, file.canvas, title), separators=(",", ":")).encode())
    elif ending == ".zip":
        write(out, pictures(frames, file.canvas, width))
    else:
        raise CallError("A clip of a drawing is delivered as .svg (animated), .json (Lottie) or .zip (PNG frames).")
