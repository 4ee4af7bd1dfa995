"""Giving a character new weights by joint, whatever bones its file binds them through."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Bones, Character
from plethos.core.weights.heat import limit_influences

INSIDE = 8  # influences a vertex while working
DELIVERED = 4  # influences a vertex in a delivery, unless more are asked for


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
    used = max(1, int((kept > 0).sum(axis=1).max(initial=1)))
    joints, kept = np.ascontiguousarray(joints[:, :used]), np.ascontiguousarray(kept[:, :used])
    bones, rows = _rows_by_part(character, joints, kept)
    edited = replace(character, bones=bones, influences=rows, weights=kept)
    edited.__dict__.update({k: v for k, v in character.__dict__.items() if k == "topology"})
    return edited


@dataclass(frozen=True)
class BoneTable:
    """Which bone each part follows each joint through.

    Parameters
    ----------
    bones
        The character's bones, and those that had to be added.
    rows
        ``(P, J)`` bone of each part and joint, -1 where nobody asked for one.
    """

    bones: Bones
    rows: NDArray[np.int32]

    def influences(
        self, parts: NDArray[np.int32], joints: NDArray[np.int32], weights: NDArray[np.float32]
    ) -> NDArray[np.int32]:
        """Bones ``(N, K)`` of vertices of these parts ``(N,)``; empty slots name some bone of the part."""
        some = self.rows.max(axis=1)
        rows = np.where(weights > 0, self.rows[parts[:, None], joints], some[parts][:, None])
        # The compiled kernel trusts its indices.
        assert rows.min(initial=0) >= 0, "a part follows a joint that it has no bone for"
        return np.ascontiguousarray(rows, dtype=np.int32)


def bone_table(character: Character, wanted: NDArray[np.bool_]) -> BoneTable:
    """The bones for the joints that each part wants ``(P, J)``."""
    bones = character.bones
    joint_of, inverse, group = bones.joint.tolist(), list(bones.inverse_bind), bones.group.tolist()
    rest = character.skeleton.rest_global
    table = np.full(wanted.shape, -1, dtype=np.int32)
    row_of = {(g, j): r for r, (g, j) in enumerate(zip(group, joint_of, strict=True))}
    for number, part in enumerate(character.parts):
        own = slice(*part.vertices)
        held = character.influences[own][character.weights[own] > 0]
        # Where the part's space lies in the world at rest, through the bone that holds most of it.
        anchor = int(np.bincount(held).argmax())
        skin = group[anchor]
        for joint in np.flatnonzero(wanted[number]).tolist():
            if (skin, joint) not in row_of:
                row_of[skin, joint] = len(joint_of)
                space = rest[joint_of[anchor]] @ inverse[anchor]
                joint_of.append(joint)
                inverse.append(np.linalg.inv(rest[joint]) @ space)
                group.append(skin)
            table[number, joint] = row_of[skin, joint]
    binds = np.array(inverse).reshape(-1, 4, 4)
    return BoneTable(Bones(np.array(joint_of, np.int32), binds, np.array(group, np.int32)), table)


def part_numbers(character: Character) -> NDArray[np.int32]:
    """The part ``(V,)`` that each vertex belongs to."""
    sizes = [stop - start for start, stop in (p.vertices for p in character.parts)]
    return np.repeat(np.arange(len(sizes), dtype=np.int32), sizes)


def _rows_by_part(
    character: Character, joints: NDArray[np.int32], weights: NDArray[np.float32]
) -> tuple[Bones, NDArray[np.int32]]:
    part = part_numbers(character)
    wanted = np.zeros((len(character.parts), len(character.skeleton)), dtype=bool)
    wanted[np.repeat(part, joints.shape[1])[weights.ravel() > 0], joints[weights > 0]] = True
    table = bone_table(character, wanted)
    return table.bones, table.influences(part, joints, weights)
