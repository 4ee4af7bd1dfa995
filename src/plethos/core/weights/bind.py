"""Binding: automatic weights put on a character, limited, and cleared of what the limit left stray."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.character import Character
from plethos.core.skeleton.symmetry import is_symmetric
from plethos.core.weights.assign import with_joint_weights
from plethos.core.weights.automatic import automatic_weights
from plethos.core.weights.bones import skin_bones
from plethos.core.weights.check import stray_weights, without_stray
from plethos.core.weights.edit import carried_across
from plethos.core.weights.heated import Progress, mixed

ROUNDS = 4
LEAST = 0.003  # automatic weights under this are not worth an influence


def bound_automatically(
    character: Character,
    most: int,
    joints: NDArray[np.bool_] | None = None,
    region: NDArray[np.floating] | None = None,
    progress: Progress = lambda share: None,
) -> Character:
    """The character with automatic weights of at most `most` influences a vertex; see `automatic_weights`.

    What is not asked for stays as it was to the last bit: vertices outside of the region, and, for chosen joints only,
    those that none of them holds before or after.
    """
    fresh = automatic_weights(character, joints, region, progress)
    if character.mesh.is_flat:
        # The two sides of a limb are two runs of points: what is stray on a skin is not on an outline.
        if joints is None and region is None:
            return with_joint_weights(character, fresh, most, LEAST)
        most = max(most, character.binding.influences.shape[1])
        return with_joint_weights(character, fresh, most)
    if joints is None:
        bound = _cleared(with_joint_weights(character, fresh, most, LEAST), most, None, region is None)
    else:
        fresh.data[joints[fresh.indices] & (fresh.data < LEAST)] = 0
        bound = _cleared(with_joint_weights(character, fresh, most), most, joints, False)
    old = character.binding
    kept = np.zeros(len(old.weights), dtype=bool)
    if joints is not None:
        kept |= ~np.logical_or.reduce([(b.weights > 0) & joints[b.numbers] for b in (old, bound.binding)]).any(axis=1)
    if region is not None:
        kept |= np.asarray(region) <= 0
        most = max(most, character.binding.influences.shape[1])
    if not kept.any():
        return bound
    return with_joint_weights(character, mixed(bound.binding.by_vertex, old.by_vertex, kept.astype(np.float64)), most)


def _cleared(bound: Character, most: int, joints: NDArray[np.bool_] | None, mirrored: bool) -> Character:
    """Without the stray weights that the limit has left; with `mirrored` one side decides for both.

    Limits and mends decide by a hair what they drop, so that two sides that were alike come apart.
    """
    rest = bound.mesh.rest
    twin, other = bound.sides
    mirrored = mirrored and is_symmetric(twin, other)

    def evened(weights: sparse.csr_matrix) -> Character:
        fresh = with_joint_weights(bound, weights, most)
        if not mirrored:
            return fresh
        there = rest[:, 0] < bound.mesh.mirror_x
        return with_joint_weights(bound, carried_across(fresh.binding.by_vertex, twin, other, there), most)

    bound = evened(bound.binding.by_vertex)
    bones = skin_bones(bound.skeleton, rest, bound.mesh.outward)
    for _ in range(ROUNDS):
        stray = [f for f in stray_weights(bound, bones) if joints is None or (f.joint is not None and joints[f.joint])]
        if not stray:
            break
        if mirrored:
            stray += [f.mirrored(twin, other) for f in stray]
        bound = evened(without_stray(bound, stray))
    return bound
