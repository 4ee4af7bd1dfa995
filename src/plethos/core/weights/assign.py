"""Giving a character new weights by joint, whatever bones its file binds them through."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Bones, Character
from plethos.core.weights.heat import limit_influences

INSIDE = 8  # influences a vertex while working; a delivery may ask for fewer


def with_joint_weights(
    character: Character, weights: NDArray[np.floating], most: int = INSIDE, least: float = 0.0
) -> Character:
    """The character with other weights.

    Parameters
    ----------
    weights
        Dense ``(V, J)``, none negative; rows are normalised.
    most
        How many influences of a vertex are kept.
    least
        Weights under this are dropped; with 0 a row of no more than `most` stays exactly as it is.

    Notes
    -----
    A part's vertices go on following a joint through the bone that its skin has for it. For a joint that its skin
    does not know a bone is added that leaves the part where it is at rest.
    """
    joints, kept = limit_influences(np.asarray(weights, np.float64), most, least)
    bones, rows = _rows_by_part(character, joints, kept)
    edited = replace(character, bones=bones, influences=rows, weights=kept)
    edited.__dict__.update({k: v for k, v in character.__dict__.items() if k == "topology"})
    return edited


def _rows_by_part(
    character: Character, joints: NDArray[np.int32], weights: NDArray[np.float32]
) -> tuple[Bones, NDArray[np.int32]]:
    bones = character.bones
    joint_of, inverse = bones.joint.tolist(), list(bones.inverse_bind)
    rest = character.skeleton.rest_global
    rows = np.zeros(joints.shape, dtype=np.int32)
    for part in character.parts:
        own = slice(*part.vertices)
        held = character.influences[own][character.weights[own] > 0]
        used = np.unique(held)
        # Where the part's space lies in the world at rest, through the bone that holds most of it.
        anchor = int(np.bincount(held).argmax())
        space = rest[joint_of[anchor]] @ inverse[anchor]
        fits = [_alike(rest[joint_of[r]] @ inverse[r], space) for r in range(len(bones.joint))]
        row_of = {joint_of[r]: r for r in reversed(range(len(fits))) if fits[r]}
        row_of |= {joint_of[r]: int(r) for r in used}
        wanted = np.unique(joints[own][weights[own] > 0])
        for joint in wanted.tolist():
            if joint not in row_of:
                row_of[joint] = len(joint_of)
                joint_of.append(joint)
                inverse.append(np.linalg.inv(rest[joint]) @ space)
        table = np.zeros(len(character.skeleton), dtype=np.int32)
        for joint, row in row_of.items():
            table[joint] = row
        rows[own] = np.where(weights[own] > 0, table[joints[own]], table[int(wanted[0])])
    return Bones(np.array(joint_of, np.int32), np.array(inverse).reshape(-1, 4, 4)), rows


def _alike(own: NDArray[np.float64], space: NDArray[np.float64]) -> bool:
    """Whether a bone puts the part's space where it is at rest: then the part may use it."""
    return bool(np.abs(own - space).max() < 1e-5 * max(1.0, float(np.abs(space).max())))
