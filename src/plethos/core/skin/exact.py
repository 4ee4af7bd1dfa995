"""Skinning in float64 with plain NumPy: what the kernels must equal, and what the corrective solver inverts.

With everything that is on held fixed, the skin is affine in the rest point of each vertex:
``y = M x + c``. `affine_skin` gives M and c, for linear, dual quaternion and blended skinning alike.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.skin.bones import rigid_bones


def affine_skin(
    matrices: Array, influences: NDArray[np.int32], weights: NDArray[np.floating], blend: NDArray[np.floating]
) -> tuple[Array, Array]:
    """The affine map of each vertex from its rest point to the posed world.

    Parameters
    ----------
    matrices
        Skin matrices ``(B, 4, 4)``.
    influences, weights
        ``(V, K)`` bone rows and their weights.
    blend
        ``(V,)`` 0 = linear, 1 = dual quaternion.

    Returns
    -------
    linear, offset
        ``(V, 3, 3)`` and ``(V, 3)`` float64.
    """
    w = weights.astype(np.float64)
    affine = np.einsum("vk,vkij->vij", w, matrices[influences, :3, :])
    linear, offset = affine[:, :, :3].copy(), affine[:, :, 3].copy()
    on = np.flatnonzero(blend > 0)
    if len(on):
        dq_linear, dq_offset = _dual_quaternion_map(matrices, influences[on], w[on])
        m = blend[on].astype(np.float64)
        linear[on] = (1 - m)[:, None, None] * linear[on] + m[:, None, None] * dq_linear
        offset[on] = (1 - m)[:, None] * offset[on] + m[:, None] * dq_offset
    return linear, offset


def _dual_quaternion_map(matrices: Array, influences: NDArray[np.int32], w: Array) -> tuple[Array, Array]:
    """Affine maps of dual quaternion skinning; the largest weight decides the hemisphere."""
    rigid = rigid_bones(matrices)
    dual = rigid.dual[influences]
    pivot = dual[np.arange(len(w)), w.argmax(axis=1), :4]
    sign = np.where(np.einsum("vki,vi->vk", dual[:, :, :4], pivot) < 0, -1.0, 1.0)
    blended = np.einsum("vk,vki->vi", w * sign, dual)
    blended /= np.maximum(np.linalg.norm(blended[:, :4], axis=1, keepdims=True), 1e-12)
    real, part = blended[:, :4], blended[:, 4:]
    shift = 2 * rotations.multiply(part, rotations.conjugate(real))[:, :3]
    stretch = np.einsum("vk,vkij->vij", w, rigid.stretch[influences])
    return rotations.to_matrix(real) @ stretch, shift


def apply_skin(linear: Array, offset: Array, points: NDArray[np.floating]) -> Array:
    """``y = M x + c`` for points ``(V, 3)``."""
    return np.asarray(np.einsum("vij,vj->vi", linear, points.astype(np.float64)) + offset)
