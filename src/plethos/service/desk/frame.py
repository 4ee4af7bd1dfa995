"""Live posing and sculpting: what a pose looks like, as one binary frame.

A frame is a length (uint32, little-endian), that many bytes of JSON, padding to 4, then float32 arrays in the order of
the JSON's ``fields``: ``with`` and ``without`` ``(V, 3)``, ``heat``, ``heat_without``, ``weights`` and ``region``
``(V,)``, ``mixed`` ``(V, 3)`` (the colours of all joints, mixed by weight), ``joints`` ``(J, 7)`` (place, then
quaternion x, y, z, w), and of a drawing ``widths`` ``(V / 3,)`` (of the stroke at each control point).
"""

from __future__ import annotations

import contextlib
import math
import struct
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from pydantic_core import to_json

from plethos.core.character import Character
from plethos.core.edits.twins import lone_vertices
from plethos.core.errors import BadEditError
from plethos.core.evaluate import ALL, NONE, Acting, Evaluator, Posed
from plethos.core.geometry.rotations import Array
from plethos.core.joints.edit import placed
from plethos.core.measure.measured import Measured
from plethos.core.propose.helpers import longer
from plethos.core.rules.remedies.volume_keeper import ReadyKeeper
from plethos.core.rules.triggers.hinge import unit_axis
from plethos.core.skeleton.kinematics import frames
from plethos.core.skeleton.reach import reached
from plethos.core.skeleton.skeleton import Pose, Skeleton
from plethos.core.skin.mesh import widths_of
from plethos.core.weights.colours import mixed_colours
from plethos.service.desk.desk import Desk
from plethos.service.desk.ghosts import ghost, moved_share
from plethos.service.desk.response_curves import drawn_curve
from plethos.service.library.stroke import Stroke
from plethos.service.library.version import HeldSculpt, Version

Floats = NDArray[np.float32]


@dataclass(frozen=True)
class Moving:
    """A joint that is being dragged but not stored yet: where it is to be in the pose, and whether its twin follows."""

    joint: str
    at: tuple[float, float, float]
    mirror: bool


class Wanted(NamedTuple):
    """What a frame should hold.

    Parameters
    ----------
    alone
        The one remedy that acts, or the group whose remedies do; None = all that are on.
    measure
        A joint whose region is measured, or None.
    axis
        A unit axis of its rest frame about which its angle is told, or None.
    preview
        The id of a remedy, and its trigger that is being changed but not stored yet.
    body
        The id of a remedy, and what is being changed about it but not stored yet.
    weights
        A joint whose weights are shown, or None.
    mixed
        The weights of all joints, as mixed colours.
    region
        What is picked, and its volume.
    moving
        A joint that is being dragged.
    mask
        The id of a remedy whose mask is shown in place of what is picked.
    lone
        The id of a remedy whose vertices without a partner on the other side are shown so.
    reach
        The end of a limb that is dragged, and where to in the world: the two joints above it turn.
    ghost
        A skin that is seen through the one that is shown: see `ghosts.ghost`.
    moved
        Whether it is shown how far the sculpt in progress has moved each vertex.
    border
        Whether the border vertices that the sculpt in progress has moved are shown so.
    trial
        A kind of remedy that was tried on this version and is to be seen at work, not stored.
    """

    without: bool = False
    heat: bool = False
    alone: str | None = None
    measure: str | None = None
    preview: tuple[str, Mapping[str, Any]] | None = None
    weights: str | None = None
    mixed: bool = False
    region: bool = False
    moving: Moving | None = None
    trial: str | None = None
    mask: str | None = None
    lone: str | None = None
    body: tuple[str, Mapping[str, Any]] | None = None
    border: bool = False
    reach: tuple[str, tuple[float, float, float]] | None = None
    ghost: str | None = None
    moved: bool = False
    axis: tuple[float, float, float] | None = None


def joint_frames(world: Array) -> Floats:
    """Places and orientations ``(J, 7)`` of all joints from their global matrices ``(J, 4, 4)``."""
    out = np.empty((len(world), 7), np.float32)
    frames(world, out)
    return out


def frame(desk: Desk, version: Version, pose: Pose, wanted: Wanted, extra: dict[str, Any], waits: bool = True) -> bytes:
    """One frame of the character in a pose, or of the sculpt in progress (then its own pose counts).

    Parameters
    ----------
    version
        What `desk.version` was when the pose was read: it may be another by now, and poses are of one skeleton.
    waits
        Whether it waits until the region that is to be measured is found; else it goes without measures: see `awaited`.
    """
    stroke, asked = desk.seen, wanted.measure
    if not waits and awaited(version, wanted.measure) is not None:
        wanted = wanted._replace(measure=None)
    with stroke.hands if stroke is not None else contextlib.nullcontext():
        return _frame(desk, stroke, version, pose, wanted, asked, extra)


def awaited(version: Version, name: str | None) -> int | None:
    """The joint to be measured, where its region has still to be found; a large character takes a while."""
    joint = None if name is None else version.character.skeleton.index_of.get(name)
    return None if joint is None or version.measures.knows(joint) else joint


def _frame(
    desk: Desk,
    stroke: Stroke | None,
    version: Version,
    pose: Pose,
    wanted: Wanted,
    asked: str | None,
    extra: dict[str, Any],
) -> bytes:
    character, evaluator, held = version.character, version.evaluator, version.sculpt
    skeleton, curve = character.skeleton, None
    bare: Evaluator | None = None  # of a skin, joints or pose that the version does not have, without remedies either
    if held is not None:
        pose = held.pose
    elif stroke is not None:
        bare = stroke.evaluator()
        evaluator = bare or evaluator
    elif wanted.trial and (tried := version.trials.of(desk.page).evaluator(wanted.trial, evaluator)) is not None:
        evaluator, pose = tried, longer(pose, tried.character)
        bare = tried
        extra = {**extra, "trial": wanted.trial}
    elif wanted.reach is not None:
        pose, turned = _reached(skeleton, pose, *wanted.reach)
        extra = {**extra, "reached": turned}
    elif wanted.moving is not None:
        moving = wanted.moving
        character = placed(character, skeleton.find(moving.joint), moving.at, pose, moving.mirror)
        evaluator = bare = Evaluator.of(character, evaluator)
    elif wanted.preview is not None:
        evaluator, trigger = desk.preview(version, *wanted.preview)
        extra, curve = {**extra, "response": wanted.preview[0]}, drawn_curve(trigger)
    elif wanted.body is not None:
        evaluator = desk.preview_body(version, *wanted.body)
    posed = evaluator.pose(pose, acting_in(version, wanted))
    fields: dict[str, Floats] = {} if curve is None else {"curve": curve}
    if held is not None:
        moved = stroke.points() if stroke is not None else None
        fields["with"] = (held.points if moved is None else moved).astype(np.float32)
    else:
        fields["with"] = posed.points
    if character.rules.orders:
        extra = {**extra, "order": list(posed.order)}
    widths = _widths(held, stroke, posed)
    if widths is not None:
        fields["widths"] = widths
    if stroke is not None and stroke is desk.stroke:
        stroke.shown(pose, fields["with"])
    if wanted.without or wanted.measure is not None:
        fields["without"] = desk.without(version, pose) if bare is None else bare.pose(pose, NONE).points
    # Joints that a trial brings are no joints of the version yet.
    fields["joints"] = joint_frames(posed.world[: len(skeleton)])
    if wanted.heat and skeleton.is_joint.any():
        places = fields["joints"][:, :3].astype(np.float64)
        fields["heat"] = version.measures.depth.change(fields["with"], places)
        if wanted.without:
            fields["heat_without"] = version.measures.depth.change(fields["without"], places)
    painted = stroke.weights() if stroke is not None else None
    if wanted.weights is not None:
        j = skeleton.find(wanted.weights)
        column = stroke.weights_of(j) if stroke is not None else None
        fields["weights"] = np.ascontiguousarray(
            character.binding.joint_weights[:, j] if column is None else column
        )  # fmt: skip
    if wanted.mixed:
        dense = character.binding.joint_weights if painted is None else painted
        fields["mixed"] = mixed_colours(dense, skeleton)
    if wanted.region:
        picked = stroke.picked() if stroke is not None else None
        fields["region"] = character.region() if picked is None else picked
        extra = {**extra, "region_volume": version.measures.patch.volume_percent(fields["with"])}
    elif wanted.mask is not None:
        fields["region"] = _mask(character, stroke, wanted.mask)
    elif wanted.moved and held is not None:
        fields["region"], most = moved_share(held, fields["with"])
        extra = {**extra, "moved_most": most}
    elif wanted.border and held is not None:
        fields["region"] = (
            character.mesh.border & (fields["with"] != held.start.astype(np.float32)).any(axis=1)
        ).astype(np.float32)
    elif wanted.lone is not None:
        fields["region"] = np.zeros(len(character.mesh), np.float32)
        if character.rules.has(wanted.lone):
            fields["region"][lone_vertices(character, character.rules.remedy(wanted.lone))] = 1
    if wanted.ghost is not None and (seen_through := ghost(version, pose, wanted.ghost)) is not None:
        fields["ghost"] = seen_through
    head = {
        **extra,
        "version": version.revision.number,
        "revision": version.revision.id,
        "activations": evaluator.program.activations(posed.moment),
        "values": evaluator.program.values(posed.moment),
        "kept": _kept(posed, fields["with"]),
    }
    if asked is not None and wanted.axis is not None:
        joint = skeleton.find(asked)
        head["angle_deg"] = math.degrees(skeleton.angle_about(joint, pose.rotations[joint], unit_axis(wanted.axis)))
    if wanted.measure is not None:
        head["measures"] = _measures(version, wanted.measure, fields)
    if not wanted.without:
        fields.pop("without", None)
    return pack_frame(head, fields)


def _widths(held: HeldSculpt | None, stroke: Stroke | None, posed: Posed) -> Floats | None:
    """How wide the stroke is at each control point ``(V / 3,)`` of a drawing; None for a solid."""
    mesh = posed.character.mesh
    if mesh.channels is None:
        return None
    channels: NDArray[np.floating] | None = stroke.channels() if stroke is not None else None
    if channels is None:
        channels = posed.channels if held is None else held.channels
    assert channels is not None, "drawings have widths"
    return mesh.widths if channels is mesh.channels else widths_of(channels)


def _reached(
    skeleton: Skeleton, pose: Pose, end: str, at: tuple[float, float, float]
) -> tuple[Pose, dict[str, list[float]]]:
    """The pose in which a limb's end has come to a place, and how the two joints above it are turned in it."""
    turned = reached(skeleton, pose, skeleton.find(end), np.array(at))
    for joint, rotation in turned.items():
        pose = pose.with_rotation(joint, rotation)
    return pose, {skeleton.names[j]: q.tolist() for j, q in turned.items()}


def acting_in(version: Version, wanted: Wanted) -> Acting:
    """Which remedies act: all, or only one, or only those of a group."""
    return ALL if wanted.alone is None else Acting.these(*version.character.rules.members(wanted.alone))


def _kept(posed: Posed, points: Floats) -> dict[str, float]:
    """The volume that each volume keeper holds, percent of rest, by its id."""
    if not posed.character.rules.deformers:
        return {}
    keepers = (
        (i, d) for i, d in posed.evaluator.deformers(posed.acting) if isinstance(d, ReadyKeeper) and d.target
    )  # fmt: skip
    return {i: round(100 * d.held(points), 2) for i, d in keepers}


def _mask(character: Character, stroke: Stroke | None, remedy_id: str) -> Floats:
    """The mask ``(V,)`` of a remedy, as a stroke has it; nothing where it has none."""
    painted = stroke.mask() if stroke is not None else None
    if painted is not None and painted[0] == remedy_id:
        return painted[1]
    rules = character.rules
    mask = rules.remedy(remedy_id).mask if rules.has(remedy_id) else None
    return np.zeros(len(character.mesh), np.float32) if mask is None else mask.dense(len(character.mesh))


def contacts(desk: Desk, version: Version, pose: Pose, wanted: Wanted) -> dict[str, int]:
    """How many triangles cross others and did not at rest, without remedies and with: slower than a frame."""
    stroke = desk.seen
    counter, held = version.measures.contacts, version.sculpt
    if held is not None:
        moved = stroke.points() if stroke is not None else None
        pose = held.pose
        with_: NDArray[np.floating] = held.points if moved is None else moved
    else:
        tried = version.trials.of(desk.page).evaluator(wanted.trial, version.evaluator) if wanted.trial else None
        acting = acting_in(version, wanted)
        at = pose if tried is None else longer(pose, tried.character)
        with_ = (tried or version.evaluator).pose(at, acting).points
    without = desk.without(version, pose)
    return {"without": counter.count(without), "with": counter.count(with_)}


def _measures(version: Version, joint: str, fields: dict[str, Floats]) -> dict[str, Any] | None:
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


def pack_frame(head: dict[str, Any], fields: dict[str, Floats]) -> bytes:
    """A header and arrays as one binary message."""
    text = to_json({**head, "fields": {k: v.size for k, v in fields.items()}})
    text += b" " * (-len(text) % 4)
    arrays = (np.ascontiguousarray(v).data for v in fields.values())
    return b"".join([struct.pack("<I", len(text)), text, *arrays])
