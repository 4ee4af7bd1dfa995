"""Rows that go over the live socket, each beside a bare echo of its bytes."""

from __future__ import annotations

import asyncio
import json
import time
from collections.abc import Callable, Sequence
from datetime import datetime

import numpy as np
import uvicorn
import websockets
from fastapi import FastAPI, WebSocket

from bench.peers import grown
from plethos.core.character import Character
from plethos.core.evaluate import Evaluator
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.propose.soft import soft_region
from plethos.core.rules.remedies import Relaxer, Remedy, VolumeKeeper
from plethos.core.sculpt.session import Dab
from plethos.core.skin.mask import Mask
from plethos.demo.catalogue import open_demo
from plethos.service.desk.desk import Desk
from plethos.service.desk.frame import frame, joint_frames, pack_frame
from plethos.service.edits.weight_brush import paint_of
from plethos.service.library.blob_arrays import BlobArrays
from plethos.service.library.open_character import OpenCharacter
from plethos.service.library.poses import pose_of
from plethos.service.schemas.live import SAID, PoseMessage
from plethos.service.schemas.tools import PaintSettings
from plethos.service.schemas.want import Want
from plethos.service.tools.paint_strokes import PaintStroke, PaintTool
from plethos.store.revision import Revision


async def paint_trip(character: Character, source: GltfFile) -> tuple[str, str, str, str]:
    """A dab of weights to the new skin over a real socket, beside an echo of as many bytes and the dab itself."""
    start, stop = character.mesh.parts[0].vertices
    desk = on_a_desk(character, source)
    version, joint = desk.version, character.skeleton.find("left_forearm")
    t = character.mesh.topology.triangles
    at = character.skeleton.rest_global[joint, :3, 3]
    rest = character.mesh.rest
    centres = rest[t].mean(axis=1)
    centres[(t < start).any(axis=1) | (t >= stop).any(axis=1)] = 99
    triangle = int(np.linalg.norm(centres - at, axis=1).argmin())
    touch = Dab(triangle, tuple(centres[triangle].tolist()), 0.05, 1.0)
    settings, pose = (
        PaintSettings(mode="add", joint="left_forearm", value=1.0, strength=0.01, mirror=True),
        character.skeleton.rest_pose(),
    )
    desk.touch(version, "paint", pose, settings, [touch])
    want = Want(weights="left_forearm")
    same = frame(desk, version, pose, want, {})
    stroke = desk.stroke
    assert isinstance(stroke, PaintStroke)
    paint = paint_of(character, settings)

    def dab_only() -> object:
        return stroke.painted.dab(stroke.surface.touch(touch), paint)

    text = json.dumps({"type": "stroke", "dab": touch.at})

    def answer(kind: str) -> bytes:
        if kind == "echo":
            return same
        desk.touch(version, "paint", pose, settings, [touch])
        return frame(desk, version, pose, want, {})

    ours, bare, dab_alone = await over_a_socket(answer, ("paint", "echo"), [text] * 120, dab_only)
    return (
        f"Dab of weights to new skin over the socket, {len(rest) // 1000}k vertices",
        f"{ours:.2f} ms",
        f"echo of the same bytes {bare:.2f} ms + the dab {dab_alone:.2f} ms",
        f"{ours / (bare + dab_alone):.2f} (at most 3)",
    )


async def over_a_socket(
    answer: Callable[[str], bytes],
    kinds: tuple[str, str],
    messages: Sequence[str],
    alone: Callable[[], object] = lambda: None,
) -> tuple[float, float, float]:
    """Median round trips (ms) of two kinds of answers on one real server, asked for in turn, and of a call beside them.

    The machine's moods hit all three alike. Whoever follows the call finds the caches cold, down to the server's own
    code: they take turns at that.
    """
    app = FastAPI()

    @app.websocket("/{kind}")
    async def talk(socket: WebSocket, kind: str) -> None:
        await socket.accept()
        try:
            while True:
                await socket.receive_text()
                await socket.send_bytes(answer(kind))
        except Exception:
            return

    config = uvicorn.Config(
        app, port=0, log_level="error", loop="uvloop", ws="websockets-sansio", ws_per_message_deflate=False
    )
    server = uvicorn.Server(config)
    task = asyncio.create_task(server.serve())
    while not server.started:
        await asyncio.sleep(0.02)
    address = f"ws://127.0.0.1:{server.servers[0].sockets[0].getsockname()[1]}/"
    times = []
    async with (
        websockets.connect(address + kinds[0], max_size=None, compression=None) as one,
        websockets.connect(address + kinds[1], max_size=None, compression=None) as other,
    ):
        for number, text in enumerate(messages):
            taken = [0.0, 0.0]
            for k, client in list(enumerate((one, other)))[:: -1 if number % 2 else 1]:
                start = time.perf_counter()
                await client.send(text)
                await client.recv()
                taken[k] = (time.perf_counter() - start) * 1e3
            start = time.perf_counter()
            alone()
            times.append([*taken, (time.perf_counter() - start) * 1e3])
    server.should_exit = True
    await task
    first, second, third = np.median(np.array(times[10:]), axis=0).tolist()
    return first, second, third


def on_a_desk(character: Character, source: GltfFile) -> Desk:
    """A character opened as the server opens it, at one person's desk."""
    revision = Revision("r", "x", "x", 0, 0, "", {}, "", None, False, datetime.now())
    opened = OpenCharacter(revision, source, character, BlobArrays(lambda hashes: {}))
    return Desk(opened, {"paint": PaintTool()})


def bends(count: int = 160) -> list[str]:
    """Messages that bend an elbow further and further, as a page sends them."""
    turns = [[0, 0, float(np.sin(n / 99)), float(np.cos(n / 99))] for n in range(count)]
    return [json.dumps({"type": "pose", "seq": 1, "pose": {"joints": {"left_forearm": q}}}) for q in turns]


def posed(desk: Desk, text: str) -> bytes:
    """What the server makes of such a message."""
    message, version = SAID.validate_json(text), desk.version
    assert isinstance(message, PoseMessage)
    return frame(desk, version, pose_of(version, message.pose.plain()), message.want, {"seq": message.seq})


async def dragged_knot(character: Character, source: GltfFile) -> tuple[str, str, str, str]:
    """A knot that is dragged beside a pose, both asked for over a real socket.

    One of 200 correctives, bare; and one of the finished lock keeper as the workbench asks. The pose stands still.
    """

    async def compared(desk: Desk, want: dict[str, object]) -> tuple[float, float]:
        rules, skeleton = desk.version.character.rules, desk.version.character.skeleton
        remedy = next(r for r, _ in rules.correctives if rules.trigger_of(r) is not None)
        rule = rules.trigger_of(remedy).to_document(skeleton)  # type: ignore[union-attr]
        poses = [json.dumps({**json.loads(text), "want": want}) for text in bends()]

        def dragged(n: int) -> str:
            knots = [*rule["knots"][:-1], {"angle_deg": rule["knots"][-1]["angle_deg"] + n / 1e3, "value": 1.0}]
            preview = {"preview": {"remedy_id": remedy.id, "trigger": {**rule, "knots": knots}}}
            return json.dumps({**json.loads(poses[60]), "want": {**want, **preview}})

        left = {"knot": iter([dragged(n) for n in range(len(poses))]), "pose": iter(poses)}
        ours, pose, _ = await over_a_socket(lambda kind: posed(desk, next(left[kind])), ("knot", "pose"), poses)
        return ours, pose

    bare, pose = await compared(on_a_desk(grown(character, 20_000, 200, 0.5, 5), source), {})
    asked = {"without": True, "measure": "left_forearm"}
    keeper, keeper_pose = await compared(on_a_desk(*open_demo("lock-keeper")), asked)
    return (
        "A dragged knot over the socket: among 200 correctives, 20k; on the finished keeper with, without, measured",
        f"{bare:.2f} ms; {keeper:.2f} ms",
        f"a pose {pose:.2f} ms; {keeper_pose:.2f} ms",
        f"{bare / pose:.2f}; {keeper / keeper_pose:.2f} (no new layout)",
    )


async def socket_trip() -> tuple[str, str, str, str]:
    """Pose to positions over a real socket, beside a bare echo of as many bytes."""

    character, source = open_demo("lock-keeper-bare")
    big = grown(character, 20_000, shapes=1, blend=0.0)
    desk = on_a_desk(big, source)
    rest = big.skeleton.rest_pose()
    same = pack_frame({}, {"with": big.mesh.rest, "joints": joint_frames(big.skeleton.global_matrices(rest))})
    messages = bends()
    left = iter(messages)

    def answer(kind: str) -> bytes:
        return same if kind == "echo" else posed(desk, next(left))

    ours, bare, _ = await over_a_socket(answer, ("pose", "echo"), messages)
    ratio = ours / bare
    return (
        "Pose to positions over the socket, 20k, one shape",
        f"{ours:.2f} ms",
        f"bare echo of the same bytes {bare:.2f} ms",
        f"{ratio:.2f} (at most 3)",
    )


async def mended_trip() -> tuple[str, str, str, str]:
    """A frame of the finished lock keeper with a relaxer and a volume keeper besides, over a real socket."""
    character, source = open_demo()
    for kind, joint in ((Relaxer, "left_hand"), (VolumeKeeper, "left_forearm")):
        mask = Mask.of(soft_region(character, character.skeleton.find(joint)))
        character = character.with_remedy(Remedy(kind(mask), kind.kind, id=kind.kind))
    desk, evaluator = on_a_desk(character, source), Evaluator.of(character)
    messages = bends()
    same = posed(desk, messages[100])
    left, again = iter(messages), iter(messages)

    def answer(kind: str) -> bytes:
        return same if kind == "echo" else posed(desk, next(left))

    def alone() -> object:
        message = SAID.validate_json(next(again))
        assert isinstance(message, PoseMessage)
        return evaluator.pose(pose_of(desk.version, message.pose.plain())).points

    ours, bare, own = await over_a_socket(answer, ("pose", "echo"), messages, alone)
    goal = 3 * bare + 2 * own
    return (
        f"A frame of the finished lock keeper, relaxer and keeper on, {len(character.mesh) // 1000}k vertices",
        f"{ours:.2f} ms",
        f"3 x a bare echo of its bytes + twice its evaluation = {goal:.2f} ms",
        f"{ours / goal:.2f} (at most 1)",
    )
