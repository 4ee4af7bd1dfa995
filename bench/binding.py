"""How good automatic weights are: volume, girth and contacts over a clip, beside two obvious ways to bind."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from plethos.core.bend import BendMeasure, ContactCounter
from plethos.core.character import Character
from plethos.core.evaluate import Evaluator
from plethos.core.weights.assign import with_joint_weights
from plethos.core.weights.bind import bound_automatically
from plethos.core.weights.bones import segment_distances, segments_of

CLIP, EVERY = "range of motion", 0.25  # seconds
JOINTS = ("left_upper_arm", "left_forearm", "left_hand", "left_thigh", "left_shin", "left_foot", "spine_2", "neck")
MOST = 4


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


def compare(character: Character) -> list[str]:
    """A table, one row a way to bind: each measure's worst over the clip, averaged over the joints."""
    rest = Evaluator.of(character).rest()
    counter = ContactCounter(character.mesh)
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
