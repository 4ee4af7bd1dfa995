"""Compiled forward kinematics, and the bones of one pose in the layout that the skin kernel reads.

A hundred joints are too few for NumPy to be worth its call overhead: these loops take a fiftieth of the time. What
each equals in plain NumPy stands in `tests/core/test_kinematics.py`.
"""

from __future__ import annotations

import numba as nb
import numpy as np

_d1 = nb.float64[::1]
_d2 = nb.float64[:, ::1]
_d3 = nb.float64[:, :, ::1]
_f2 = nb.float32[:, ::1]
_i1 = nb.int32[::1]


@nb.njit(nb.void(_i1, _d2, _d2, _d3, _d2, _d2, _d2, _d3), cache=True, nogil=True, error_model="numpy")
def forward(parents, translation, rest_rotation, stretch, rotation, added, scales, out) -> None:  # type: ignore[no-untyped-def]
    """World matrices of all joints, parents first.

    Parameters
    ----------
    parents
        ``(J,)``, -1 for none.
    translation, rest_rotation, stretch
        ``(J, 3)``, ``(J, 4)``, ``(J, 3, 3)`` of the local rest transforms.
    rotation
        ``(J, 4)`` unit quaternions of the pose, after the rest rotation.
    added
        ``(J, 3)`` translations of the pose, or ``(0, 3)``.
    scales
        ``(J, 3)`` scales that replace the rest stretch, NaN where it stays; or ``(0, 3)``.
    out
        ``(J, 4, 4)`` written in place.
    """
    turn = np.empty((3, 3))
    local = np.empty((3, 4))
    for j in range(len(parents)):
        ax, ay, az, aw = rest_rotation[j, 0], rest_rotation[j, 1], rest_rotation[j, 2], rest_rotation[j, 3]
        bx, by, bz, bw = rotation[j, 0], rotation[j, 1], rotation[j, 2], rotation[j, 3]
        x = aw * bx + bw * ax + ay * bz - az * by
        y = aw * by + bw * ay + az * bx - ax * bz
        z = aw * bz + bw * az + ax * by - ay * bx
        w = aw * bw - ax * bx - ay * by - az * bz
        turn[0, 0], turn[0, 1], turn[0, 2] = 1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)
        turn[1, 0], turn[1, 1], turn[1, 2] = 2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)
        turn[2, 0], turn[2, 1], turn[2, 2] = 2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)
        scaled = len(scales) > 0 and not np.isnan(scales[j, 0] + scales[j, 1] + scales[j, 2])
        for r in range(3):
            for c in range(3):
                if scaled:
                    local[r, c] = turn[r, c] * scales[j, c]
                else:
                    local[r, c] = (
                        turn[r, 0] * stretch[j, 0, c] + turn[r, 1] * stretch[j, 1, c] + turn[r, 2] * stretch[j, 2, c]
                    )
            local[r, 3] = translation[j, r]
            if len(added):
                local[r, 3] += added[j, r]
        p = parents[j]
        if p < 0:
            out[j, :3, :] = local
        else:
            for r in range(3):
                for c in range(4):
                    out[j, r, c] = out[p, r, 0] * local[0, c] + out[p, r, 1] * local[1, c] + out[p, r, 2] * local[2, c]
                out[j, r, 3] += out[p, r, 3]
        out[j, 3, 0] = out[j, 3, 1] = out[j, 3, 2] = 0.0
        out[j, 3, 3] = 1.0


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _quaternion(a, b, c, d, e, f, g, h, i):  # type: ignore[no-untyped-def]
    """Unit quaternion of the rotation matrix with rows ``a b c``, ``d e f``, ``g h i``: as `rotations.from_matrix`."""
    t = a + e + i
    if t >= a and t >= e and t >= i:
        x, y, z, w = h - f, c - g, d - b, 1 + t
    elif a >= e and a >= i:
        x, y, z, w = 1 + a - e - i, b + d, c + g, h - f
    elif e >= i:
        x, y, z, w = b + d, 1 + e - a - i, f + h, c - g
    else:
        x, y, z, w = c + g, f + h, 1 + i - a - e, d - b
    length = np.sqrt(x * x + y * y + z * z + w * w)
    return x / length, y / length, z / length, w / length


@nb.njit(nb.int64(_d3, _i1, _d3, _f2, _f2, _f2), cache=True, nogil=True, error_model="numpy")
def bone_rows(world, joint, inverse_bind, columns, duals, stretches) -> int:  # type: ignore[no-untyped-def]
    """Skin matrices ``G[joint] @ inverse_bind`` and their dual quaternions.

    Parameters
    ----------
    world
        ``(J, 4, 4)`` global joint matrices.
    joint, inverse_bind
        ``(B,)`` and ``(B, 4, 4)`` of the bones.
    columns
        ``(B, 16)`` written: the four columns of the upper three rows, each padded to four floats.
    duals
        ``(B, 8)`` written: real part x, y, z, w, then dual part; or ``(0, 8)`` when nobody wants them.
    stretches
        ``(B, 9)`` written: what of a bone is no rigid motion, applied first; or ``(0, 9)``.

    Returns
    -------
    int
        0 when all bones are rigid; 1 when some are also larger, smaller or mirrored by the same in all directions,
        which `stretches` then says; 2 when one is not: then `bones.rigid_bones` has to split them.
    """
    kind = 0
    m = np.empty((3, 4))
    for b in range(len(joint)):
        g = joint[b]
        for r in range(3):
            for c in range(4):
                m[r, c] = (
                    world[g, r, 0] * inverse_bind[b, 0, c]
                    + world[g, r, 1] * inverse_bind[b, 1, c]
                    + world[g, r, 2] * inverse_bind[b, 2, c]
                    + world[g, r, 3] * inverse_bind[b, 3, c]
                )
        for c in range(4):
            for r in range(3):
                columns[b, 4 * c + r] = m[r, c]
            columns[b, 4 * c + 3] = 0
        if len(duals) == 0 or kind == 2:
            continue
        square = m[0, 0] * m[0, 0] + m[1, 0] * m[1, 0] + m[2, 0] * m[2, 0]
        even = square > 1e-24
        for r in range(3):
            for c in range(r, 3):
                dot = m[0, r] * m[0, c] + m[1, r] * m[1, c] + m[2, r] * m[2, c]
                even = even and abs(dot - (square if r == c else 0.0)) < 1e-6 * square
        if not even:
            kind = 2
            continue
        determinant = (
            m[0, 0] * (m[1, 1] * m[2, 2] - m[1, 2] * m[2, 1])
            - m[0, 1] * (m[1, 0] * m[2, 2] - m[1, 2] * m[2, 0])
            + m[0, 2] * (m[1, 0] * m[2, 1] - m[1, 1] * m[2, 0])
        )
        size = np.sqrt(square) if determinant > 0 else -np.sqrt(square)
        if abs(size - 1) > 1e-6:
            kind = 1
        for k in range(9):
            stretches[b, k] = size if k % 4 == 0 else 0
        for r in range(3):
            for c in range(3):
                m[r, c] /= size
        x, y, z, w = _quaternion(
            m[0, 0], m[0, 1], m[0, 2], m[1, 0], m[1, 1], m[1, 2], m[2, 0], m[2, 1], m[2, 2]
        )  # fmt: skip
        p, q, s = 0.5 * m[0, 3], 0.5 * m[1, 3], 0.5 * m[2, 3]
        duals[b, 0], duals[b, 1], duals[b, 2], duals[b, 3] = x, y, z, w
        duals[b, 4] = w * p + q * z - s * y
        duals[b, 5] = w * q + s * x - p * z
        duals[b, 6] = w * s + p * y - q * x
        duals[b, 7] = -(p * x + q * y + s * z)
    return kind


@nb.njit(nb.float64(_d3, _f2), cache=True, nogil=True, error_model="numpy")
def frames(world, out) -> float:  # type: ignore[no-untyped-def]
    """Places and orientations of joints: ``(J, 4, 4)`` to ``(J, 7)``, x, y, z, then quaternion x, y, z, w.

    Returns
    -------
    float
        The largest of all numbers by size; infinite when one is not a number.
    """
    m = np.empty((3, 3))
    farthest = 0.0
    for j in range(len(world)):
        for c in range(3):
            length = np.sqrt(world[j, 0, c] ** 2 + world[j, 1, c] ** 2 + world[j, 2, c] ** 2)
            for r in range(3):
                m[r, c] = world[j, r, c] / max(length, 1e-12)
            out[j, c] = world[j, c, 3]
        x, y, z, w = _quaternion(
            m[0, 0], m[0, 1], m[0, 2], m[1, 0], m[1, 1], m[1, 2], m[2, 0], m[2, 1], m[2, 2]
        )  # fmt: skip
        out[j, 3], out[j, 4], out[j, 5], out[j, 6] = x, y, z, w
        for k in range(7):
            farthest = max(farthest, abs(out[j, k])) if np.isfinite(out[j, k]) else np.inf
    return farthest
