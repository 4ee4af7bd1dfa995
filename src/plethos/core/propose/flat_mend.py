"""A first mend for a drawing: each point turns about the joint by its own share, so that the limb keeps its width."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import ALL, Acting, Evaluator
from plethos.core.rotations import Array, twist_angle
from plethos.core.skeleton import Pose

Z = np.array([0.0, 0.0, 1.0])
LEAST = np.radians(1.0)


def width_kept(character: Character, joint: int, pose: Pose, acting: Acting = ALL, share: float = 1.0) -> Array:
    """Posed points ``(V, 3)`` with the width at a bent joint given back.

    Parameters
    ----------
    share
        How much of it, 0 = as it is posed, 1 = all.

    Raises
    ------
    BadEditError
        When the character is no drawing, or the joint is not bent in its plane.

    Notes
    -----
    Linear skinning takes a point of weight w along the chord between where it would be unbent and where it would be
    wholly turned: half of both sides of a limb at a joint come together by cos(t / 2). Here the point goes along the
    arc, by w t about the joint, and its distance from the joint stays.
    """
    if not character.mesh.is_flat:
        raise BadEditError("This is no drawing.")
    angle = float(twist_angle(pose.rotations[joint], Z, 0.0))
    if abs(angle) < LEAST:
        raise BadEditError(f"“{character.skeleton.names[joint]}” is not bent: bend it first.")
    evaluator = Evaluator.of(character)
    straight = evaluator.pose(pose.with_rotation(joint, np.array([0.0, 0.0, 0.0, 1.0])), acting)
    posed = evaluator.pose(pose, acting)
    weight = character.binding.subtree_weights(character.skeleton, joint).astype(np.float64)
    at = straight.world[joint, :3, 3]
    turned = at + _turned(straight.exact_points() - at, angle * weight)
    now = posed.exact_points()
    shared = (weight > 1e-6) & (weight < 1 - 1e-6)
    out = now.copy()
    out[shared] += share * (turned[shared] - now[shared])
    return out


def _turned(places: Array, angles: NDArray[np.floating]) -> Array:
    """Places ``(N, 3)`` turned about z by angles ``(N,)``."""
    cosine, sine = np.cos(angles), np.sin(angles)
    x, y = places[:, 0], places[:, 1]
    return np.stack([cosine * x - sine * y, sine * x + cosine * y, places[:, 2]], axis=1)
