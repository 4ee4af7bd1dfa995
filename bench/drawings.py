"""Rows of the bench about drawings: 500 control points with 30 correctives, posed and over a socket."""

from __future__ import annotations

import json
import math
from collections.abc import Awaitable, Callable
from datetime import datetime

import numpy as np

from plethos.core.character import Character
from plethos.core.evaluate import Evaluator
from plethos.core.formats.svg_file import SvgFile, parse_svg
from plethos.core.formats.svg_read import read_drawing
from plethos.core.joints.flat import laid_flat
from plethos.core.rules.remedies import Corrective, Remedy
from plethos.core.rules.response import Response
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.skeleton.pose import Pose
from plethos.core.skin.shape import Shape
from plethos.core.weights.bind import bound_automatically
from plethos.service.desk.desk import Desk
from plethos.service.desk.frame import frame
from plethos.service.library.blob_arrays import BlobArrays
from plethos.service.library.open_character import OpenCharacter
from plethos.service.library.poses import pose_of
from plethos.service.schemas.live import SAID, PoseMessage
from plethos.service.schemas.want import Want
from plethos.store.revision import Revision

Row = tuple[str, str, str, str]
Beside = Callable[..., tuple[float, float, float]]
OverSocket = Callable[..., Awaitable[tuple[float, float, float]]]
POINTS, CORRECTIVES = 500, 30
Z = (0.0, 0.0, 1.0)


def drawing() -> tuple[Character, SvgFile]:
    """A limb of 500 control points on four joints, 30 correctives tied to them, all on when it bends."""
    x = np.linspace(0, 300, POINTS // 2)
    line = [f"{a:.3f} {-12 - 3 * math.sin(a / 7):.3f}" for a in x] + [f"{a:.3f} 12" for a in x[::-1]]
    text = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 -150 300 300"><path d="M{" L".join(line)}Z"/></svg>'
    file = parse_svg(text.encode())
    joints = [{"name": f"j{k}", "parent": f"j{k - 1}" if k else None, "at": [100 * k, 0]} for k in range(4)]
    character = bound_automatically(laid_flat(read_drawing(file, "limb"), joints), 4)
    rng = np.random.default_rng(1)
    for k in range(CORRECTIVES):
        moved = np.sort(rng.choice(3 * POINTS, 120, replace=False)).astype(np.int32)
        deltas = rng.normal(0, 1, (120, 3)).astype(np.float32) * np.float32([1, 1, 0])
        trigger = HingeTrigger(1 + k % 3, Z, Response((0.0, 1.0), (0.0, 1.0)), id=f"t{k}")
        character = character.with_remedy(
            Remedy(Corrective.of(Shape(f"s{k}", moved, deltas)), f"s{k}", by=trigger.id), trigger
        )
    return character, file


def turned(character: Character, angle: float) -> Pose:
    """All joints bent alike."""
    pose = character.skeleton.rest_pose()
    pose.rotations[1:] = [0, 0, math.sin(angle / 2), math.cos(angle / 2)]
    return pose


def posed_drawing(plain: Character, beside: Beside) -> Row:
    """A pose of the drawing beside a plain evaluation of 20,000 vertices."""
    character, _ = drawing()
    ours, theirs = Evaluator.of(character), Evaluator.of(plain)
    pose, rest = turned(character, 0.7), plain.skeleton.rest_pose()
    mine, peer, ratio = beside(lambda: ours.pose(pose).points, lambda: theirs.pose(rest).points)
    return (
        f"A drawing of {POINTS} control points with {CORRECTIVES} correctives on, a pose",
        f"{mine:.3f} ms", f"a plain evaluation of {len(plain.mesh) // 1000}k vertices {peer:.2f} ms",
        f"{ratio:.2f} (at most 0.2)",
    )  # fmt: skip


async def drawing_trip(plain: Character, over_a_socket: OverSocket) -> Row:
    """A frame of the drawing over a real socket, beside an echo of its bytes and that plain evaluation."""
    character, file = drawing()
    revision = Revision("r", "x", "x", 0, 0, "", {}, "", None, False, datetime.now())
    desk = Desk(OpenCharacter(revision, file, character, BlobArrays(lambda hashes: {})), {})
    angles = np.linspace(0, 1.4, 160)
    turns = [turned(character, a).rotations[1].tolist() for a in angles]
    messages = [
        json.dumps({"type": "pose", "seq": 1, "pose": {"joints": {f"j{k}": q for k in (1, 2, 3)}}}) for q in turns
    ]  # fmt: skip
    left = iter(messages)

    def shown(text: str) -> bytes:
        message = SAID.validate_json(text)
        assert isinstance(message, PoseMessage)
        return frame(desk, desk.version, pose_of(desk.version, message.pose.plain()), Want(), {"seq": 1})

    same = shown(messages[80])
    evaluator, rest = Evaluator.of(plain), plain.skeleton.rest_pose()
    ours, bare, evaluation = await over_a_socket(
        lambda kind: same if kind == "echo" else shown(next(left)), ("pose", "echo"), messages,
        lambda: evaluator.pose(rest).points,
    )  # fmt: skip
    goal = 2 * bare + 0.2 * evaluation
    return (
        "The same over the socket, a frame",
        f"{ours:.2f} ms", f"2 x an echo of its bytes + a fifth of that evaluation = {goal:.2f} ms",
        f"{ours / goal:.2f} (at most 1)",
    )  # fmt: skip
