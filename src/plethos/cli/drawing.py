"""The commands that only drawings need."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated

import typer

from plethos.cli.base import CallError, In, Out, app, open_character, read_bytes, show, write
from plethos.core.formats.files import written
from plethos.core.joints.flat import laid_flat
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
