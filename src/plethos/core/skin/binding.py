"""What the skin follows: bones, and how much of each every vertex has."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.geometry.rotations import Array
from plethos.core.skeleton.skeleton import Skeleton


@dataclass(frozen=True, eq=False)
class Bones:
    """What a vertex can follow: a joint seen through one inverse bind matrix.

    Two skins may bind the same joint differently; each pair is a row here, and influences refer to rows.

    Parameters
    ----------
    joint
        ``(B,)`` joint indices.
    inverse_bind
        ``(B, 4, 4)`` float64.
    group
        ``(B,)`` the skin that a row belongs to; in one skin a joint has one row. A part without a skin is a group of
        its own.
    """

    joint: NDArray[np.int32]
    inverse_bind: Array
    group: NDArray[np.int32]

    @cached_property
    def rows(self) -> Array:
        """The bones ``(B, 17)`` as `kinematics.bone_rows` reads them."""
        return np.hstack([self.joint[:, None], self.inverse_bind.reshape(-1, 16)]).astype(np.float64)


def rows_of(numbers: NDArray[np.integer], weights: NDArray[np.floating], columns: int) -> sparse.csr_matrix:
    """Weights ``(V, K)`` of numbered joints as ``(V, columns)``, with only what is not 0, in order in each row."""
    count, width = weights.shape
    starts = np.arange(count + 1, dtype=np.int32) * width
    rows = sparse.csr_matrix((weights.ravel(), numbers.ravel(), starts), (count, columns), copy=True)
    rows.sum_duplicates()
    rows.eliminate_zeros()
    return rows


@dataclass(frozen=True, eq=False)
class Binding:
    """The skin's influences.

    Parameters
    ----------
    bones
        What can be followed.
    influences, weights
        ``(V, K)`` bone rows and float32 weights that sum to 1.
    joints
        How many joints the skeleton has.
    blend
        ``(V,)`` float32, the skinning that came with the file: 0 = linear, 1 = dual quaternion; None = linear.
    """

    bones: Bones
    influences: NDArray[np.int32]
    weights: NDArray[np.float32]
    joints: int
    blend: NDArray[np.float32] | None = None

    @cached_property
    def numbers(self) -> NDArray[np.int32]:
        """The joints ``(V, K)`` that the influences go to."""
        return np.asarray(self.bones.joint[self.influences], np.int32)

    def column(self, joint: int) -> NDArray[np.float32]:
        """One joint's weights ``(V,)``, whatever bones they go through."""
        own = np.where(self.numbers == joint, self.weights, np.float32(0))
        return np.asarray(own.sum(axis=1), np.float32)

    @cached_property
    def joint_weights(self) -> NDArray[np.float32]:
        """All of them ``(V, J)``, as many numbers as that: `by_vertex` and `column` are for large skins."""
        dense = np.zeros((len(self.weights), self.joints), dtype=np.float32)
        rows = np.arange(len(self.weights))
        for k in range(self.influences.shape[1]):
            np.add.at(dense, (rows, self.bones.joint[self.influences[:, k]]), self.weights[:, k])
        return dense

    @cached_property
    def by_vertex(self) -> sparse.csr_matrix:
        """The same ``(V, J)``, as float64, with only what is not 0; joints in order in each row."""
        return rows_of(self.numbers, self.weights, self.joints).astype(np.float64)

    def follows_joints(self, skeleton: Skeleton) -> bool:
        """Whether any of the skin follows a joint, not only the plain nodes that carry it."""
        joints = self.bones.joint[self.influences[self.weights > 0]]
        return bool(skeleton.is_joint[joints].any())

    def subtree_weights(self, skeleton: Skeleton, joint: int) -> NDArray[np.float32]:
        """How much each vertex ``(V,)`` follows `joint` or anything below it."""
        inside = skeleton.subtree(joint)[self.bones.joint]
        return np.asarray((self.weights * inside[self.influences]).sum(axis=1), dtype=np.float32)

    def carried(self, skeleton: Skeleton) -> sparse.csr_matrix:
        """The same for all joints at once ``(V, J)``, float64, with only what is not 0."""
        within = np.stack([skeleton.subtree(j) for j in range(len(skeleton))], axis=1)
        return sparse.csr_matrix(self.by_vertex @ sparse.csr_matrix(within.astype(np.float64)))
