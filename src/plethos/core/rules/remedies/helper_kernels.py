"""The compiled loop over the rules of helper joints.

Numba's disk cache sees changes of this file only: what the loop uses has to stay here.
"""

# mypy: disable-error-code="no-untyped-call, no-any-return"
from __future__ import annotations

import numba as nb
import numpy as np

_d1 = nb.float64[::1]
_d2 = nb.float64[:, ::1]
_i1 = nb.int32[::1]
TURN = 2 * np.pi
ALL, SWING, TWIST, ALONG, ACROSS = 0, 1, 2, 3, 4  # which part of a rotation; the last two of its rotation vector
SHARE, SLIDE, PUSH, GROW, LIMIT, ANCHOR = 0, 1, 2, 3, 4, 5


@nb.njit(cache=True, nogil=True, inline="always")
def _times(a, b, out):  # type: ignore[no-untyped-def]
    x = a[3] * b[0] + b[3] * a[0] + a[1] * b[2] - a[2] * b[1]
    y = a[3] * b[1] + b[3] * a[1] + a[2] * b[0] - a[0] * b[2]
    z = a[3] * b[2] + b[3] * a[2] + a[0] * b[1] - a[1] * b[0]
    w = a[3] * b[3] - a[0] * b[0] - a[1] * b[1] - a[2] * b[2]
    out[0], out[1], out[2], out[3] = x, y, z, w


@nb.njit(cache=True, nogil=True, inline="always")
def _back(q, out):  # type: ignore[no-untyped-def]
    out[0], out[1], out[2], out[3] = -q[0], -q[1], -q[2], q[3]


@nb.njit(cache=True, nogil=True, inline="always")
def _turned(q, v, out):  # type: ignore[no-untyped-def]
    """A vector turned by a unit quaternion."""
    x, y, z, w = q[0], q[1], q[2], q[3]
    a, b, c = v[0], v[1], v[2]
    s, t, u = 2 * (y * c - z * b), 2 * (z * a - x * c), 2 * (x * b - y * a)
    out[0] = a + w * s + y * u - z * t
    out[1] = b + w * t + z * s - x * u
    out[2] = c + w * u + x * t - y * s


@nb.njit(cache=True, nogil=True, inline="always")
def _twist(x, y, z, w, ax, ay, az, middle):  # type: ignore[no-untyped-def]
    """As `rotations.twist_angle`."""
    along = x * ax + y * ay + z * az
    if along * along + w * w < 1e-18:
        return 0.0
    turned = 2 * np.arctan2(along, w)
    return turned - TURN * np.ceil((turned - middle - np.pi) / TURN - 1e-12)


@nb.njit(cache=True, nogil=True, inline="always")
def _curve(x, first, last, inputs, outputs, slopes):  # type: ignore[no-untyped-def]
    """The monotone cubic through knots ``first`` to ``last``: as `Response.at`."""
    if x <= inputs[first]:
        return outputs[first]
    if x >= inputs[last - 1]:
        return outputs[last - 1]
    low = first
    while inputs[low + 1] <= x:
        low += 1
    h = inputs[low + 1] - inputs[low]
    t = (x - inputs[low]) / h
    y0, y1 = outputs[low], outputs[low + 1]
    tangents = h * (t * (1 - t) ** 2 * slopes[low] - t * t * (1 - t) * slopes[low + 1])
    y = y0 + t * t * (3 - 2 * t) * (y1 - y0) + tangents
    return min(max(y, min(y0, y1)), max(y0, y1))


@nb.njit(cache=True, nogil=True)
def _along(path, low, high, posed, rotations, translations, rest_t, rest_r, q, p, r, v):  # type: ignore[no-untyped-def]
    """The rigid transform of the joints ``path[low:high]``, one hanging on the other, posed or at rest, as `q` and `p`.

    `r` and `v` are room to work in.
    """
    q[0], q[1], q[2], q[3] = 0.0, 0.0, 0.0, 1.0
    p[0], p[1], p[2] = 0.0, 0.0, 0.0
    for k in range(low, high):
        j = path[k]
        # Number by number: whole rows would cost more than the sums.
        for c in range(3):
            v[c] = rest_t[j, c]
        if posed and len(translations):
            for c in range(3):
                v[c] += translations[j, c]
        _turned(q, v, v)
        for c in range(3):
            p[c] += v[c]
        for c in range(4):
            r[c] = rest_r[j, c]
        _times(q, r, q)
        if posed:
            for c in range(4):
                r[c] = rotations[j, c]
            _times(q, r, q)


@nb.njit(cache=True, nogil=True)
def _anchor(  # type: ignore[no-untyped-def]
    path, low_p, low_a, low_t, end, mine, gain, rotations, translations, rest_t, rest_r, q0, q1, p0, p1, v, w, r, t, q,
    moved,
):  # fmt: skip
    """Move and turn a helper along with two joints: see `helper_rules.anchor`. `q0` to `t` are room to work in."""
    # Where it is at rest, in what the paths have in common.
    _along(path, low_p, low_a, False, rotations, translations, rest_t, rest_r, q0, p0, r, w)
    v[:] = rest_t[mine]
    _turned(q0, v, v)
    v += p0
    t[:] = rest_r[mine]
    _times(q0, t, t)
    # Its place goes with one joint, ...
    _along(path, low_a, low_t, False, rotations, translations, rest_t, rest_r, q0, p0, r, w)
    _along(path, low_a, low_t, True, rotations, translations, rest_t, rest_r, q1, p1, r, w)
    v -= p0
    _back(q0, r)
    _turned(r, v, v)
    _turned(q1, v, v)
    v += p1
    # ... its turn with the other, ...
    _along(path, low_t, end, False, rotations, translations, rest_t, rest_r, q0, p0, r, w)
    _along(path, low_t, end, True, rotations, translations, rest_t, rest_r, q1, p1, r, w)
    _back(q0, r)
    _times(r, t, t)
    _times(q1, t, t)
    # ... said as its parent stands now, on top of rest.
    _along(path, low_p, low_a, True, rotations, translations, rest_t, rest_r, q1, p1, r, w)
    _back(q1, r)
    v -= p1
    _turned(r, v, v)
    moved += min(max(gain, 0.0), 1.0) * (v - rest_t[mine])
    _times(r, t, t)
    _back(rest_r[mine], r)
    _times(r, t, t)
    if t[3] < 0:
        t *= -1
    length = np.sqrt(t[0] ** 2 + t[1] ** 2 + t[2] ** 2)
    half = np.arctan2(length, t[3]) * min(max(gain, 0.0), 1.0)
    length = max(length, 1e-300)
    r[0], r[1], r[2] = (
        t[0] / length * np.sin(half),
        t[1] / length * np.sin(half),
        t[2] / length * np.sin(half),
    )
    r[3] = np.cos(half)
    _times(q, r, q)


@nb.njit(cache=True, nogil=True)
def _part_of(rotations, j, part, a, b, c, angle, r, t):  # type: ignore[no-untyped-def]
    """The axis and the angle of a part of a joint's rotation, its twist about an axis being `angle`."""
    for k in range(4):
        r[k] = rotations[j, k]
    if part == SWING:
        half = -0.5 * angle
        t[0], t[1], t[2] = a * np.sin(half), b * np.sin(half), c * np.sin(half)
        t[3] = np.cos(half)
        _times(r, t, r)
    if r[3] < 0:
        r[0], r[1], r[2], r[3] = -r[0], -r[1], -r[2], -r[3]
    length = np.sqrt(r[0] ** 2 + r[1] ** 2 + r[2] ** 2)
    angle = 2 * np.arctan2(length, r[3])
    length = max(length, 1e-300)
    if part == ALONG:
        angle *= (r[0] * a + r[1] * b + r[2] * c) / length
    else:
        if part == ACROSS:
            off = r[0] * a + r[1] * b + r[2] * c
            r[0], r[1], r[2] = r[0] - off * a, r[1] - off * b, r[2] - off * c
            angle *= np.sqrt(r[0] ** 2 + r[1] ** 2 + r[2] ** 2) / length
            length = max(np.sqrt(r[0] ** 2 + r[1] ** 2 + r[2] ** 2), 1e-300)
        a, b, c = r[0] / length, r[1] / length, r[2] / length
    return a, b, c, angle


_i2 = nb.int32[:, ::1]
_signature = nb.void(_i2, _i1, _i2, _d2, _i1, _d2, _i1, _i1, _d2, _d2, _d2, _d1, _d1, _d2, _d2, _d2)


@nb.njit(_signature, cache=True, nogil=True, error_model="numpy")
def helper_transforms(  # type: ignore[no-untyped-def]
    heads, first, told, numbers, curve_at, knots, path_at, path, rest_t, rest_r, size, gains, values, rotations,
    translations, scales,
) -> None:  # fmt: skip
    """Turn, move and size helper joints by their rules.

    Parameters
    ----------
    heads
        ``(H, 3)`` each helper's joint, its place in `gains`, and that of the value it is tied to (-1 = always on). Few
        tables in place of many arrays: each argument of a call costs as much as a rule.
    first
        ``(H + 1,)``: helper h has the rules ``first[h]:first[h + 1]``, applied one after the other.
    told, numbers
        ``(S, 3)`` kind, source and part of each rule, and ``(S, 14)`` its axis, middle, turn, number, way, low and
        high: see `helper_rules.Operation`.
    curve_at, knots
        The curves of all rules: rule s has the inputs, values and slopes ``knots[:, curve_at[s]:curve_at[s + 1]]``.
    path_at, path
        The paths of all anchors, three a rule: ``path[path_at[3 s + k]:path_at[3 s + k + 1]]``.
    rest_t, rest_r, size
        ``(J, 3)``, ``(J, 4)`` local rest transforms, and ``(J, 3)`` rest scales.
    gains
        ``(R,)`` NaN where a remedy does not act: then the pose's own transform stays.
    rotations, translations, scales
        Of the moment; the last two ``(0, 3)`` when no helper moves or grows.
    """
    inputs, outputs, slopes = knots[0], knots[1], knots[2]
    q, r, t, u = np.empty(4), np.empty(4), np.empty(4), np.empty(4)
    moved, v, w = np.empty(3), np.empty(3), np.empty(3)
    q0, q1, p0, p1 = np.empty(4), np.empty(4), np.empty(3), np.empty(3)
    for h in range(len(heads)):
        gain = gains[heads[h, 1]]
        if np.isnan(gain):
            continue
        if heads[h, 2] >= 0:
            gain *= min(max(values[heads[h, 2]], 0.0), 1.0)
        mine = heads[h, 0]
        q[0], q[1], q[2], q[3] = 0.0, 0.0, 0.0, 1.0
        moved[0], moved[1], moved[2] = 0.0, 0.0, 0.0
        factor, grows = 1.0, False
        for s in range(first[h], first[h + 1]):
            kind, part = told[s, 0], told[s, 2]
            a, b, c = numbers[s, 0], numbers[s, 1], numbers[s, 2]
            if kind == ANCHOR:
                _anchor(
                    path, path_at[3 * s], path_at[3 * s + 1], path_at[3 * s + 2], path_at[3 * s + 3], mine, gain,
                    rotations, translations, rest_t, rest_r, q0, q1, p0, p1, v, w, r, t, q, moved,
                )  # fmt: skip
                continue
            if kind == PUSH:
                for k in range(3):
                    moved[k] += gain * values[told[s, 1]] * numbers[s, 9 + k]
                continue
            if kind == LIMIT:
                angle = _twist(q[0], q[1], q[2], q[3], a, b, c, 0.0)
                off = min(max(angle, numbers[s, 12]), numbers[s, 13]) - angle
                if off != 0:
                    half = 0.5 * off * min(max(gain, 0.0), 1.0)
                    r[0], r[1], r[2], r[3] = a * np.sin(half), b * np.sin(half), c * np.sin(half), np.cos(half)
                    _times(q, r, q)
                continue
            j = told[s, 1]
            angle = _twist(rotations[j, 0], rotations[j, 1], rotations[j, 2], rotations[j, 3], a, b, c, numbers[s, 3])
            if kind in (SLIDE, GROW):
                value = _curve(angle, curve_at[s], curve_at[s + 1], inputs, outputs, slopes)
                if kind == SLIDE:
                    for k in range(3):
                        moved[k] += gain * value * numbers[s, 9 + k]
                else:
                    factor *= 1 + gain * (value - 1)
                    grows = True
                continue
            if part != TWIST:
                a, b, c, angle = _part_of(rotations, j, part, a, b, c, angle, r, t)
            half = 0.5 * gain * numbers[s, 8] * angle
            r[0], r[1], r[2], r[3] = a * np.sin(half), b * np.sin(half), c * np.sin(half), np.cos(half)
            for k in range(4):
                t[k] = numbers[s, 4 + k]
            _times(t, r, r)
            _back(t, u)
            _times(r, u, r)
            _times(q, r, q)
        for k in range(4):
            rotations[mine, k] = q[k]
        if len(translations):
            for k in range(3):
                translations[mine, k] = moved[k]
        if len(scales):
            for k in range(3):
                scales[mine, k] = factor * size[mine, k] if grows else np.nan
