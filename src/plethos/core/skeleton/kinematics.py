"""Compiled, from a pose to bones: hinges, weights of targets, forward kinematics, bones as the skin kernel reads them.

A hundred joints are too few for NumPy to be worth its call overhead: these loops take a fiftieth of the time. What
each equals in plain NumPy stands in `tests/core/skeleton/test_kinematics.py`. Where a version needs nothing else, all
of it is one call (`from_hinges`). Numba's disk cache sees changes of this file only: what the loops share has to stay
here.
"""

# mypy: disable-error-code="no-untyped-call, no-any-return"
from __future__ import annotations

import numba as nb
import numpy as np

_d1 = nb.float64[::1]
_d2 = nb.float64[:, ::1]
_d3 = nb.float64[:, :, ::1]
_f1 = nb.float32[::1]
_f2 = nb.float32[:, ::1]
_i1 = nb.int32[::1]
TURN = 2 * np.pi
DEGREES = 180 / np.pi
NO_DUALS, NO_STRETCHES = np.empty((0, 8), np.float32), np.empty((0, 9), np.float32)  # for who wants none


@nb.njit(cache=True, nogil=True, inline="always")
def _curve(x, first, last, knots):  # type: ignore[no-untyped-def]
    """The monotone cubic through knots ``first`` to ``last`` of `packed_curves`: as `Response.at`."""
    inputs, outputs, slopes = knots[0], knots[1], knots[2]
    if x <= inputs[first]:
        return outputs[first]
    if x >= inputs[last - 1]:
        return outputs[last - 1]
    low, high = first, last - 1
    while high - low > 1:
        middle = (low + high) // 2
        if inputs[middle] <= x:
            low = middle
        else:
            high = middle
    h = inputs[low + 1] - inputs[low]
    t = (x - inputs[low]) / h
    y0, y1 = outputs[low], outputs[low + 1]
    tangents = h * (t * (1 - t) ** 2 * slopes[low] - t * t * (1 - t) * slopes[low + 1])
    y = y0 + t * t * (3 - 2 * t) * (y1 - y0) + tangents
    return min(max(y, min(y0, y1)), max(y0, y1))


@nb.njit(cache=True, nogil=True, inline="always")
def _twist(x, y, z, w, ax, ay, az, middle):  # type: ignore[no-untyped-def]
    """As `rotations.twist_angle`."""
    along = x * ax + y * ay + z * az
    if along * along + w * w < 1e-18:
        return 0.0
    turned = 2 * np.arctan2(along, w)
    return turned - TURN * np.ceil((turned - middle - np.pi) / TURN - 1e-12)


@nb.njit(nb.void(_d2, _f2), cache=True, nogil=True, error_model="numpy")
def curve_points(knots, points) -> None:  # type: ignore[no-untyped-def]
    """One curve through angles, as it is drawn.

    Parameters
    ----------
    knots
        ``(3, N)`` of `Response.rows`.
    points
        ``(M, 2)``, M > N, written in ascending order: degrees and values at each knot, and at M - N angles between
        the first and the last that divide the way evenly.
    """
    count, start = knots.shape[1], knots[0, 0]
    steps = len(points) - count
    step = (knots[0, count - 1] - start) / (steps + 1)
    knot, taken = 0, 1
    for n in range(len(points)):
        angle = start + taken * step
        if taken > steps or (knot < count and knots[0, knot] <= angle):
            angle = knots[0, knot]
            knot += 1
        else:
            taken += 1
        points[n, 0] = angle * DEGREES
        points[n, 1] = _curve(angle, 0, count, knots)


@nb.njit(nb.void(_d2, _d2, _d2, _d1), cache=True, nogil=True, error_model="numpy")
def hinge_values(rotations, hinges, knots, values) -> None:  # type: ignore[no-untyped-def]
    """The activations of hinge triggers.

    Parameters
    ----------
    rotations
        ``(J, 4)`` of the pose.
    hinges
        ``(N, 8)``: the joint that each reads, where in `values` it is written, its axis (3), where its angle's middle
        lies, and its first knot and that after its last. Those of one angle stand together: it is read once.
    knots
        Of `packed_curves`.
    """
    joint, x, y, z, middle, angle = -1.0, 0.0, 0.0, 0.0, 0.0, 0.0
    for n in range(len(hinges)):
        again = hinges[n, 0] == joint and hinges[n, 5] == middle
        if not again or hinges[n, 2] != x or hinges[n, 3] != y or hinges[n, 4] != z:
            joint, x, y, z, middle = hinges[n, 0], hinges[n, 2], hinges[n, 3], hinges[n, 4], hinges[n, 5]
            j = int(joint)
            angle = _twist(rotations[j, 0], rotations[j, 1], rotations[j, 2], rotations[j, 3], x, y, z, middle)
        values[int(hinges[n, 1])] = _curve(angle, int(hinges[n, 6]), int(hinges[n, 7]), knots)


@nb.njit(nb.void(_i1, _i1, _d2, _i1, _d1), cache=True, nogil=True, error_model="numpy")
def dial_values(read, offsets, knots, to, values) -> None:  # type: ignore[no-untyped-def]
    """The responses ``offsets (N + 1,)``, ``knots`` of values ``read (N,)``, written where ``to (N,)`` says."""
    for n in range(len(read)):
        values[to[n]] = _curve(values[read[n]], offsets[n], offsets[n + 1], knots)


@nb.njit(nb.void(_d2, _d1, _d1, _f1), cache=True, nogil=True, error_model="numpy")
def target_weights(targets, gains, values, out) -> None:  # type: ignore[no-untyped-def]
    """How much of each target of correctives is on.

    Parameters
    ----------
    targets
        ``(T, 6)``: the corrective that each belongs to, the place of the value that it is tied to (-1 for none), the
        activations of the target before it (0 for none), of itself, and of the one after it (NaN for none), and 1 when
        its hat is eased.
    gains
        ``(C,)`` how much of each corrective acts, NaN for not at all.
    values
        Of the moment.
    out
        ``(T,)`` written: hat functions over the targets, straight lines through nothing at 0, times the gain.
    """
    for t in range(len(targets)):
        by, gain, hat = int(targets[t, 1]), gains[int(targets[t, 0])], 0.0
        if by >= 0 and not np.isnan(gain):
            a = min(max(values[by], 0.0), 1.0)
            before, at, after = targets[t, 2], targets[t, 3], targets[t, 4]
            if before < a <= at:
                hat = (a - before) / (at - before)
            elif at < a < after:
                hat = (after - a) / (after - at)
            if targets[t, 5] == 1:
                hat = hat * hat * (3 - 2 * hat)
            hat *= gain
        out[t] = hat


@nb.njit(nb.float64(_d2, _d2, _d2, _d2, _d3), cache=True, nogil=True, error_model="numpy")
def forward(joints, rotation, added, scales, out) -> float:  # type: ignore[no-untyped-def]
    """World matrices of all joints, parents first.

    Parameters
    ----------
    joints
        ``(J, 17)``: the parent of each (-1 for none) and its local rest transform, as translation (3), rotation (4) and
        stretch (9, by rows).
    rotation
        ``(J, 4)`` unit quaternions of the pose, after the rest rotation.
    added
        ``(J, 3)`` translations of the pose, or ``(0, 3)``.
    scales
        ``(J, 3)`` scales that replace the rest stretch, NaN where it stays; or ``(0, 3)``.
    out
        ``(J, 4, 4)`` written in place.

    Returns
    -------
    float
        The largest of all numbers written, by size; infinite when one is not a number.
    """
    farthest = 1.0
    for j in range(len(joints)):
        ax, ay, az, aw = joints[j, 4], joints[j, 5], joints[j, 6], joints[j, 7]
        bx, by, bz, bw = rotation[j, 0], rotation[j, 1], rotation[j, 2], rotation[j, 3]
        x = aw * bx + bw * ax + ay * bz - az * by
        y = aw * by + bw * ay + az * bx - ax * bz
        z = aw * bz + bw * az + ax * by - ay * bx
        w = aw * bw - ax * bx - ay * by - az * bz
        a, b, c = 1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)
        d, e, f = 2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)
        g, h, i = 2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)
        scaled = len(scales) > 0 and not np.isnan(scales[j, 0] + scales[j, 1] + scales[j, 2])
        p = int(joints[j, 0])
        for k in range(4):
            # Column k of the local transform: of the turned stretch, or the place.
            if k == 3:
                u, v, t = joints[j, 1], joints[j, 2], joints[j, 3]
                if len(added):
                    u, v, t = u + added[j, 0], v + added[j, 1], t + added[j, 2]
            else:
                u, v, t = joints[j, 8 + k], joints[j, 11 + k], joints[j, 14 + k]
                if scaled:
                    own = scales[j, k]
                    u, v, t = own if k == 0 else 0.0, own if k == 1 else 0.0, own if k == 2 else 0.0
                u, v, t = a * u + b * v + c * t, d * u + e * v + f * t, g * u + h * v + i * t
            if p < 0:
                out[j, 0, k], out[j, 1, k], out[j, 2, k] = u, v, t
            else:
                for r in range(3):
                    out[j, r, k] = out[p, r, 0] * u + out[p, r, 1] * v + out[p, r, 2] * t
                    if k == 3:
                        out[j, r, 3] += out[p, r, 3]
            for r in range(3):
                size = abs(out[j, r, k])
                farthest = max(farthest, size) if np.isfinite(size) else np.inf
        out[j, 3, 0] = out[j, 3, 1] = out[j, 3, 2] = 0.0
        out[j, 3, 3] = 1.0
    return farthest


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


@nb.njit(nb.int64(_d3, _d2, _f2, _f2, _f2), cache=True, nogil=True, error_model="numpy")
def bone_rows(world, bones, columns, duals, stretches) -> int:  # type: ignore[no-untyped-def]
    """Skin matrices ``G[joint] @ inverse_bind`` and their dual quaternions.

    Parameters
    ----------
    world
        ``(J, 4, 4)`` global joint matrices.
    bones
        ``(B, 17)``: the joint of each, and its inverse bind matrix by rows.
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
    for b in range(len(bones)):
        g = int(bones[b, 0])
        for r in range(3):
            for c in range(4):
                m[r, c] = (
                    world[g, r, 0] * bones[b, 1 + c]
                    + world[g, r, 1] * bones[b, 5 + c]
                    + world[g, r, 2] * bones[b, 9 + c]
                    + world[g, r, 3] * bones[b, 13 + c]
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


@nb.njit(
    nb.float64(_d2, _d2, _d2, _d2, _d2, _d1, _d2, _d1, _f1, _d2, _d3, _d2, _f2),
    cache=True, nogil=True, error_model="numpy",
)  # fmt: skip
def from_hinges(  # type: ignore[no-untyped-def]
    rotations, added, scales, hinges, knots, values, targets, gains, weights, joints, world, bones, columns
) -> float:  # fmt: skip
    """All of the above in one call: `hinge_values`, `target_weights`, `forward` and `bone_rows`, in this order.

    Gives what `forward` does. Their names and shapes, with `weights` for those of targets. What a call costs in Python
    is most of what a small character costs at all.
    """
    hinge_values(rotations, hinges, knots, values)
    target_weights(targets, gains, values, weights)
    farthest = forward(joints, rotations, added, scales, world)
    bone_rows(world, bones, columns, columns[:0], columns[:0])
    return farthest


@nb.njit(nb.void(_d3, _f2), cache=True, nogil=True, error_model="numpy")
def frames(world, out) -> None:  # type: ignore[no-untyped-def]
    """Places and orientations of joints: ``(J, 4, 4)`` to ``(J, 7)``, x, y, z, then quaternion x, y, z, w."""
    m = np.empty((3, 3))
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
