"""`./plethos bench`: speed as ratios to a peer in the same run. Writes the table of bench/README.md."""

from __future__ import annotations

import asyncio
import json
import os
import resource
import time
from collections.abc import Callable, Sequence
from dataclasses import replace
from datetime import datetime
from pathlib import Path

import numpy as np
import robust_laplacian
import uvicorn
import websockets
from fastapi import FastAPI, WebSocket
from scipy import sparse
from scipy.sparse.linalg import splu

from bench.binding import compare, large
from bench.drawings import drawing_trip, posed_drawing
from bench.mending import mending
from bench.riggers import riggers
from bench.shapes import apart, extraction, finer, stored_poses, stroke_trip
from plethos.core.character import Character
from plethos.core.evaluate import Evaluator, evaluate_exact
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.propose.soft import soft_region
from plethos.core.rules.remedies import Corrective, Relaxer, Remedy, VolumeKeeper
from plethos.core.rules.response import Response
from plethos.core.rules.rules import Rules
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.sculpt import BRUSHES
from plethos.core.sculpt.session import Dab, SculptSurface
from plethos.core.skin.binding import Binding
from plethos.core.skin.bones import skin_matrices
from plethos.core.skin.mask import Mask
from plethos.core.skin.mesh import Mesh, Part, Triangles
from plethos.core.skin.shape import Shape
from plethos.core.weights.assign import INSIDE
from plethos.core.weights.automatic import automatic_weights
from plethos.core.weights.bind import bound_automatically
from plethos.core.weights.bone_distances import segment_distances
from plethos.core.weights.bones import segments_of
from plethos.demo.catalogue import open_demo
from plethos.service.desk.bend_strip import bend_curves
from plethos.service.desk.desk import Desk
from plethos.service.desk.frame import frame, joint_frames, pack_frame
from plethos.service.edits.weight_brush import paint_of
from plethos.service.library.blob_arrays import BlobArrays
from plethos.service.library.documents import describe, restore
from plethos.service.library.open_character import OpenCharacter
from plethos.service.library.poses import pose_of
from plethos.service.schemas.live import SAID, PoseMessage
from plethos.service.schemas.tools import PaintSettings
from plethos.service.schemas.want import Want
from plethos.service.tools.paint_strokes import PaintStroke, PaintTool
from plethos.store.revision import Revision

README = Path(__file__).with_name("README.md")


def median_ms(run: Callable[[], object], rounds: int = 60) -> float:
    """Median time of a call, after two to warm up."""
    for _ in range(2):
        run()
    times = []
    for _ in range(rounds):
        start = time.perf_counter()
        run()
        times.append(time.perf_counter() - start)
    return float(np.median(times) * 1e3)


def beside(ours: Callable[[], object], peer: Callable[[], object], rounds: int = 120) -> tuple[float, float, float]:
    """Median times (ms) of two calls made in turn, and the median of their ratios: the machine's moods hit both."""
    times = []
    for call in (ours, peer):
        call()
    for _ in range(rounds):
        pair = []
        for call in (ours, peer):
            start = time.perf_counter()
            call()
            pair.append((time.perf_counter() - start) * 1e3)
        times.append(pair)
    both = np.array(times)
    mine, theirs = np.median(both, axis=0).tolist()
    return mine, theirs, float(np.median(both[:, 0] / both[:, 1]))


def grown(
    character: Character, vertices: int, shapes: int = 20, blend: float = 0.5, tied: int | None = None
) -> Character:
    """The demo's vertices repeated to a given number, with made-up shapes of 5 % and a skin blend of 50 %.

    Parameters
    ----------
    tied
        How many of the shapes are tied to the bend that is measured, the others to one that stays at rest; None = all.
    """
    generator = np.random.default_rng(4)
    rows = np.resize(np.arange(len(character.mesh)), vertices)
    mask = np.zeros(vertices, np.float32)
    mask[generator.choice(vertices, int(blend * vertices), replace=False)] = 1.0
    response = Response((0.0, 1.0), (0.0, 1.0))
    remedies, triggers = [], []
    for k in range(shapes):
        moved = np.sort(generator.choice(vertices, vertices // 20, replace=False)).astype(np.int32)
        deltas = generator.normal(0, 0.01, (len(moved), 3)).astype(np.float32)
        joint = "left_forearm" if tied is None or k < tied else "right_forearm"
        triggers.append(HingeTrigger(character.skeleton.find(joint), (0.0, 0.0, 1.0), response, id=f"t{k}"))
        remedies.append(Remedy(Corrective.of(Shape(f"s{k}", moved, deltas)), f"s{k}", by=f"t{k}", id=str(k)))
    whole = (0, vertices)
    part = Part("all", whole, whole, Triangles(np.zeros((0, 3), np.int32)))
    mesh = Mesh((part,), character.mesh.points[rows], character.mesh.rest[rows], np.arange(vertices, dtype=np.int32))
    own = character.binding
    binding = Binding(own.bones, own.influences[rows], own.weights[rows], own.joints, mask)
    return replace(
        character,
        mesh=mesh,
        binding=binding,
        rules=Rules(triggers=tuple(triggers), remedies=tuple(remedies)),
        regions=(),
    )


def usd_linear(character: Character, matrices: np.ndarray) -> Callable[[], object]:
    """The peer: usd-core's linear skinning of the same vertices, without shapes and without blend."""
    from pxr import Gf, UsdSkel, Vt

    transforms = Vt.Matrix4dArray([Gf.Matrix4d(*m.T.ravel().tolist()) for m in matrices])
    indices = Vt.IntArray.FromNumpy(character.binding.influences.ravel().copy())
    weights = Vt.FloatArray.FromNumpy(character.binding.weights.ravel().copy())
    points = Vt.Vec3fArray.FromNumpy(character.mesh.points.copy())
    identity, linear = Gf.Matrix4d(1), UsdSkel.Tokens.classicLinear
    return lambda: UsdSkel.SkinPoints(linear, identity, transforms, indices, weights, 4, points, True)


def evaluation(character: Character) -> list[tuple[str, str, str, str]]:
    joint = character.skeleton.find("left_forearm")
    pose = character.skeleton.rest_pose()
    pose.rotations[joint] = [0, 0, np.sin(0.5), np.cos(0.5)]
    rows, ours, theirs = [], [], []
    for count in (5_000, 20_000, 80_000, 200_000):
        one = grown(character, count)
        evaluator = Evaluator.of(one)
        peer = usd_linear(one, skin_matrices(one.binding.bones, one.skeleton.global_matrices(pose)))
        mine, usd, ratio = beside(lambda e=evaluator: e.pose(pose).points, peer)
        ours.append(mine / count * 1e6)
        theirs.append(usd / count * 1e6)
        if count == 20_000:
            rows.append(
                (
                    "Evaluation, 20k vertices, 20 shapes, blend 50 %",
                    f"{mine:.2f} ms",
                    f"usd-core LBS alone {usd:.2f} ms",
                    f"{ratio:.2f} (at most 1)",
                )
            )
    rows.append(
        (
            "The same a vertex at 5k, 20k, 80k, 200k",
            ", ".join(f"{t:.0f}" for t in ours) + " ns",
            "usd-core " + ", ".join(f"{t:.0f}" for t in theirs) + " ns",
            f"200k takes {40 * ours[3] / ours[0]:.0f} times as long as 5k (linear: 40)",
        )
    )
    return rows


def dab(character: Character) -> tuple[str, str, str, str]:
    base = evaluate_exact(character, character.skeleton.rest_pose())
    surface = SculptSurface(character.mesh.topology, base.copy(), base)
    t = character.mesh.topology.triangles
    triangle = int(np.argmin(np.linalg.norm(base[t].mean(axis=1) - [0.1, 1.0, 0.1], axis=1)))
    touch = Dab(triangle, tuple(base[t[triangle]].mean(axis=0)), 0.08, 0.01)
    touched = surface.touch(touch).vertices
    plain = [brush for name, brush in BRUSHES.items() if name != "push_apart"]  # which has a row of its own
    ours = max(median_ms(lambda b=brush: b(surface, touch)) for brush in plain)
    copied = median_ms(lambda: base[touched].copy())
    return (
        f"One dab ({len(touched)} vertices), slowest brush",
        f"{ours:.2f} ms",
        f"3 x copy of the touched bytes + 2 ms = {3 * copied + 2:.2f} ms",
        f"{ours / (3 * copied + 2):.2f} (below 1)",
    )


def strip(character: Character, source: GltfFile) -> tuple[str, str, str, str]:
    """What the server does for the strip of an elbow that nobody has looked at yet."""
    angles, joint = np.linspace(0, 150, 61).tolist(), character.skeleton.find("left_forearm")

    def run(n: int) -> float:
        version = on_a_desk(character, source).version
        start = time.perf_counter()
        bend_curves(version, character.skeleton.names[joint], (0, 0, 1), angles[:: 60 // (n - 1)], {})
        return time.perf_counter() - start

    run(13)
    first, whole = run(13), run(61)
    return (
        "Bend strip, four curves, 61 angles, region prepared on the way",
        f"{whole:.2f} s",
        f"first drawing, 13 angles, {first:.2f} s",
        f"{whole:.2f} s (below 1 s), {first:.2f} s (0.2 s)",
    )


def heat(character: Character) -> tuple[str, str, str, str]:
    """Automatic weights, beside the bare sparse factorisation and solve of the same system."""
    rest = Evaluator.of(character).rest().astype(np.float64)
    triangles = character.mesh.topology.triangles
    segments = segments_of(character.skeleton)
    nearest = segment_distances(rest, np.zeros_like(rest), segments)
    laplacian, area = robust_laplacian.mesh_laplacian(rest, triangles.astype(np.int64))
    system = (laplacian + area @ sparse.diags(1.6 / np.maximum(nearest.min(axis=1), 0.002) ** 2)).tocsc()
    owners = sorted({s.joint for s in segments})
    right = np.zeros((len(rest), len(owners)))
    right[np.arange(len(rest)), np.searchsorted(owners, [segments[k].joint for k in nearest.argmin(axis=1)])] = 1

    def bare() -> None:
        options = {"SymmetricMode": True}
        splu(system, permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options=options).solve(right)

    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    ours, theirs, ratio = beside(lambda: automatic_weights(character), bare, rounds=5)
    whole, _, whole_ratio = beside(lambda: bound_automatically(character, INSIDE), bare, rounds=5)
    grown_by = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024
    return (
        f"Automatic weights, {len(rest) // 1000}k vertices, {len(owners)} joints with skin, the Laplacian kept",
        f"{ours / 1e3:.2f} s, {grown_by:.0f} MB more",
        f"bare factor and solve {theirs / 1e3:.2f} s",
        f"{ratio:.2f} (at most 3), memory at most 500 MB; limited, cleared of strays and mirrored {whole / 1e3:.2f} s, "
        f"{whole_ratio:.2f}",
    )


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


def many(character: Character, source: GltfFile) -> tuple[str, str, str, str]:
    """A whole frame of 200 correctives, 5 of them on, beside 5 alone."""
    few, all_ = (on_a_desk(grown(character, 20_000, n, 0.5, 5), source) for n in (5, 200))
    text = bends(60)[-1]
    ours, theirs, ratio = beside(lambda: posed(all_, text), lambda: posed(few, text))
    return (
        "A whole frame at 20k, 200 correctives, 5 on",
        f"{ours:.2f} ms",
        f"5 correctives {theirs:.2f} ms",
        f"{ratio:.2f} (at most 1.3)",
    )


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


def opening(character: Character, source: GltfFile) -> tuple[str, str, str, str]:
    """Opening a stored character of 200 correctives, beside reading its blobs: nothing stored is packed or hashed."""
    big = grown(character, 20_000, 200)
    kept: dict[str, bytes] = {}
    arrays = BlobArrays(lambda hashes: {h: kept[h] for h in hashes})
    document = describe(big, None, arrays)
    kept.update(arrays.fresh)
    bare = replace(big, rules=Rules())
    packed = []

    def open_it() -> None:
        fresh = BlobArrays(lambda hashes: {h: kept[h] for h in hashes})
        restored, _ = restore(bare, document, fresh)
        Evaluator.of(restored).pose(restored.skeleton.rest_pose())
        packed.append(len(fresh.fresh))

    def read_blobs() -> None:
        for data in kept.values():
            np.frombuffer(data, np.uint8).copy()

    ours, theirs, ratio = beside(open_it, read_blobs, rounds=20)
    return (
        "Opening a stored character of 200 correctives",
        f"{ours:.1f} ms, {max(packed)} blobs packed",
        f"copying its blobs {theirs:.1f} ms",
        f"{ratio:.1f}",
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


def main() -> None:
    character, source = open_demo()
    bare, file = open_demo("lock-keeper-bare")
    rows = [
        *evaluation(bare),
        asyncio.run(socket_trip()),
        asyncio.run(mended_trip()),
        many(bare, file),
        asyncio.run(dragged_knot(bare, file)),
        opening(character, source),
        strip(character, source),
        dab(character),
    ]
    rows += [heat(bare), large(bare), asyncio.run(paint_trip(bare, file)), *mending(bare, beside)]
    rows += [extraction(beside), stored_poses(bare, beside), apart(bare, beside)]
    rows.append(asyncio.run(stroke_trip(*finer(bare), over_a_socket)))
    plain = grown(bare, 20_000, shapes=0, blend=0.0)
    rows += [posed_drawing(plain, beside), asyncio.run(drawing_trip(plain, over_a_socket)), asyncio.run(riggers())]
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    rows.append(("Peak memory of this benchmark (all of the above)", f"{memory:.0f} MB", "", ""))
    lines = [
        "# Bench", "", "`./plethos bench` measures speed as ratios to a peer in the same run, on one thread,",
        "and writes this file.",
        f"Last run on {time.strftime('%Y-%m-%d')}, {os.cpu_count()} cores, noisy machine.", "",
        "| what | ours | peer | ratio (goal) |", "|---|---|---|---|",
        *(f"| {' | '.join(row)} |" for row in rows), *compare(bare),
    ]  # fmt: skip
    README.write_text("\n".join(lines))
    print("\n".join(lines))


if __name__ == "__main__":
    main()
