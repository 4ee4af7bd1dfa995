"""`./plethos bench`: speed as ratios to a peer in the same run. Writes the table of bench/README.md."""

from __future__ import annotations

import asyncio
import os
import resource
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import robust_laplacian
from scipy import sparse
from scipy.sparse.linalg import splu

from bench.binding import compare, large
from bench.drawings import drawing_trip, posed_drawing
from bench.mending import mending
from bench.peers import beside, grown, median_ms, usd_linear
from bench.riggers import crowd, riggers
from bench.shapes import apart, extraction, finer, stored_poses, stroke_trip
from bench.sockets import bends, dragged_knot, mended_trip, on_a_desk, over_a_socket, paint_trip, posed, socket_trip
from bench.sweeping import sweeping
from plethos.core.character import Character
from plethos.core.evaluate import Evaluator, evaluate_exact
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.rules.rules import Rules
from plethos.core.sculpt import BRUSHES
from plethos.core.sculpt.session import Dab, SculptSurface
from plethos.core.skin.bones import skin_matrices
from plethos.core.weights.assign import INSIDE
from plethos.core.weights.automatic import automatic_weights
from plethos.core.weights.bind import bound_automatically
from plethos.core.weights.bone_distances import segment_distances
from plethos.core.weights.bones import segments_of
from plethos.demo.catalogue import open_demo
from plethos.service.desk.bend_strip import bend_curves
from plethos.service.library.blob_arrays import BlobArrays
from plethos.service.library.documents import describe, restore

README = Path(__file__).with_name("README.md")


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
    rows += [asyncio.run(crowd()), sweeping(character)]
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
