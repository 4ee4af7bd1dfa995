"""Weights by heat from the bones over a surface, each joint's in one patch."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from plethos.core.topology import Topology, extent
from plethos.core.weights.bones import Segment, segment_distances
from plethos.core.weights.gradient import grade
from plethos.core.weights.heat import heat_columns

Weights = NDArray[np.float64]
Progress = Callable[[float], None]  # called with the share done; raises to cancel


def heated(
    topology: Topology,
    rest: NDArray[np.float64],
    normals: NDArray[np.float64],
    segments: list[Segment],
    joints: int,
    progress: Progress,
) -> Weights:
    """Weights ``(V, joints)`` by heat from bones over a surface.

    Notes
    -----
    Dense arrays of this size are few here: they are what fills the memory.
    """
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
