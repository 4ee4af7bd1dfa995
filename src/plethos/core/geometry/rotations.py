"""Rotations as unit quaternions.

Conventions, once for the whole program: quaternions are ``(x, y, z, w)`` as in glTF, float64, in the last
axis of an array; ``multiply(a, b)`` turns by ``b`` first and then by ``a``; angles are radians; Euler
angles are intrinsic X, then Y, then Z (``R = Rx Ry Rz``). ``q`` and ``-q`` are the same rotation.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]
IDENTITY: Array = np.array([0.0, 0.0, 0.0, 1.0])


def normalize(q: ArrayLike) -> Array:
    """Scale quaternions ``(..., 4)`` to length 1; a zero quaternion becomes the identity."""
    q = np.asarray(q, dtype=np.float64)
    length = np.linalg.norm(q, axis=-1, keepdims=True)
    return np.where(length > 1e-12, q / np.maximum(length, 1e-12), IDENTITY)


def multiply(a: ArrayLike, b: ArrayLike) -> Array:
    """Hamilton product ``a b`` of quaternions ``(..., 4)``: turn by `b`, then by `a`."""
    a, b = np.asarray(a, dtype=np.float64), np.asarray(b, dtype=np.float64)
    av, aw, bv, bw = a[..., :3], a[..., 3:], b[..., :3], b[..., 3:]
    vector = aw * bv + bw * av + np.cross(av, bv)
    scalar = aw * bw - np.sum(av * bv, axis=-1, keepdims=True)
    return np.concatenate([vector, scalar], axis=-1)


def conjugate(q: ArrayLike) -> Array:
    """The inverse rotation of unit quaternions ``(..., 4)``."""
    return np.asarray(np.asarray(q, dtype=np.float64) * np.array([-1.0, -1.0, -1.0, 1.0]))


def from_axis_angle(axis: ArrayLike, angle: ArrayLike) -> Array:
    """Quaternions ``(..., 4)`` that turn by `angle` (radians) about `axis` ``(..., 3)`` (any length but 0)."""
    given = np.asarray(axis, dtype=np.float64)
    unit = given / np.linalg.norm(given, axis=-1, keepdims=True)
    half = np.asarray(angle, dtype=np.float64)[..., None] / 2
    return np.concatenate([unit * np.sin(half), np.cos(half) * np.ones_like(unit[..., :1])], axis=-1)


def from_euler_xyz_deg(angles: ArrayLike) -> Array:
    """Quaternions ``(..., 4)`` of intrinsic X-Y-Z Euler angles ``(..., 3)`` in degrees."""
    x, y, z = np.moveaxis(np.radians(np.asarray(angles, dtype=np.float64)), -1, 0)
    qx = from_axis_angle(np.broadcast_to([1.0, 0, 0], (*x.shape, 3)), x)
    qy = from_axis_angle(np.broadcast_to([0, 1.0, 0], (*y.shape, 3)), y)
    qz = from_axis_angle(np.broadcast_to([0, 0, 1.0], (*z.shape, 3)), z)
    return multiply(multiply(qx, qy), qz)


def to_matrix(q: ArrayLike) -> Array:
    """Rotation matrices ``(..., 3, 3)`` of unit quaternions ``(..., 4)``; columns are the turned axes."""
    x, y, z, w = np.moveaxis(np.asarray(q, dtype=np.float64), -1, 0)
    rows = [
        [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
        [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
        [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
    ]
    return np.stack([np.stack(row, axis=-1) for row in rows], axis=-2)


def from_matrix(m: ArrayLike) -> Array:
    """Unit quaternions ``(..., 4)`` of rotation matrices ``(..., 3, 3)``.

    Takes, for each matrix, the largest of the four candidate components as the pivot, so that it is
    accurate near every rotation (Shepperd 1978, from memory).
    """
    m = np.asarray(m, dtype=np.float64)
    d = np.stack([m[..., 0, 0], m[..., 1, 1], m[..., 2, 2]], axis=-1)
    trace = d.sum(-1)
    # Row i of `outer` is the quaternion times four times its own component i (order x, y, z, w).
    outer = np.empty((*m.shape[:-2], 4, 4))
    for i in range(3):
        outer[..., i, i] = 1 + 2 * d[..., i] - trace
        for j in range(3):
            if i != j:
                outer[..., i, j] = m[..., i, j] + m[..., j, i]
    outer[..., 3, 3] = 1 + trace
    skew = np.stack([m[..., 2, 1] - m[..., 1, 2], m[..., 0, 2] - m[..., 2, 0], m[..., 1, 0] - m[..., 0, 1]], axis=-1)
    outer[..., :3, 3] = skew
    outer[..., 3, :3] = skew
    best = np.argmax(np.concatenate([d, trace[..., None]], axis=-1), axis=-1)
    return normalize(np.take_along_axis(outer, best[..., None, None], axis=-2)[..., 0, :])


def shortest(a: ArrayLike, b: ArrayLike) -> Array:
    """The shortest turn ``(4,)`` from one direction ``(3,)`` to another; of opposite ones any half turn."""
    one, two = (v / max(float(np.linalg.norm(v)), 1e-30) for v in (np.asarray(a, float), np.asarray(b, float)))
    if one @ two < -1 + 1e-12:
        side = np.cross(one, [1.0, 0, 0]) if abs(one[0]) < 0.9 else np.cross(one, [0, 1.0, 0])
        return from_axis_angle(side, np.pi)
    return normalize(np.append(np.cross(one, two), 1 + one @ two))


def rotation_part(m: Array) -> Array:
    """The rotation ``(3, 3)`` of a matrix: its columns when they are at right angles, else by polar decomposition."""
    length = np.linalg.norm(m, axis=0)
    if (length > 1e-12).all():
        columns = m / length
        if np.abs(columns.T @ columns - np.eye(3)).max() < 1e-5:
            return np.asarray(columns if np.linalg.det(columns) > 0 else -columns)
    u, _, vt = np.linalg.svd(m)
    return np.asarray(u @ vt if np.linalg.det(u @ vt) > 0 else u @ np.diag([1.0, 1.0, -1.0]) @ vt)


def rotation_or_mirror(m: Array) -> Array:
    """The orthogonal matrix ``(..., 3, 3)`` nearest to a matrix; it mirrors if the matrix does."""
    u, _, vt = np.linalg.svd(m)
    return np.asarray(u @ vt)


def axis_map(m: Array) -> Array:
    """How axes of turns go through a linear map ``(3, 3)`` that keeps angles: a rotation ``(3, 3)``.

    They are pseudovectors: where the map mirrors, its negative counts.
    """
    turn = rotation_or_mirror(m)
    return np.asarray(np.sign(np.linalg.det(turn)) * turn)


def angle(q: ArrayLike) -> Array:
    """Rotation angle in ``[0, pi]`` of unit quaternions ``(..., 4)``."""
    q = np.asarray(q, dtype=np.float64)
    return np.asarray(2 * np.arctan2(np.linalg.norm(q[..., :3], axis=-1), np.abs(q[..., 3])))


def axis_and_angle(q: ArrayLike) -> tuple[Array, float]:
    """Unit axis ``(3,)`` and angle in ``[0, pi]`` of one quaternion; the axis of no rotation is +X."""
    q = np.asarray(q, dtype=np.float64)
    if q[3] < 0:
        q = -q
    length = float(np.linalg.norm(q[:3]))
    if length < 1e-12:
        return np.array([1.0, 0.0, 0.0]), 0.0
    return q[:3] / length, float(2 * np.arctan2(length, q[3]))


def twist_angle(q: ArrayLike, axis: ArrayLike, middle: float = 0.0) -> Array:
    """Angle of the twist about a unit `axis`, radians in ``(middle - pi, middle + pi]``.

    The cut, where the angle jumps by a turn, lies opposite `middle`. At a swing of 180 degrees the twist is undefined:
    0 is returned, so that nothing downstream sees a NaN. `q` and ``-q`` give the same angle.
    """
    q = np.asarray(q, dtype=np.float64)
    along = q[..., :3] @ np.asarray(axis, dtype=np.float64)
    w = q[..., 3]
    undefined = np.hypot(along, w) < 1e-9
    turned = 2 * np.arctan2(along, w)
    # At the cut itself rounding must not decide.
    turns = np.ceil((turned - middle - np.pi) / (2 * np.pi) - 1e-12)
    return np.asarray(np.where(undefined, 0.0, turned - 2 * np.pi * turns))


def swing_twist(q: ArrayLike, axis: ArrayLike) -> tuple[Array, Array]:
    """Split one rotation into ``swing * twist``, the twist being about the unit `axis`.

    Returns
    -------
    swing, twist
        Quaternions ``(..., 4)`` with ``multiply(swing, twist) == q``; see `twist_angle` for swing 180.
    """
    axis = np.asarray(axis, dtype=np.float64)
    turn = twist_angle(q, axis)
    twist = from_axis_angle(np.broadcast_to(axis, (*turn.shape, 3)), turn)
    return multiply(q, conjugate(twist)), twist


def slerp(a: ArrayLike, b: ArrayLike, t: float | Array) -> Array:
    """Spherical interpolation of unit quaternions ``(..., 4)`` along the shorter way, by a share or by ``(..., 1)``."""
    a, b = np.asarray(a, dtype=np.float64), np.asarray(b, dtype=np.float64)
    dot = np.sum(a * b, axis=-1, keepdims=True)
    b = np.where(dot < 0, -b, b)
    theta = np.arccos(np.clip(np.abs(dot), 0, 1))
    s = np.sin(theta)
    near = s < 1e-6
    s = np.where(near, 1.0, s)
    wa = np.where(near, 1 - t, np.sin((1 - t) * theta) / s)
    wb = np.where(near, t, np.sin(t * theta) / s)
    return normalize(wa * a + wb * b)
