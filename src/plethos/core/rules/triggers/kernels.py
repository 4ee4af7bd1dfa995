"""The compiled loops over products and pose sets: all of one kind in one call, so that none costs a Python call.

Numba's disk cache sees changes of this file only: what the loops share has to stay here.
"""

# mypy: disable-error-code="no-untyped-call, no-any-return"
from __future__ import annotations

import numba as nb
import numpy as np

_d1 = nb.float64[::1]
_d2 = nb.float64[:, ::1]
_i1 = nb.int32[::1]
_i2 = nb.int32[:, ::1]
SWING, TWIST, BOTH = 0, 1, 2  # which points of a pose set stand for a rotation
FADED = (np.cos(np.radians(85)), np.cos(np.radians(75)))  # cosines of half the swing between which a twist fades


@nb.njit(nb.void(_i1, _i1, _i1, _d1), cache=True, nogil=True, error_model="numpy")
def product_values(offsets, read, to, values) -> None:  # type: ignore[no-untyped-def]
    """Products of values, each clamped to [0, 1]: those of product n are ``read[offsets[n]:offsets[n + 1]]``."""
    for n in range(len(to)):
        product = 1.0
        for e in range(offsets[n], offsets[n + 1]):
            product *= min(max(values[read[e]], 0.0), 1.0)
        values[to[n]] = product


@nb.njit(nb.void(_d2, _i1, _d2, _i1, _d2), cache=True, nogil=True, error_model="numpy")
def pose_points(rotations, joint, axis, kind, out) -> None:  # type: ignore[no-untyped-def]
    """The points that stand for rotations: one rotation a row.

    Parameters
    ----------
    joint, axis, kind
        ``(N,)``, ``(N, 3)``, ``(N,)``: row n is the rotation of a joint, about its axis, by swing, twist or both.
    out
        ``(N, 9)`` written: where the axis goes (3), cosine and sine of the twist (2), or the matrix over root 2 (9);
        what a kind does not use is 0. Two rotations t apart are ``2 sin(t / 2)`` apart in each. A twist fades towards
        none where the axis is swung by 150 to 170 degrees (`FADED`): beyond, a hair's turn would be half a turn of it.
    """
    low, high = FADED
    for n in range(len(joint)):
        j = joint[n]
        x, y, z, w = rotations[j, 0], rotations[j, 1], rotations[j, 2], rotations[j, 3]
        a, b, c = axis[n, 0], axis[n, 1], axis[n, 2]
        for k in range(9):
            out[n, k] = 0.0
        if kind[n] == TWIST:
            along = x * a + y * b + z * c
            size = along * along + w * w
            if size < 1e-18:
                out[n, 0] = 1.0
            else:
                t = min(max((np.sqrt(size) - low) / (high - low), 0.0), 1.0)
                sure = t * t * (3 - 2 * t)
                out[n, 0] = 1 - sure + sure * (w * w - along * along) / size
                out[n, 1] = sure * 2 * w * along / size
            continue
        m00, m01, m02 = 1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)
        m10, m11, m12 = 2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)
        m20, m21, m22 = 2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)
        if kind[n] == SWING:
            out[n, 0] = m00 * a + m01 * b + m02 * c
            out[n, 1] = m10 * a + m11 * b + m12 * c
            out[n, 2] = m20 * a + m21 * b + m22 * c
        else:
            s = np.sqrt(0.5)
            out[n, 0], out[n, 1], out[n, 2] = s * m00, s * m01, s * m02
            out[n, 3], out[n, 4], out[n, 5] = s * m10, s * m11, s * m12
            out[n, 6], out[n, 7], out[n, 8] = s * m20, s * m21, s * m22


@nb.njit(nb.void(_i1, _i1, _i2, _d2, _d2, _d1, _i1, _d1, _i1, _d1, _d1), cache=True, nogil=True, error_model="numpy")
def set_values(first, joints, row, stored, here, radius, inverse_at, inverse, to, closeness, values) -> None:  # type: ignore[no-untyped-def]
    """The values of pose sets.

    Parameters
    ----------
    first
        ``(S + 1,)``: set s holds the stored poses ``first[s]:first[s + 1]``, rest the first of them.
    joints
        ``(S,)`` how many joints a set reads.
    row
        ``(P, M)`` for each stored pose and joint the row of `here` that it is compared with.
    stored, here
        ``(P * M, 9)`` and ``(N, 9)`` of `pose_points`.
    radius
        ``(S,)`` of the Gaussian, a distance between points.
    inverse_at, inverse
        Where in `inverse` the matrix of set s begins, by rows.
    to
        ``(P,)`` where each pose is written, -1 for rest.
    closeness
        ``(P,)`` scratch.
    """
    most = row.shape[1]
    for s in range(len(joints)):
        low, count = first[s], first[s + 1] - first[s]
        for p in range(low, low + count):
            d = 0.0
            for m in range(joints[s]):
                r = row[p, m]
                for k in range(9):
                    d += (stored[p * most + m, k] - here[r, k]) ** 2
            closeness[p] = np.exp(-d / radius[s] ** 2)
        total = 0.0
        for p in range(count):
            weight = 0.0
            for q in range(count):
                weight += closeness[low + q] * inverse[inverse_at[s] + q * count + p]
            weight = min(max(weight, 0.0), 1.0)
            if to[low + p] >= 0:
                values[to[low + p]] = weight
                total += weight
        if total > 1.0:
            for p in range(count):
                if to[low + p] >= 0:
                    values[to[low + p]] /= total
