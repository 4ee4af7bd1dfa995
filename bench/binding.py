"""How good automatic weights are, over a clip and beside two obvious ways to bind; and what a large skin takes."""

from __future__ import annotations

import gc
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import robust_laplacian
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.linalg import splu

from plethos.core.character import Character
from plethos.core.evaluate import Evaluator
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.obj_mesh import file_from_obj
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.contact_counter import ContactCounter
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.weights.assign import with_joint_weights
from plethos.core.weights.automatic import automatic_weights
from plethos.core.weights.bind import bound_automatically
from plethos.core.weights.bone_distances import segment_distances
from plethos.core.weights.bones import segments_of
from plethos.demo.catalogue import FINGERS

CLIP, EVERY = "range of motion", 0.25  # seconds
JOINTS = ("left_upper_arm", "left_forearm", "left_hand", "left_thigh", "left_shin", "left_foot", "spine_2", "neck")
MOST = 4
APART = 1.45  # metres between two of a crowd: further out they would be taken for centimetres


def nearest_bone(character: Character) -> NDArray[np.float64]:
    """Every vertex follows its nearest bone alone."""
    distance, owners = _distances(character)
    out = np.zeros((len(distance), len(character.skeleton)))
    out[np.arange(len(distance)), owners[distance.argmin(axis=1)]] = 1
    return out


def envelope(character: Character) -> NDArray[np.float64]:
    """Every vertex follows all bones by the inverse fourth power of their distance through the air."""
    distance, owners = _distances(character)
    out = np.zeros((len(distance), len(character.skeleton)))
    pull = 1 / np.maximum(distance, 1e-3) ** 4
    for k, joint in enumerate(owners.tolist()):
        out[:, joint] = np.maximum(out[:, joint], pull[:, k])
    return out / out.sum(axis=1, keepdims=True)


def _distances(character: Character) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    rest = Evaluator.of(character).rest()
    segments = segments_of(character.skeleton)
    return segment_distances(rest, np.zeros_like(rest), segments), np.array([s.joint for s in segments])


def crowd(character: Character, count: int) -> Character:
    """So many figures side by side as one character, each with joints of its own."""
    rest, faces = character.mesh.rest.astype(np.float64), character.mesh.topology.triangles
    lines = [f"v {x + APART * n:.6f} {y:.6f} {z:.6f}" for n in range(count) for x, y, z in rest.tolist()]
    lines += [f"f {a} {b} {c}" for n in range(count) for a, b, c in (faces + 1 + n * len(rest)).tolist()]
    together = read_character(file_from_obj("\n".join(lines)), "Crowd")
    one = character.skeleton
    moved = np.tile(one.rest_translation, (count, 1))
    moved[np.tile(one.parents < 0, count), 0] += APART * np.repeat(np.arange(count), int((one.parents < 0).sum()))
    above = [np.where(one.parents < 0, -1, one.parents + n * len(one)) for n in range(count)]
    names = tuple(f"{name}_{n}" for n in range(count) for name in one.names)
    turned, stretched = np.tile(one.rest_rotation, (count, 1)), np.tile(one.rest_stretch, (count, 1, 1))
    nodes, parents = np.arange(len(names), dtype=np.int32), np.concatenate(above).astype(np.int32)
    skeleton = Skeleton(names, parents, moved, turned, stretched, np.tile(one.is_joint, count), nodes)
    return replace(together, skeleton=skeleton, binding=replace(together.binding, joints=len(skeleton)))


def large(character: Character) -> tuple[str, str, str, str]:
    """A crowd of 200,000 vertices and 300 joints bound, beside the Laplacian of its skin and its factors."""
    skeleton = character.skeleton
    fingers = np.array([any(f in name for f in FINGERS) for name in skeleton.names])
    character = replace(character, skeleton=replace(skeleton, is_joint=skeleton.is_joint & ~fingers))
    many = crowd(character, 8)
    rest, triangles = many.mesh.rest.astype(np.float64), many.mesh.topology.triangles.astype(np.int64)
    near = np.maximum(segment_distances(rest[: len(rest) // 8], np.zeros((len(rest) // 8, 3)),
                                        segments_of(character.skeleton)).min(axis=1), 0.002)  # fmt: skip
    start = time.perf_counter()
    laplacian, area = robust_laplacian.mesh_laplacian(rest, triangles)
    system = (laplacian + area @ sparse.diags(1.6 / np.tile(near, 8) ** 2)).tocsc()
    splu(system, permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True})
    bare = time.perf_counter() - start
    del laplacian, area, system
    gc.collect()
    Path("/proc/self/clear_refs").write_text("5")  # the peak counts from here on
    before, start = _peak(), time.perf_counter()
    bound = bound_automatically(many, MOST)
    ours, grown = time.perf_counter() - start, _peak() - before
    start = time.perf_counter()
    bound_automatically(many, MOST)  # as after a joint was moved: the mesh keeps its Laplacian
    again = time.perf_counter() - start
    joints = int(bound.skeleton.is_joint.sum())
    del many, bound
    fresh = crowd(character, 8)
    start = time.perf_counter()
    automatic_weights(fresh)
    weights = time.perf_counter() - start
    return (
        f"Binding {len(rest) // 1000}k vertices to {joints} joints: automatic weights, limited, cleared of strays",
        f"{ours:.1f} s, {grown:.0f} MB more; the weights alone {weights:.1f} s; again {again:.1f} s",
        f"Laplacian and factors of its system {bare:.1f} s",
        f"{ours / bare:.2f} (5 s), memory at most 1000 MB",
    )


def _peak() -> float:
    """The most memory that the process has held since the peak was set back, MB."""
    (line,) = (x for x in Path("/proc/self/status").read_text().splitlines() if x.startswith("VmHWM"))
    return int(line.split()[1]) / 1024


def compare(character: Character) -> list[str]:
    """A table, one row a way to bind: each measure's worst over the clip, averaged over the joints."""
    rest = Evaluator.of(character).rest()
    counter = ContactCounter.of(character.mesh)
    clip = next(c for c in character.clips if c.name == CLIP)
    poses = [clip.pose_at(character.skeleton, float(t)) for t in np.arange(0, clip.duration, EVERY)]
    # Everything is measured in the regions of the weights that the figure came with.
    measures = [BendMeasure.of(character, character.skeleton.find(j)) for j in JOINTS]
    edges = character.mesh.topology.edges
    length = np.maximum(np.linalg.norm(rest[edges[:, 0]] - rest[edges[:, 1]], axis=1), 1e-6)
    rows = []
    for name, bound in (
        ("automatic weights", bound_automatically(character, MOST)),
        ("nearest bone", with_joint_weights(character, nearest_bone(character), MOST)),
        ("envelope, inverse fourth power", with_joint_weights(character, envelope(character), MOST)),
    ):
        evaluator = Evaluator.of(bound)
        volume, girth, contacts, torn = np.full(len(JOINTS), 1e9), np.full(len(JOINTS), 1e9), 0, 0.0
        for pose in poses:
            points = evaluator.pose(pose).points
            contacts += counter.count(points)
            stretched = np.linalg.norm(points[edges[:, 0]] - points[edges[:, 1]], axis=1) / length
            torn += float(np.quantile(stretched, 0.999))
            for k, m in enumerate(measures):
                told = m.of_points(points[m.site.region.vertices])
                volume[k] = min(volume[k], told.volume)
                girth[k] = min(girth[k], told.girth or 1e9)
        rows.append(
            f"| {name} | {volume.mean():.0f} % | {girth.mean():.0f} % | {contacts / len(poses):.0f} "
            f"| {torn / len(poses):.1f} times |"
        )
    head = ["bound by", "worst volume", "least girth", "crossing triangles", "edges stretched"]
    return [
        "",
        f"Automatic weights beside two obvious ways, {MOST} influences, the bare lock keeper over his clip",
        f"“{CLIP}” ({len(poses)} poses), in the same run: the worst volume and least girth of {len(JOINTS)} joints,",
        "averaged; a pose, the triangles that cross others, and how much the edge at 99.9 % of all is stretched. Skin",
        "that is torn at its joints keeps volume and girth: the last two columns tell.",
        "",
        f"| {' | '.join(head)} |",
        "|---" * len(head) + "|",
        *rows,
        "",
    ]
