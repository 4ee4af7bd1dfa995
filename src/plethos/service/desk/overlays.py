"""What a frame shows over the skin: each overlay is a function, named as what asks for it in a `Want`."""

from __future__ import annotations

import contextlib
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.edits.twins import lone_vertices
from plethos.core.errors import BadEditError, BadPoseError
from plethos.core.evaluate import Posed
from plethos.core.measure.measured import Measured
from plethos.core.rules.triggers.hinge import unit_axis
from plethos.core.skin.mesh import widths_of
from plethos.core.weights.colours import mixed_colours
from plethos.service.desk.ghosts import ghost, moved_share
from plethos.service.desk.subject import Asked, Floats, Subject


@dataclass
class Shown:
    """A frame while it is made.

    Parameters
    ----------
    posed
        The subject in its pose.
    head, fields
        What has been said and shown so far; ``with`` and ``joints`` are there, ``without`` where it is wanted.
    """

    asked: Asked
    subject: Subject
    posed: Posed
    head: dict[str, Any]
    fields: dict[str, Floats]


def heat(shown: Shown) -> None:
    """The change of depth over the bones, with and without."""
    if not shown.asked.version.character.skeleton.is_joint.any():
        return
    depth, fields = shown.asked.version.measures.depth, shown.fields
    places = fields["joints"][:, :3].astype(np.float64)
    fields["heat"] = depth.change(fields["with"], places)
    if shown.asked.want.without:
        fields["heat_without"] = depth.change(fields["without"], places)


def skin(shown: Shown) -> None:
    """Stretch, folds, contacts or clipping at each vertex, with and without."""
    name, version, fields = shown.asked.want.skin, shown.asked.version, shown.fields
    if name is None or version.character.mesh.is_flat:
        return
    measured = version.measures.skin_fields
    with contextlib.suppress(BadPoseError):  # torn to shreds: nothing can be counted
        fields["skin"] = measured.at(name, fields["with"])
        if shown.asked.want.without:
            fields["skin_without"] = measured.at(name, fields["without"])


def weights(shown: Shown) -> None:
    """One joint's weights."""
    stroke, character = shown.asked.stroke, shown.subject.character
    joint = shown.asked.version.character.skeleton.find(shown.asked.want.weights or "")
    column = stroke.weights_of(joint) if stroke is not None else None
    shown.fields["weights"] = np.ascontiguousarray(character.binding.column(joint) if column is None else column)


def mixed(shown: Shown) -> None:
    """The weights of all joints as mixed colours."""
    stroke = shown.asked.stroke
    painted = stroke.weights() if stroke is not None else None
    rows = shown.subject.character.binding.by_vertex if painted is None else painted
    shown.fields["mixed"] = mixed_colours(rows, shown.asked.version.character.skeleton)


def seen_through(shown: Shown) -> None:
    """Another skin that is seen through this one."""
    points = ghost(shown.asked.version, shown.subject.pose, shown.asked.want.ghost or "")
    if points is not None:
        shown.fields["ghost"] = points


def region(shown: Shown) -> Floats:
    """What is picked, and its volume."""
    stroke = shown.asked.stroke
    picked = stroke.picked() if stroke is not None else None
    patch = shown.asked.version.measures.patch
    shown.head["region_volume"] = patch.volume_percent(shown.fields["with"])
    return shown.subject.character.region() if picked is None else picked


def mask(shown: Shown) -> Floats:
    """The mask of a remedy, as a stroke has it; nothing where it has none."""
    stroke, rules, remedy_id = shown.asked.stroke, shown.subject.character.rules, shown.asked.want.mask or ""
    painted = stroke.mask() if stroke is not None else None
    if painted is not None and painted[0] == remedy_id:
        return painted[1]
    count = len(shown.subject.character.mesh)
    found = rules.remedy(remedy_id).mask if rules.has(remedy_id) else None
    return np.zeros(count, np.float32) if found is None else found.dense(count)


def moved(shown: Shown) -> Floats | None:
    """How far the sculpt in progress has moved each vertex."""
    held = shown.asked.version.sculpt
    if held is None:
        return None
    share, shown.head["moved_most"] = moved_share(held, shown.fields["with"])
    return share


def border(shown: Shown) -> Floats | None:
    """The border vertices that the sculpt in progress has moved."""
    held = shown.asked.version.sculpt
    if held is None:
        return None
    changed = (shown.fields["with"] != held.start.astype(np.float32)).any(axis=1)
    return np.asarray(shown.subject.character.mesh.border & changed, np.float32)


def lone(shown: Shown) -> Floats:
    """The vertices of a remedy without a partner on the other side."""
    character, remedy_id = shown.subject.character, shown.asked.want.lone or ""
    shares = np.zeros(len(character.mesh), np.float32)
    if character.rules.has(remedy_id):
        shares[lone_vertices(character, character.rules.remedy(remedy_id))] = 1
    return shares


OVERLAYS: dict[str, Callable[[Shown], None]] = {
    "heat": heat, "skin": skin, "weights": weights, "mixed": mixed, "ghost": seen_through
}  # fmt: skip
# All of these are painted in one colour, so the first that is there is shown.
SHARES: dict[str, Callable[[Shown], Floats | None]] = {
    "region": region, "mask": mask, "moved": moved, "border": border, "lone": lone
}  # fmt: skip


def add_overlays(shown: Shown) -> None:
    """Show all that is asked for."""
    want = shown.asked.want
    for name, add in OVERLAYS.items():
        if getattr(want, name) not in (None, False):
            add(shown)
    for name, share in SHARES.items():
        if getattr(want, name) not in (None, False) and (shares := share(shown)) is not None:
            shown.fields["region"] = shares
            return


def widths(shown: Shown) -> Floats | None:
    """How wide the stroke is at each control point ``(V / 3,)`` of a drawing; None for a solid."""
    mesh, stroke, held = shown.posed.character.mesh, shown.asked.stroke, shown.asked.version.sculpt
    if mesh.channels is None:
        return None
    channels: NDArray[np.floating] | None = stroke.channels() if stroke is not None else None
    if channels is None:
        channels = shown.posed.channels if held is None else held.channels
    assert channels is not None, "drawings have widths"
    return mesh.widths if channels is mesh.channels else widths_of(channels)


def kept(shown: Shown) -> dict[str, float]:
    """The volume that each volume keeper holds, percent of rest, by its id."""
    posed = shown.posed
    if not posed.character.rules.deformers:
        return {}
    held = {i: d.holds(shown.fields["with"]) for i, d in posed.evaluator.deformers(posed.acting)}
    return {i: round(100 * share, 2) for i, share in held.items() if share is not None}


def angle_deg(shown: Shown, joint: str, axis: Sequence[float]) -> float:
    """How far a joint is turned about an axis of its rest frame, degrees."""
    skeleton = shown.asked.version.character.skeleton
    number = skeleton.find(joint)
    return math.degrees(skeleton.angle_about(number, shown.subject.pose.rotations[number], unit_axis(axis)))


def measures(shown: Shown, joint: str) -> dict[str, Any] | None:
    """The measures of a joint's region, without and with; None where it bends nothing."""
    version, fields = shown.asked.version, shown.fields
    try:
        bend = version.measures.bend(version.character.skeleton.find(joint))
    except BadEditError:
        return None
    inside = bend.site.vertices
    without, with_ = bend.of_points(fields["without"][inside]), bend.of_points(fields["with"][inside])
    return {"without": measured_json(without), "with": measured_json(with_), "why": list(bend.site.why)}


def measured_json(measured: Measured) -> dict[str, float | None]:
    """Percent of rest, to a hundredth; None for what cannot be measured."""
    both = (("volume", measured.volume), ("girth", measured.girth), ("open_fill", measured.open_fill))
    return {name: None if value is None else round(value, 2) for name, value in both}
