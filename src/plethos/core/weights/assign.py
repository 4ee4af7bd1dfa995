"""Giving a character new weights by joint, whatever bones its file binds them through."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.character import Character
from plethos.core.skin.binding import Binding
from plethos.core.skin.bone_table import bone_table
from plethos.core.weights.limit import limit_influences

INSIDE = 8  # influences a vertex while working
DELIVERED = 4  # influences a vertex in a delivery, unless more are asked for


def with_joint_weights(
    character: Character, weights: NDArray[np.floating] | sparse.csr_matrix, most: int = INSIDE, least: float = 0.0
) -> Character:
    """The character with other weights.

    Parameters
    ----------
    weights
        ``(V, J)``, dense or sparse, none negative; rows are normalised.
    most
        How many influences of a vertex are kept.
    least
        Weights under this are dropped; with 0 a row of no more than `most` stays exactly as it is.

    Notes
    -----
    A part's vertices go on following a joint through the bone that its skin has for it: see `bone_table`.
    """
    joints, kept = limit_influences(weights, most, least)
    # A control point and its handles follow the same.
    joints, kept = character.mesh.of_controls(joints), character.mesh.of_controls(kept)
    used = max(1, int((kept > 0).sum(axis=1).max(initial=1)))
    return with_influences(character, joints[:, :used], kept[:, :used])


def with_influences(character: Character, joints: NDArray[np.int32], weights: NDArray[np.float32]) -> Character:
    """The character whose vertices follow these joints ``(V, K)`` with these weights, which sum to 1."""
    mesh, part = character.mesh, character.mesh.part_numbers
    wanted = np.zeros((len(mesh.parts), len(character.skeleton)), dtype=bool)
    wanted[np.repeat(part, joints.shape[1])[weights.ravel() > 0], joints[weights > 0]] = True
    table = bone_table(mesh, character.skeleton, character.binding, wanted)
    kept = np.ascontiguousarray(weights, dtype=np.float32)
    rows = table.influences(part, joints, kept)
    binding = Binding(table.bones, rows, kept, len(character.skeleton), character.binding.blend)
    return replace(character, binding=binding)
