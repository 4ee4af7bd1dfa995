"""Volume heat: how far each vertex lies from the bones, against rest.

The volume under a small patch of a limb goes with the square of its distance to the bone, so the field is
``(distance / rest distance)^2 - 1``: -0.3 means that 30 % of the volume under this patch is gone.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.geometry.rotations import Array
from plethos.core.measure.kernels import bone_segments, depth_change, nearest_bones, squared_depths


@dataclass(frozen=True)
class DepthField:
    """A character's vertices with the bones that run under them.

    Parameters
    ----------
    up
        ``(J,)`` the joint that each joint's bone comes from: its parent, or itself.
    bones
        ``(V, 3)`` joints whose bones are the three nearest at rest: after bending, the nearest of the three counts.
    least, rest
        The least squared distance that counts, and those at rest ``(V,)``, square metres.
    """

    up: NDArray[np.int32]
    bones: NDArray[np.int32]
    least: float
    rest: Array

    @classmethod
    def of(cls, character: Character, rest: NDArray[np.floating]) -> DepthField:
        """Find the bones under each vertex at rest (`rest`: world points ``(V, 3)``)."""
        skeleton = character.skeleton
        parents = np.array(skeleton.joint_parents, dtype=np.int32)
        up = np.where(parents >= 0, parents, np.arange(len(parents), dtype=np.int32))
        own = np.flatnonzero(skeleton.is_joint)
        real = own[parents[own] >= 0]
        candidates = (real if len(real) else own).astype(np.int32)
        segments = bone_segments(up, np.ascontiguousarray(skeleton.rest_global[:, :3, 3]))
        found = nearest_bones(rest, segments, candidates, min(3, len(candidates)))
        bones = np.concatenate([found] * 3, axis=1)[:, :3]
        squared = squared_depths(rest, bones, segments)
        # A vertex on a bone has no depth to lose.
        least = max(1e-6 * float(squared.max(initial=0.0)), 1e-18)
        return cls(up, bones, least, np.maximum(squared, least))

    def change(self, points: NDArray[np.floating], joints_at: Array) -> NDArray[np.float32]:
        """Volume change ``(V,)`` under each vertex against rest, -1 = all lost; `joints_at` ``(J, 3)`` posed."""
        segments = bone_segments(self.up, joints_at)
        return np.asarray(depth_change(points, self.bones, segments, self.least, self.rest))
