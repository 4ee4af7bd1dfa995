"""Live posing and sculpting: what a pose looks like, as one binary frame.

A frame is a length (uint32, little-endian), that many bytes of JSON, padding to 4, then float32 arrays in the order of
the JSON's ``fields``: ``with`` and ``without`` ``(V, 3)``, ``heat``, ``heat_without``, ``skin``, ``skin_without``,
``weights`` and ``region`` ``(V,)``, ``mixed`` ``(V, 3)`` (the colours of all joints, mixed by weight), ``joints``
``(J, 7)`` (place, then quaternion x, y, z, w), and of a drawing ``widths`` ``(V / 3,)`` (of the stroke at each control
point).
"""

from __future__ import annotations

import contextlib
import struct
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic_core import to_json

from plethos.core.geometry.rotations import Array
from plethos.core.skeleton.kinematics import frames
from plethos.core.skeleton.pose import Pose
from plethos.service.desk import overlays
from plethos.service.desk.desk import Desk
from plethos.service.desk.overlays import Shown
from plethos.service.desk.subject import Asked, Floats, subject_of
from plethos.service.library.stroke import ToolStroke
from plethos.service.library.version import Version
from plethos.service.schemas.want import Want


def frame(desk: Desk, version: Version, pose: Pose, want: Want, extra: dict[str, Any], waits: bool = True) -> bytes:
    """One frame of the character in a pose, or of the sculpt in progress (then its own pose counts).

    Parameters
    ----------
    version
        What `desk.version` was when the pose was read: it may be another by now, and poses are of one skeleton.
    waits
        Whether it waits until the region that is to be measured is found; else it goes without measures: see `awaited`.
    """
    stroke = desk.seen
    measured = None if not waits and awaited(version, want.measure) is not None else want.measure
    with _held_still(stroke):
        return _frame(Asked(desk, version, pose, want, stroke), measured, extra)


def _held_still(stroke: ToolStroke | None) -> contextlib.AbstractContextManager[object]:
    """While it is held nobody touches the stroke that is seen, from whatever thread."""
    return contextlib.nullcontext() if stroke is None else stroke.hands


def awaited(version: Version, name: str | None) -> int | None:
    """The joint to be measured, where its region has still to be found; a large character takes a while."""
    joint = None if name is None else version.character.skeleton.index_of.get(name)
    return None if joint is None or version.measures.knows(joint) else joint


def _frame(asked: Asked, measured: str | None, extra: dict[str, Any]) -> bytes:
    version, want, stroke = asked.version, asked.want, asked.stroke
    subject = subject_of(asked)
    posed = subject.posed(asked)
    shown = Shown(asked, subject, posed, {**extra, **subject.told}, dict(subject.fields))
    head, fields = shown.head, shown.fields
    points = _sculpted(asked)
    fields["with"] = posed.points if points is None else points.astype(np.float32)
    widths = overlays.widths(shown)
    if widths is not None:
        fields["widths"] = widths
    if stroke is not None and stroke is asked.desk.stroke:
        stroke.shown(subject.pose, fields["with"])
    if want.without or measured is not None:
        fields["without"] = subject.without(asked)
    # Joints that a trial brings are no joints of the version yet.
    fields["joints"] = joint_frames(posed.world[: len(version.character.skeleton)])
    overlays.add_overlays(shown)
    if posed.character.rules.orders:
        head["order"] = list(posed.order)
    head["version"], head["revision"] = version.revision.number, version.revision.id
    head["activations"] = subject.evaluator.program.activations(posed.moment)
    head["values"] = subject.evaluator.program.values(posed.moment)
    head["kept"] = overlays.kept(shown)
    if want.measure is not None and want.axis is not None:
        head["angle_deg"] = overlays.angle_deg(shown, want.measure, want.axis)
    if measured is not None:
        head["measures"] = overlays.measures(shown, measured)
    if not want.without:
        fields.pop("without", None)
    return pack_frame(head, fields)


def _sculpted(asked: Asked) -> NDArray[np.floating] | None:
    """The skin ``(V, 3)`` of the sculpt in progress, as a stroke has it; None when there is none."""
    held, stroke = asked.version.sculpt, asked.stroke
    if held is None:
        return None
    moved = stroke.points() if stroke is not None else None
    return held.points if moved is None else moved


def contacts(desk: Desk, version: Version, pose: Pose, want: Want) -> dict[str, int]:
    """How many triangles cross others and did not at rest, without remedies and with: slower than a frame."""
    asked = Asked(desk, version, pose, want, desk.seen)
    with _held_still(asked.stroke):
        subject, points = subject_of(asked), _sculpted(asked)
        with_ = subject.posed(asked).points if points is None else points.copy()
        without = subject.without(asked)
    # Counting takes long: the pen goes on meanwhile.
    counter = version.measures.contacts
    return {"without": counter.count(without), "with": counter.count(with_)}


def joint_frames(world: Array) -> Floats:
    """Places and orientations ``(J, 7)`` of all joints from their global matrices ``(J, 4, 4)``."""
    out = np.empty((len(world), 7), np.float32)
    frames(world, out)
    return out


def pack_frame(head: dict[str, Any], fields: dict[str, Floats]) -> bytes:
    """A header and arrays as one binary message."""
    text = to_json({**head, "fields": {k: v.size for k, v in fields.items()}})
    text += b" " * (-len(text) % 4)
    arrays = (np.ascontiguousarray(v).data for v in fields.values())
    return b"".join([struct.pack("<I", len(text)), text, *arrays])
