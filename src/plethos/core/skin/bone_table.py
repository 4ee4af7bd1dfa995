"""Which bone each part follows each joint through."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skin.binding import Binding, Bones
from plethos.core.skin.mesh import Mesh


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

    @cached_property
    def _some(self) -> NDArray[np.int32]:
        """A bone of each part ``(P,)``, -1 for none."""
        return np.asarray(self.rows.max(axis=1))

    def influences(
        self, parts: NDArray[np.int32], joints: NDArray[np.int32], weights: NDArray[np.float32]
    ) -> NDArray[np.int32]:
        """Bones ``(N, K)`` of vertices of these parts ``(N,)``; empty slots name some bone of the part."""
        rows = np.where(weights > 0, self.rows[parts[:, None], joints], self._some[parts][:, None])
        # The compiled kernel trusts its indices.
        assert rows.min(initial=0) >= 0, "a part follows a joint that it has no bone for"
        return np.ascontiguousarray(rows, dtype=np.int32)


def bone_table(mesh: Mesh, skeleton: Skeleton, binding: Binding, wanted: NDArray[np.bool_]) -> BoneTable:
    """The bones for the joints that each part wants ``(P, J)``.

    For a joint that a part's skin does not know, a bone is added that leaves the part where it is at rest.
    """
    bones = binding.bones
    joint_of, inverse, group = bones.joint.tolist(), list(bones.inverse_bind), bones.group.tolist()
    rest = skeleton.rest_global
    table = np.full(wanted.shape, -1, dtype=np.int32)
    row_of = {(g, j): r for r, (g, j) in enumerate(zip(group, joint_of, strict=True))}
    for number, part in enumerate(mesh.parts):
        own = slice(*part.vertices)
        held = binding.influences[own][binding.weights[own] > 0]
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
    binds = np.array(inverse, dtype=np.float64).reshape(-1, 4, 4)
    return BoneTable(Bones(np.array(joint_of, np.int32), binds, np.array(group, np.int32)), table)
