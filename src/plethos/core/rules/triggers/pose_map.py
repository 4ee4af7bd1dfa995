"""Where the weights of a pose set lie, seen from the joint: over all ways its bone can swing, or all its twists.

The swings of a bone are laid flat with their angles kept from the middle out (an azimuthal equidistant projection): the
middle is rest, the rim a swing of half a turn.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.rules.triggers.pose_set import PoseSet
from plethos.core.skeleton.pose import Pose


@dataclass(frozen=True, eq=False)
class PoseMap:
    """The weights of a set over the swings, and over the twists, of one of its joints.

    Parameters
    ----------
    swings
        ``(N, N, P)`` over the square round the disc, first up, then right; NaN outside of it.
    twists
        ``(T, P)`` from half a turn back to half a turn on, where the joint swings as in the pose.
    poses
        ``(P, 3)`` where each stored pose lies: right and up in the disc, -1 to 1, and its twist, radians.
    here
        The same ``(3,)`` of the present pose.
    """

    swings: Array
    twists: Array
    poses: Array
    here: Array

    @classmethod
    def of(cls, pose_set: PoseSet, joint: int, pose: Pose, across: int = 33, along: int = 73) -> PoseMap:
        """The map of a set round one of its joints; the others stay as in the pose.

        Raises
        ------
        BadEditError
            When the set does not read the joint.
        """
        if joint not in pose_set.joints:
            raise BadEditError("That joint is not one of those that the stored poses are of.")
        k = pose_set.joints.index(joint)
        axis = np.array(pose_set.axes[k])
        right, up = _across(axis)
        now = np.stack([pose.rotations[j] for j in pose_set.joints])
        swing, twist = (q[0] for q in rotations.swing_twist(now[None, k], axis))
        grid = np.linspace(-1, 1, across)
        u, v = (g.ravel() for g in np.meshgrid(grid, grid))
        inside = np.hypot(u, v) <= 1
        turned = np.repeat(now[None], int(inside.sum()), axis=0)
        turned[:, k] = rotations.multiply(_swing(u[inside], v[inside], axis, right, up), twist)
        swings = np.full((across * across, len(pose_set.poses)), np.nan)
        swings[inside] = pose_set.weights(turned)
        about = np.repeat(now[None], along, axis=0)
        about[:, k] = [
            rotations.multiply(swing, rotations.from_axis_angle(axis, t)) for t in np.linspace(-np.pi, np.pi, along)
        ]
        stored = np.array([p.rotations[k] for p in pose_set.poses])
        return cls(
            swings.reshape(across, across, -1),
            pose_set.weights(about),
            _seen(stored, axis, right, up),
            _seen(now[None, k], axis, right, up)[0],
        )


def _across(axis: Array) -> tuple[Array, Array]:
    """Two axes across a bone: to the right and up where it is looked at from its end."""
    aside = np.eye(3)[int(np.argmin(np.abs(axis)))]
    right = np.cross(aside, axis)
    right /= np.linalg.norm(right)
    return right, np.cross(axis, right)


def _swing(u: Array, v: Array, axis: Array, right: Array, up: Array) -> Array:
    """The swings ``(N, 4)`` that take the bone to places of the disc."""
    length = np.hypot(u, v)
    safe = np.maximum(length, 1e-12)
    way = (u / safe)[:, None] * right + (v / safe)[:, None] * up
    half = 0.5 * np.pi * length
    return np.concatenate([np.sin(half)[:, None] * np.cross(axis, way), np.cos(half)[:, None]], axis=1)


def _seen(turned: Array, axis: Array, right: Array, up: Array) -> Array:
    """Where rotations ``(N, 4)`` lie: in the disc, and their twist ``(N, 3)``."""
    gone = np.einsum("nij,j->ni", rotations.to_matrix(turned), axis)
    share = np.arccos(np.clip(gone @ axis, -1, 1)) / np.pi
    way = np.stack([gone @ right, gone @ up], axis=1)
    length = np.maximum(np.linalg.norm(way, axis=1), 1e-12)
    twist = rotations.twist_angle(turned, axis)
    return np.concatenate([share[:, None] * way / length[:, None], np.reshape(twist, (-1, 1))], axis=1)
