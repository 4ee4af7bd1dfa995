"""Volume heat: how far each vertex lies from the bones, against rest.

The volume under a small patch of a limb goes with the square of its distance to the bone, so the field is
``(distance / rest distance)^2 - 1``: -0.3 means that 30 % of the volume under this patch is gone.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.rotations import Array


@dataclass(frozen=True)
class DepthField:
    """A character's vertices with the bones that run under them.

    Parameters
    ----------
    bones
        ``(V, 3)`` joints whose bone (towards its parent) is the nearest at rest, that joint's parent, and its
        nearest child: after bending, the nearest of the three counts.
    rest_distance
        ``(V,)`` metres, at least `least`.
    """

    parents: NDArray[np.int32]
    bones: NDArray[np.int32]
    rest_distance: Array
    least: float = 0.0

    @classmethod
    def of(cls, character: Character, rest: NDArray[np.floating]) -> DepthField:
        """Find the bones under each vertex at rest (`rest`: world points ``(V, 3)``)."""
        skeleton = character.skeleton
        parents = np.array(skeleton.joint_parents, dtype=np.int32)
        at = skeleton.rest_global[:, :3, 3]
        real = [j for j in range(len(skeleton)) if skeleton.is_joint[j] and parents[j] >= 0]
        own = [j for j in range(len(skeleton)) if skeleton.is_joint[j]]
        candidates = np.array(real or own, dtype=np.int32)
        start = at[np.where(parents[candidates] >= 0, parents[candidates], candidates)]
        distance = np.stack([_segment_distance(rest, s, e) for s, e in zip(start, at[candidates], strict=True)], axis=1)
        order = np.argsort(distance, axis=1)[:, :3]
        if order.shape[1] < 3:
            order = np.concatenate([order] * 3, axis=1)[:, :3]
        bones = candidates[order].astype(np.int32)
        field = cls(parents, bones, np.ones(len(rest)))
        least = field.distances(rest, at)
        floor = 1e-3 * max(float(least.max()), 1e-9)
        return cls(parents, bones, np.maximum(least, floor), floor)

    def distances(self, points: NDArray[np.floating], joints_at: Array) -> Array:
        """Distance ``(V,)`` of posed points to the nearest of their bones; `joints_at` ``(J, 3)`` posed."""
        best = np.full(len(points), np.inf)
        for k in range(3):
            j = self.bones[:, k]
            up = np.where(self.parents[j] >= 0, self.parents[j], j)
            best = np.minimum(best, _segment_distance(points, joints_at[up], joints_at[j]))
        return best

    def change(self, points: NDArray[np.floating], joints_at: Array) -> NDArray[np.float32]:
        """Volume change ``(V,)`` under each vertex against rest, -1 = all lost."""
        # A vertex on a bone has no depth to lose.
        ratio = np.maximum(self.distances(points, joints_at), self.least) / self.rest_distance
        return np.asarray(np.clip(ratio**2 - 1, -1, 1), dtype=np.float32)


def _segment_distance(points: NDArray[np.floating], start: Array, end: Array) -> Array:
    """Distance of points ``(V, 3)`` to segments ``(3,)`` or ``(V, 3)``."""
    along = end - start
    length = np.maximum((along * along).sum(axis=-1), 1e-18)
    t = np.clip(((points - start) * along).sum(axis=-1) / length, 0, 1)
    return np.asarray(np.linalg.norm(points - start - t[..., None] * along, axis=-1))
