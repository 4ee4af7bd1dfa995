"""Frames of joints: Y along the bone, Z the hinge."""

from __future__ import annotations

import numpy as np

from plethos.core.geometry.rotations import Array


def frame_along(bone: Array, hinge: Array) -> Array:
    """The frame ``(3, 3)`` with Y along `bone` and Z as near to `hinge` as a right angle allows; columns X, Y, Z."""
    y = bone / np.linalg.norm(bone)
    z = hinge - y * (hinge @ y)
    if np.linalg.norm(z) < 1e-9:
        # The hinge lies along the bone: any axis across it.
        z = np.eye(3)[int(np.argmin(np.abs(y)))]
        z = z - y * (z @ y)
    z = z / np.linalg.norm(z)
    return np.stack([np.cross(y, z), y, z], axis=1)
