"""Edits of weights that are not strokes: give a part to one joint, carry one side over to the other."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.symmetry import joint_mirror, vertex_mirror


def given_to(character: Character, vertices: NDArray[np.bool_], joint: int) -> NDArray[np.float64]:
    """Weights ``(V, J)`` with some vertices following one joint rigidly.

    Raises
    ------
    BadEditError
        When no vertex is chosen.
    """
    if not vertices.any():
        raise BadEditError("No vertex was chosen: pick a part or a piece first.")
    weights = character.joint_weights.astype(np.float64)
    weights[vertices] = 0
    weights[vertices, joint] = 1
    return weights


def mirrored_from(character: Character, side: float) -> NDArray[np.float64]:
    """Weights ``(V, J)`` with one side's carried over to the other; vertices without a twin keep theirs.

    Parameters
    ----------
    side
        Above 0: the character's left (+x) is carried to the right; below: the other way.

    Raises
    ------
    BadEditError
        When vertices or joints have no mirror images.
    """
    rest = Evaluator(character).rest()
    twin, other = vertex_mirror(rest), joint_mirror(character.skeleton)
    if (other == np.arange(len(other))).all() or (twin >= 0).sum() < 2:
        raise BadEditError("The two sides of this character are not mirror images, so nothing can be carried over.")
    weights = character.joint_weights.astype(np.float64)
    target = np.flatnonzero((twin >= 0) & (twin != np.arange(len(twin))) & (rest[:, 0] * side < 0))
    weights[target] = weights[twin[target]][:, other]
    middle = np.flatnonzero(twin == np.arange(len(twin)))
    weights[middle] = 0.5 * (weights[middle] + weights[middle][:, other])
    return weights
