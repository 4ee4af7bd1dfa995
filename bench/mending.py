"""Speed of helper joints, deformers and the first mend, as ratios to a peer in the same run."""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from dataclasses import replace

import numpy as np
from scipy.sparse.linalg import splu
from trimesh.remesh import subdivide

from plethos.core.character import Character
from plethos.core.evaluate import ALL, NONE, Evaluator
from plethos.core.measure.travel import bent
from plethos.core.propose.first_mend import FirstMend
from plethos.core.propose.roll import Limb, twist_remedies
from plethos.core.propose.soft import soft_region
from plethos.core.rules.remedies import Anchor, Helper, Limit, Relaxer, Remedy, Share, Slide, VolumeKeeper
from plethos.core.rules.response import Response
from plethos.core.skeleton.pose import Pose
from plethos.core.skin.mask import Mask
from plethos.core.skin.mesh import Mesh, Part, Triangles
from plethos.core.weights.assign import with_joint_weights

Z = (0.0, 0.0, 1.0)
Beside = Callable[[Callable[[], object], Callable[[], object]], tuple[float, float, float]]


def mending(character: Character, beside: Beside) -> list[tuple[str, str, str, str]]:
    """The rows of the table."""
    return [helpers(character, beside), relaxer(character, beside), keeper(character, beside), solve(character)]


def held(character: Character) -> Pose:
    """Elbow, knee, thigh and hand turned."""
    pose = character.skeleton.rest_pose()
    for name, axis, degrees in (
        ("left_forearm", Z, 100), ("left_shin", Z, 90), ("left_thigh", Z, 60), ("left_hand", (0.0, 1.0, 0.0), 70),
    ):  # fmt: skip
        pose = bent(pose, character.skeleton.find(name), axis, math.radians(degrees))
    return pose


def helpers(character: Character, beside: Beside) -> tuple[str, str, str, str]:
    """Six twist joints and ten helpers with rules of every kind, on joints that are there."""
    skeleton, bare = character.skeleton, character
    for name in ("left_hand", "right_hand", "left_foot"):
        for remedy in twist_remedies(character, Limb.of(character, skeleton.find(name))):
            character = character.with_remedy(remedy)
    taken = {body.joint for _, body in character.rules.helpers}
    leaves = [j for j in range(len(skeleton)) if skeleton.is_joint[j] and not skeleton.children(j) and j not in taken]
    thigh, shin = skeleton.find("left_thigh"), skeleton.find("left_shin")
    stops = Response((0.0, 1.0), (0.0, 0.05))
    for k, joint in enumerate(leaves[:10]):
        rules = (
            Anchor.of(skeleton, joint, thigh, shin), Share(shin, 0.5, "swing", Z), Slide(thigh, Z, Z, stops),
            Limit(Z, -1.0, 1.0),
        )  # fmt: skip
        character = character.with_remedy(Remedy(Helper(joint, rules if k % 2 else rules[1:3]), f"h{k}", id=f"h{k}"))
    pose = held(character)
    with_, plain = Evaluator.of(character), Evaluator.of(bare)
    mine, theirs, ratio = beside(lambda: with_.pose(pose, ALL).points, lambda: plain.pose(pose, NONE).points)
    return (
        f"Evaluation, {len(character.mesh) // 1000}k vertices, ten helpers and six twist joints",
        f"{mine:.2f} ms", f"none of them {theirs:.2f} ms", f"{ratio:.2f} (at most 1.1)",
    )  # fmt: skip


def relaxer(character: Character, beside: Beside) -> tuple[str, str, str, str]:
    """Ten rounds over the whole skin."""
    mesh = character.mesh
    ready = Relaxer(Mask.of(np.ones(len(mesh))), 10).ready(mesh)
    points = Evaluator.of(character).pose(held(character)).points.astype(np.float64)
    adjacency = mesh.topology.adjacency.astype(np.float64)

    def products() -> object:
        out = points
        for _ in range(10):
            out = adjacency @ out
        return out

    mine, theirs, ratio = beside(lambda: ready.apply(points.copy(), None, 1.0), products)
    return (
        f"Relaxer, ten rounds, {len(mesh) // 1000}k vertices, with its frames",
        f"{mine:.2f} ms", f"ten sparse products in SciPy {theirs:.2f} ms", f"{ratio:.2f} (at most 1)",
    )  # fmt: skip


def keeper(character: Character, beside: Beside) -> tuple[str, str, str, str]:
    """One region."""
    shares = soft_region(character, character.skeleton.find("left_shin"))
    ready = VolumeKeeper(Mask.of(shares)).ready(character.mesh)
    pose, evaluator = held(character), Evaluator.of(character)
    points = evaluator.pose(pose, NONE).points
    # On the same points again and again: as much work each time, and a frame copies nothing for it either.
    mine, theirs, ratio = beside(
        lambda: ready.apply(points, None, 1.0), lambda: evaluator.pose(pose, NONE).points
    )  # fmt: skip
    return (
        f"Volume keeper, a region of {len(ready.needs)} vertices",
        f"{mine:.2f} ms", f"a plain evaluation {theirs:.2f} ms", f"{ratio:.2f} (at most 0.5)",
    )  # fmt: skip


def finer(character: Character) -> Character:
    """The character with every triangle cut into four, weights and all."""
    mesh, parts, found, start = character.mesh, [], [], 0
    for part in mesh.parts:
        own = slice(*part.vertices)
        values = np.hstack([mesh.points[own], mesh.rest[own], character.binding.joint_weights[own]])
        _, corners, kept = subdivide(mesh.rest[own], mesh.triangles_of(part), vertex_attributes={"all": values})
        found.append(kept["all"])
        span = (start, start + len(found[-1]))
        parts.append(Part(part.name, span, span, Triangles(corners.astype(np.int32))))
        start = span[1]
    values = np.vstack(found)
    points, rest = (np.ascontiguousarray(values[:, k : k + 3], np.float32) for k in (0, 3))
    fine = Mesh(tuple(parts), points, rest, np.arange(start, dtype=np.int32))
    blank = replace(
        character.binding, influences=np.zeros((start, 1), np.int32), weights=np.ones((start, 1), np.float32)
    )  # fmt: skip
    bare = replace(character, mesh=fine, binding=blank)
    return with_joint_weights(bare, values[:, 6:], 8)


def solve(character: Character) -> tuple[str, str, str, str]:
    """A first mend of the belly: the largest region of the lock keeper, skin and cloth, on a finer mesh."""
    character = finer(character)
    joint = character.skeleton.find("spine_2")
    posed = Evaluator.of(character).pose(bent(character.skeleton.rest_pose(), joint, Z, math.radians(38)))
    start = time.perf_counter()
    mend = FirstMend.of(character, joint)
    mend.solved(posed, 0.9, 4.0)
    mine, room = time.perf_counter() - start, mend.room
    start = time.perf_counter()
    factor = splu(
        room.energy.tocsc(), permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True}
    )
    factor.solve(np.ones((len(room.free), 3 * len(room.slabs.at_rest))))
    bare = time.perf_counter() - start
    return (
        f"First mend of a belly, {len(room.free)} vertices, {len(room.slabs.at_rest)} slabs",
        f"{mine:.2f} s", f"factor and solve of its system {bare:.2f} s", f"{mine / bare:.1f} (at most 3)",
    )  # fmt: skip
