"""Automatic weights for a whole character, for chosen joints, or for a picked region."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.symmetry import is_symmetric
from plethos.core.topology import Topology, extent, outward_normals
from plethos.core.weights.bones import Segment, segment_distances, skin_bones
from plethos.core.weights.gradient import grade
from plethos.core.weights.heat import heat_columns

Weights = NDArray[np.float64]
Progress = Callable[[float], None]  # called with the share done; raises to cancel


def automatic_weights(
    character: Character,
    joints: NDArray[np.bool_] | None = None,
    region: NDArray[np.floating] | None = None,
    progress: Progress = lambda share: None,
) -> Weights:
    """Weights by heat from the bones.

    Parameters
    ----------
    joints
        ``(J,)`` only these joints get new weights; what is left of each vertex keeps its old proportions. None =
        all joints.
    region
        ``(V,)`` from 0 (keeps its weights) to 1 (takes the new ones); None = everywhere.
    progress
        Called between the steps.

    Returns
    -------
    ndarray
        Dense weights ``(V, J)`` float64 that sum to 1, a joint's side by side in memory (order F): mirror-exact where
        mesh and skeleton are, and without islands.

    Raises
    ------
    BadEditError
        When there is no joint to follow, or nothing chosen.
    """
    skeleton = character.skeleton
    if joints is not None and not (joints & skeleton.is_joint).any():
        raise BadEditError("No joint was chosen, so nothing can be given weights.")
    if region is not None and not (region > 0).any():
        raise BadEditError("The region holds no vertex: pick some first.")
    rest = character.mesh.rest.astype(np.float64)
    normals = outward_normals(rest, character.mesh.topology)
    segments = skin_bones(skeleton, rest, normals)
    if not segments:
        raise BadEditError("The character has no joints that its skin could follow: lay a skeleton first.")
    fresh = _heated(character.mesh.topology, rest, normals, segments, len(skeleton), progress)
    fresh = _mirrored(character, fresh)
    if joints is not None:
        fresh = _chosen_only(character, fresh, joints)
    if region is not None:
        share = np.clip(np.asarray(region, np.float64), 0, 1)[:, None]
        fresh = share * fresh + (1 - share) * character.binding.joint_weights
    progress(1.0)
    fresh /= fresh.sum(axis=1, keepdims=True)
    return fresh


def _heated(
    topology: Topology,
    rest: NDArray[np.float64],
    normals: NDArray[np.float64],
    segments: list[Segment],
    joints: int,
    progress: Progress,
) -> Weights:
    """Weights ``(V, joints)`` by heat. Dense arrays of this size are few here: they are what fills the memory."""
    distance = segment_distances(rest, normals, segments)
    least = np.maximum(distance.min(axis=1), 1e-3 * extent(rest))
    progress(0.1)
    # Equally near bones (where two meet) share the heat, so that no side of a joint is favoured. Here and in the solve
    # a joint's weights lie side by side in memory (order F): every step below goes joint by joint.
    tied = distance <= least[:, None] * 1.001
    del distance
    seeds = np.zeros((len(rest), joints), dtype=np.float32, order="F")
    for k, segment in enumerate(segments):
        seeds[tied[:, k], segment.joint] = 1
    seeds /= seeds.sum(axis=1, keepdims=True)
    used = np.flatnonzero(seeds.any(axis=0))
    weights = np.zeros((len(rest), joints), order="F")
    # Vertices that no triangle holds have no neighbours to share with: they follow their nearest bone.
    loose = np.ones(len(rest), dtype=bool)
    loose[topology.triangles.ravel()] = False
    weights[loose] = seeds[loose]
    inside = np.flatnonzero(~loose)
    if len(inside):
        number = np.full(len(rest), -1, dtype=np.int32)
        number[inside] = np.arange(len(inside), dtype=np.int32)
        own = seeds if len(inside) == len(rest) else seeds[inside]
        columns = heat_columns(
            rest[inside], number[topology.triangles], own, used, least[inside],
            progress=lambda share: progress(0.1 + 0.8 * share),
        )  # fmt: skip
        for joint, column in columns:
            weights[inside, joint] = column
        del own
        weights /= weights.sum(axis=1, keepdims=True)
    at_home = seeds > 0
    del seeds
    without_islands(topology, weights, at_home)
    for segment in segments:
        if segment.twists:
            grade(weights, rest, segment)
    return weights


def without_islands(topology: Topology, weights: Weights, seeds: NDArray[np.bool_], least: float = 1e-3) -> None:
    """Take patches that hold none of their joint's seeds out of weights ``(V, J)``, in place: what heat left far away.

    Parameters
    ----------
    seeds
        ``(V, J)`` where each joint is at home.
    least
        Weights under this are taken for nothing.
    """
    left = weights >= least
    total = np.zeros(len(weights))
    for joint in np.flatnonzero(left.any(axis=0)).tolist():
        on = left[:, joint]
        count, patch = topology.patches(on)
        at_home = np.zeros(count, dtype=bool)
        at_home[patch[on & seeds[:, joint]]] = True
        on &= at_home[patch]
        total[on] += weights[on, joint]
    # Where nothing would be left, all stays.
    left[total <= 0] = True
    for joint in range(weights.shape[1]):
        weights[~left[:, joint], joint] = 0
    weights /= weights.sum(axis=1, keepdims=True)


def _mirrored(character: Character, weights: Weights) -> Weights:
    twin, other = character.sides
    if not is_symmetric(twin, other):
        return weights
    rows = np.flatnonzero(twin >= 0)
    across, out = twin[rows], weights.copy(order="F")
    for joint, its_twin in enumerate(other.tolist()):
        out[rows, joint] = 0.5 * (weights[rows, joint] + weights[across, its_twin])
    return out


def _chosen_only(character: Character, fresh: Weights, joints: NDArray[np.bool_]) -> Weights:
    old = character.binding.joint_weights.astype(np.float64)
    taken = fresh[:, joints].sum(axis=1, keepdims=True)
    rest = np.where(joints, 0, old)
    held = rest.sum(axis=1, keepdims=True)
    # Where only chosen joints held a vertex, the automatic weights say who else does.
    rest = np.where(held > 1e-9, rest * (1 - taken) / np.maximum(held, 1e-9), np.where(joints, 0, fresh))
    return np.asarray(np.where(joints, fresh, rest))
