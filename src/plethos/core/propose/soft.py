"""Soft masks: all of it well inside a joint's region, fading to nothing at its border."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from plethos.core.character import Character
from plethos.core.geometry.falloff import falloff_from_seed
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import Topology
from plethos.core.measure.region import joint_region
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skin.binding import Binding
from plethos.core.skin.mask import Mask
from plethos.core.weights.bones import twist_joints

ALIKE = 0.8  # of the best covered joint: what is covered as well
WIDE = 0.6  # of the region's radius: how far beyond the bending skin the mask goes, and over how much of it it fades


def soft_region(character: Character, joint: int) -> Array:
    """``(V,)`` 1 on the skin that a joint bends, fading out over the skin round it.

    Raises
    ------
    BadEditError
        When the joint bends no skin.
    """
    rest = character.mesh.rest
    core = joint_region(character, joint, rest, 0.1)
    inside = np.zeros(len(character.mesh), bool)
    inside[core.vertices] = True
    return falloff_from_seed(character.mesh.topology, rest, inside, WIDE * core.radius)


def evened(topology: Topology, shares: Array, rounds: int) -> Array:
    """Shares ``(V,)`` smoothed over the surface."""
    every = np.arange(topology.count)
    for _ in range(rounds):
        mean = topology.mean_beside(np.repeat(shares[:, None], 3, axis=1), every)[:, 0]
        shares = 0.5 * (shares + mean)
    return shares


def joints_under(skeleton: Skeleton, binding: Binding, masks: Sequence[Mask]) -> list[list[int]]:
    """For each mask the joints whose bending skin it covers best, those that carry others first.

    What bends at a joint is the skin that it shares with its parent. All joints count of whose bending skin the mask
    covers nearly as much as of the best one's.
    """
    bending = binding.carried(skeleton)
    bending.data = 4 * bending.data * (1 - bending.data)
    # Twist joints only share what their bone bends.
    bends = skeleton.is_joint & (np.array(skeleton.joint_parents) >= 0)
    bends[list(twist_joints(skeleton))] = False
    every = np.maximum(np.asarray(bending.sum(axis=0)).ravel(), 1e-12)
    found: list[list[int]] = []
    for mask in masks:
        covered = bends * (bending.T @ mask.dense(bending.shape[0])) / every
        best = float(covered.max(initial=0))
        # A joint comes before what hangs on it.
        found.append([] if best <= 0 else np.flatnonzero(covered > ALIKE * best).tolist())
    return found
