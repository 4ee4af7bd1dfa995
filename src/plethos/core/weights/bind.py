"""Binding: automatic weights put on a character, limited, and cleared of what the limit left stray."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.weights.assign import with_joint_weights
from plethos.core.weights.automatic import Progress, automatic_weights
from plethos.core.weights.check import stray_weights, without_stray

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
    old = character.joint_weights
    if joints is None:
        bound = with_joint_weights(character, fresh, most, LEAST)
    else:
        fresh[:, joints] = np.where(fresh[:, joints] < LEAST, 0, fresh[:, joints])
        bound = with_joint_weights(character, fresh, most)
    for _ in range(ROUNDS):
        stray = [f for f in stray_weights(bound) if joints is None or (f.joint is not None and joints[f.joint])]
        if not stray:
            break
        bound = with_joint_weights(bound, without_stray(bound, stray), most)
    kept = np.zeros(len(old), dtype=bool)
    if joints is not None:
        kept |= ~((old[:, joints] > 0) | (bound.joint_weights[:, joints] > 0)).any(axis=1)
    if region is not None:
        kept |= np.asarray(region) <= 0
        most = max(most, character.influences.shape[1])
    if not kept.any():
        return bound
    dense = bound.joint_weights.astype(np.float64)
    dense[kept] = old[kept]
    return with_joint_weights(character, dense, most)
