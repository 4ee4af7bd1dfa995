"""Skin matrices and dual quaternions of a character's bones, for one pose."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.skin.binding import Bones


def skin_matrices(bones: Bones, global_matrices: Array) -> Array:
    """``S = G[joint] @ inverse_bind``, ``(B, 4, 4)``: from the part's space at rest to the posed world."""
    return np.asarray(global_matrices[bones.joint] @ bones.inverse_bind)


@dataclass(frozen=True)
class RigidBones:
    """Skin matrices split into a stretch and a rigid motion: ``S x = R (stretch x) + t``.

    Parameters
    ----------
    stretch
        ``(B, 3, 3)`` the symmetric part of the polar decomposition; applied to the rest point first.
    dual
        ``(B, 8)`` unit dual quaternions: real part ``(x, y, z, w)``, then dual part.
    """

    stretch: Array
    dual: Array


def rigid_bones(matrices: Array) -> RigidBones:
    """Split skin matrices ``(B, 4, 4)`` for dual quaternion skinning.

    References
    ----------
    Kavan, Collins, Zara, O'Sullivan, "Skinning with dual quaternions", I3D 2007 (from memory).
    """
    shift = np.concatenate([matrices[:, :3, 3], np.zeros((len(matrices), 1))], axis=1)
    linear = matrices[:, :3, :3]
    lengths = np.swapaxes(linear, 1, 2) @ linear
    if np.abs(lengths - np.eye(3)).max() < 1e-6 and (np.linalg.det(linear) > 0).all():
        # The usual case needs no decomposition.
        real = rotations.from_matrix(linear)
        stretch = np.broadcast_to(np.eye(3), linear.shape)
        return RigidBones(stretch, np.concatenate([real, 0.5 * rotations.multiply(shift, real)], axis=1))
    u, s, vt = np.linalg.svd(linear)
    flip = np.linalg.det(u @ vt) < 0
    # A mirrored bone has no rotation part of determinant 1: the mirror goes into the stretch.
    vt = np.where(flip[:, None, None], -vt, vt)
    s = np.where(flip[:, None], -s, s)
    stretch = np.swapaxes(vt, 1, 2) @ (s[:, :, None] * vt)
    real = rotations.from_matrix(u @ vt)
    return RigidBones(stretch, np.concatenate([real, 0.5 * rotations.multiply(shift, real)], axis=1))
