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
    """The character with automatic weights of at most `most` influences a vertex; see `automatic_weights`."""
    bound = with_joint_weights(character, automatic_weights(character, joints, region, progress), most, LEAST)
    for _ in range(ROUNDS):
        stray = [f for f in stray_weights(bound) if joints is None or (f.joint is not None and joints[f.joint])]
        if not stray:
            break
        bound = with_joint_weights(bound, without_stray(bound, stray), most)
    if region is None:
        return bound
    # Limits and mends have looked at the whole skin: what was not picked keeps its weights to the last bit.
    outside = np.asarray(region) <= 0
    dense = bound.joint_weights.astype(np.float64)
    dense[outside] = character.joint_weights[outside]
    return with_joint_weights(character, dense, max(most, character.influences.shape[1]))
