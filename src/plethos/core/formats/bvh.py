"""Motion files of the BVH kind: a skeleton by offsets, and its channels frame by frame.

Reference
---------
Meredith and Maddock, "Motion capture file formats explained", 2001 (from memory).
"""

from __future__ import annotations

import itertools
import re
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadFileError
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.motion.motion import MOST_FRAMES, MOST_JOINTS, Motion
from plethos.core.skeleton.names import free_name, printable

AXES = {"X": 0, "Y": 1, "Z": 2}
LARGEST = 100_000_000  # bytes
DEEPEST = 200
STILL = 1e-4  # of the longest offset: less is rounding, and no motion
MOST_HEAD = 2_000_000  # bytes of the joints
MOTION = re.compile(rb"(?<!\S)MOTION(?!\S)", re.IGNORECASE)
TIMES = re.compile(rb"\s*FRAMES:\s+(\S+)\s+FRAME\s+TIME:\s+(\S+)", re.IGNORECASE)
WORD = re.compile(rb"\S+")


@dataclass
class _Joint:
    name: str
    parent: int
    offset: list[float] = field(default_factory=lambda: [0.0, 0.0, 0.0])
    channels: list[str] = field(default_factory=list)


def read_bvh(data: bytes, name: str) -> Motion:
    """The motion in a BVH file, without a mapping yet.

    Raises
    ------
    BadFileError
        When it is none, or broken: with what is wrong in it.
    """
    if len(data) > LARGEST:
        raise BadFileError("The motion is larger than 100 MB: bring in a part of it.")
    start = MOTION.search(data)
    head = data[: start.start() if start else MOST_HEAD + 1]
    if len(head) > MOST_HEAD:
        raise BadFileError(f"The motion has more than {MOST_JOINTS} joints, or no frames after them.")
    try:
        words = head.decode("utf-8-sig").split()
    except UnicodeDecodeError:
        raise BadFileError("This is no motion file: it is not text.") from None
    if not words or words[0].upper() != "HIERARCHY":
        raise BadFileError("This is no BVH motion: it does not begin with HIERARCHY.")
    if start is None:
        raise BadFileError("The motion is cut short: it has joints, but no frames.")
    joints = _hierarchy(words[1:])
    if not joints:
        raise BadFileError("The motion has no joints.")
    seconds, frames = _frames(data[start.end() :], sum(len(j.channels) for j in joints))
    offsets = np.array([j.offset for j in joints])
    if not np.isfinite(offsets).all() or np.abs(offsets).max() > 1e6:
        raise BadFileError("The motion is broken: the offset of a joint is no sensible number.")
    turned, moved = _posed(joints, frames)
    slid = moved - offsets
    far = np.abs(slid).max(axis=(0, 2)) > STILL * np.abs(offsets).max(initial=1e-9)
    far[0] = False  # the root goes where it goes
    sliding = tuple(np.flatnonzero(far).tolist())
    return Motion(
        name,
        seconds,
        tuple(j.name for j in joints),
        tuple(j.parent for j in joints),
        offsets,
        turned.astype(np.float32),
        moved[:, 0].astype(np.float32),
        {},
        sliding,
        slid[:, far].astype(np.float32) if sliding else None,
    )


def _hierarchy(words: list[str]) -> list[_Joint]:
    """The joints, parents first; the ends of chains are left out."""
    joints: list[_Joint] = []
    open_: list[int] = []  # joints whose brackets are open; -1 for the end of a chain
    taken: set[str] = set()
    k = 0
    try:
        while k < len(words):
            word = words[k].upper()
            if word in ("ROOT", "JOINT"):
                stop = words.index("{", k)
                parent = open_[-1] if open_ else -1
                if word == "ROOT" and joints:
                    raise BadFileError("The motion has several skeletons: only files with one are read.")
                label = printable(" ".join(words[k + 1 : stop])) or "joint"
                joints.append(_Joint(free_name(label, taken), parent))
                if len(joints) > MOST_JOINTS or len(open_) > DEEPEST:
                    raise BadFileError(f"The motion has more than {MOST_JOINTS} joints, or hangs too deep.")
                open_.append(len(joints) - 1)
                k = stop + 1
            elif word == "END":
                open_.append(-1)
                k = words.index("{", k) + 1
            elif word == "OFFSET":
                if open_[-1] >= 0:
                    joints[open_[-1]].offset = [float(w) for w in words[k + 1 : k + 4]]
                k += 4
            elif word == "CHANNELS":
                count = int(words[k + 1])
                channels = [w.capitalize() for w in words[k + 2 : k + 2 + count]]
                known = {a + what for a in AXES for what in ("position", "rotation")}
                if len(channels) != count or not set(channels) <= known or len(set(channels)) != count:
                    where = joints[open_[-1]].name
                    raise BadFileError(f"The motion is broken: the channels of “{where}” are no channels.")
                joints[open_[-1]].channels = channels
                k += 2 + count
            elif word == "}":
                open_.pop()
                k += 1
            else:
                raise BadFileError(f"The motion is broken: “{words[k][:40]}” is none of its words.")
    except (ValueError, IndexError):
        raise BadFileError("The motion is broken: its joints are not complete.") from None
    if open_ or any(len(j.offset) != 3 for j in joints):
        raise BadFileError("The motion is broken: its joints are not complete.")
    return joints


def _frames(text: bytes, width: int) -> tuple[float, Array]:
    """Seconds from frame to frame, and the channels ``(F, C)``."""
    told = TIMES.match(text)
    if told is None:
        raise BadFileError("The motion is broken: it does not say how many frames it has and how long they are.")
    try:
        count, seconds = int(told[1]), float(told[2])
    except ValueError:
        raise BadFileError("The motion is broken: how many frames it has, or how long, is no number.") from None
    # What it promises is looked at before a number is read: a hundred megabytes of them take gigabytes.
    if count > MOST_FRAMES:
        raise BadFileError(f"The motion has more than {MOST_FRAMES} frames: bring in a part of it.")
    body = text[told.end() :]
    held = sum(1 for _ in itertools.islice(WORD.finditer(body), max(count * width, 0) + 1))
    if width == 0 or count < 1 or held != count * width:
        raise BadFileError(
            f"The motion is broken: it promises {count} frames of {width} numbers and holds "
            f"{held if held < count * width else 'more'}."
        )
    try:
        numbers = np.fromiter(map(float, (w[0] for w in WORD.finditer(body))), np.float64, held)
    except ValueError:
        raise BadFileError("The motion is broken: one of its frames holds something that is no number.") from None
    if not 0 < seconds < 1e3 or not np.isfinite(numbers).all():
        raise BadFileError("The motion is broken: one of its numbers is not finite, or its frames take no time.")
    return seconds, numbers.reshape(count, width)


def _posed(joints: list[_Joint], frames: Array) -> tuple[Array, NDArray[np.float64]]:
    """Rotations ``(F, S, 4)`` and places ``(F, S, 3)`` of the joints in their parents."""
    turned = np.tile(rotations.IDENTITY, (len(frames), len(joints), 1))
    places = np.tile(np.array([j.offset for j in joints]), (len(frames), 1, 1))
    column = 0
    for s, joint in enumerate(joints):
        for channel in joint.channels:
            axis, values = AXES[channel[0]], frames[:, column]
            column += 1
            if channel.endswith("rotation"):
                # Each further channel turns about the axis as the ones before have left it.
                turn = rotations.from_axis_angle(np.eye(3)[axis], np.radians(values))
                turned[:, s] = rotations.multiply(turned[:, s], turn)
            else:
                places[:, s, axis] = values
    return rotations.normalize(turned), places
