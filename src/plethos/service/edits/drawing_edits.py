"""Drawings: fills split across a joint, the order of painting, and what is delivered of them."""

from __future__ import annotations

import json
from dataclasses import replace

from plethos.core.character import Character
from plethos.core.edits.split import split_across
from plethos.core.errors import BadEditError
from plethos.core.formats.drawn_frames import RATE, Frames
from plethos.core.formats.lottie import lottie
from plethos.core.formats.pictures import picture_of
from plethos.core.formats.svg_animate import animated_svg
from plethos.core.formats.svg_file import parse_svg
from plethos.core.formats.svg_write import canvas_of, svg_of
from plethos.core.propose.held import Held
from plethos.core.rules.remedies import Order, Remedy
from plethos.core.rules.response import Response
from plethos.core.skeleton.names import free_name
from plethos.core.skeleton.pose import Pose
from plethos.service.library.delivery import Delivery
from plethos.service.library.poses import clip_named
from plethos.service.library.version import Version
from plethos.service.library.workbench import Workbench


def split(workbench: Workbench, character_id: str, joint: str, part: str | None = None) -> Version:
    """Split the fills that bend at a joint across it: see `split_across`."""
    opened = workbench.open(character_id)
    with opened.editing:
        opened.take(workbench.page)
        opened.refuse_while_sculpting()
        made = split_across(opened.character, opened.character.skeleton.find(joint), part)
        file = parse_svg(svg_of(made, canvas_of(opened.source), made.mesh.rest).encode())
        return workbench.commit(opened, f"Split across {joint}", made, drawing=file)


def start_order(
    workbench: Workbench, character_id: str, pose: Pose, joint: str, part: str, other: str, behind: bool
) -> Version:
    """A part in front of another, or behind it, from the middle of the held bend on."""

    def change(character: Character) -> Character:
        for name in (part, other):
            character.mesh.part(name)
        if part == other:
            raise BadEditError("A part cannot be in front of itself: choose another.")
        held = Held.of(character, character.skeleton.find(joint), pose)
        end = held.angle
        trigger = replace(held.trigger, response=Response.of_knots(sorted([(0.0, 0.0), (end, 1.0)])))
        wanted = f"{part} {'behind' if behind else 'in front of'} {other}"
        name = free_name(wanted, {r.name for r in character.rules.remedies})
        return character.with_remedy(Remedy(Order(part, other, behind), name, by=trigger.id), trigger)

    return workbench.edit(character_id, "Switch the order of painting", change)


def deliver(
    workbench: Workbench, character_id: str, kind: str, clip: str | None = None, pose: Pose | None = None
) -> Delivery:
    """A drawing for those who know no rules.

    Parameters
    ----------
    kind
        ``pose``: an SVG of a pose. Of a clip: ``animated`` an animated SVG, ``lottie`` a Lottie file.

    Raises
    ------
    BadEditError
        When the character is no drawing, or there is no such kind.
    BadPoseError
        When there is no such clip.
    """
    opened = workbench.open(character_id)
    version, canvas = opened.version, canvas_of(opened.source)
    character, name = version.character, opened.revision.name
    if kind == "pose":
        posed = version.evaluator.pose(pose or character.skeleton.rest_pose())
        text = svg_of(character, canvas, posed.exact_points(), posed.channels, None, posed.order)
        return Delivery(f"{name}, posed.svg", text.encode())
    if kind not in ("animated", "lottie") or clip is None:
        raise BadEditError(f"A drawing is not delivered as “{kind}”.")
    frames = Frames.of(character, clip_named(version, clip))
    if kind == "animated":
        return Delivery(f"{name}, {clip}.svg", animated_svg(frames, canvas, f"{name}: {clip}").encode())
    document = lottie(frames, canvas, f"{name}: {clip}")
    return Delivery(f"{name}, {clip}.json", json.dumps(document, separators=(",", ":")).encode())


def picture(workbench: Workbench, character_id: str, clip: str, number: int, width: int) -> bytes:
    """One frame of a clip as a PNG, so many pixels across.

    Raises
    ------
    BadEditError
        When the character is no drawing.
    BadPoseError
        When there is no such clip.
    """
    opened = workbench.open(character_id)
    version, canvas = opened.version, canvas_of(opened.source)
    played = clip_named(version, clip)
    pose = played.pose_at(version.character.skeleton, min(number / RATE, played.duration))
    return picture_of(version.evaluator.pose(pose), canvas, width)
