"""A pose that is stored in a set, and how it is read."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.geometry.rotations import Array, normalize
from plethos.core.skeleton.names import new_id
from plethos.core.skeleton.pose import Pose


@dataclass(frozen=True)
class StoredPose:
    """One pose of a set, and the value that says how close the character is to it.

    Parameters
    ----------
    rotations
        One quaternion ``(x, y, z, w)`` for each joint of the set, from rest in its rest frame.
    by
        What counts: ``swing``, ``twist`` or ``both``.
    """

    rotations: tuple[tuple[float, float, float, float], ...]
    by: str = "swing"
    name: str = ""
    id: str = field(default_factory=new_id)


def stored_as_held(joints: Sequence[int], pose: Pose, by: str, name: str) -> StoredPose:
    """How some joints are turned in a pose, to be stored."""
    return StoredPose(tuple(quaternion_of(pose.rotations[j]) for j in joints), by, name)


def quaternion_of(q: Array) -> tuple[float, float, float, float]:
    """A rotation as plain numbers of length 1.

    Raises
    ------
    BadEditError
        When it is none.
    """
    most = float(np.abs(q).max(initial=0.0))
    if q.shape != (4,) or not 1e-6 <= most < np.inf:
        raise BadEditError("A rotation of a pose set has to be four finite numbers that are not all zero.")
    x, y, z, w = normalize(q / most if most > 1e100 else q).tolist()  # so that no length overflows
    return (x, y, z, w)
