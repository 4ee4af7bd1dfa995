"""Fitting the weights of many vertices, each by itself: see `fit`."""

from __future__ import annotations

from typing import Any

import numba as nb
import numpy as np

_OPTIONS: Any = {"cache": True, "nogil": True, "error_model": "numpy"}


@nb.njit(**_OPTIONS)
def _places(point, order, moves, weights, n, place):  # type: ignore[no-untyped-def]
    """Where each influence alone would carry a point, from where all of them carry it."""
    for c in range(3):
        mean = 0.0
        for k in range(n):
            m = moves[order[k], c]
            place[k, c] = m[0] * point[0] + m[1] * point[1] + m[2] * point[2] + m[3]
            mean += weights[k] * place[k, c]
        for k in range(n):
            place[k, c] -= mean


@nb.njit(**_OPTIONS)
def _solve(system, right, n):  # type: ignore[no-untyped-def]
    """Solve ``system x = right`` of n rows and two columns, both overwritten: positive definite, so without pivots.

    A handful of rows, a million times: what calls LAPACK takes ten times as long.
    """
    for k in range(n):
        for i in range(k + 1, n):
            factor = system[i, k] / system[k, k]
            for j in range(k + 1, n):
                system[i, j] -= factor * system[k, j]
            right[i, 0] -= factor * right[k, 0]
            right[i, 1] -= factor * right[k, 1]
    for k in range(n - 1, -1, -1):
        for j in range(k + 1, n):
            right[k, 0] -= system[k, j] * right[j, 0]
            right[k, 1] -= system[k, j] * right[j, 1]
        right[k, 0] /= system[k, k]
        right[k, 1] /= system[k, k]


@nb.njit(**_OPTIONS)
def _weighed(gram, weights, left, n, work, out):  # type: ignore[no-untyped-def]
    """Fill `out` with the weights of what is left that fit best: none negative, sum 1; where the motion does not tell,
    as they were. `work` ``(2 C + 4, C)`` is room for the system."""
    system, right, own, inside = work[:n], work[n : 2 * n, :2], work[2 * n], work[2 * n + 1]
    trace = 0.0
    for k in range(n):
        trace += gram[k, k]
        out[k] = 0.0
        inside[k] = 1.0 if left[k] else 0.0
    soft = 1e-6 * max(trace / n, 1e-12)
    while True:
        count, total = 0, 0.0
        for k in range(n):
            if inside[k] > 0:
                own[count] = k
                count += 1
                total += weights[k]
        for a in range(count):
            one = int(own[a])
            for b in range(count):
                system[a, b] = gram[one, int(own[b])]
            system[a, a] += soft
            right[a, 0], right[a, 1] = 1.0, soft * weights[one] / total
        _solve(system, right, count)
        ones, given = 0.0, 0.0
        for a in range(count):
            ones += right[a, 0]
            given += right[a, 1]
        low = 0
        for a in range(count):
            right[a, 1] += right[a, 0] * (1 - given) / ones
            if right[a, 1] < right[low, 1]:
                low = a
        if right[low, 1] >= 0:
            for a in range(count):
                out[int(own[a])] = right[a, 1]
            return
        inside[int(own[low])] = 0.0


@nb.njit(**_OPTIONS)
def _error(gram, weights, n):  # type: ignore[no-untyped-def]
    total = 0.0
    for a in range(n):
        for b in range(n):
            total += weights[a] * gram[a, b] * weights[b]
    return total


_d1, _d2, _d4 = nb.float64[::1], nb.float64[:, ::1], nb.float64[:, :, :, ::1]
_l1, _l2 = nb.int64[::1], nb.int64[:, ::1]


# With its types told it is compiled on import: nobody waits for that at the first delivery.
@nb.njit(nb.void(_d2, _l2, _d2, _d4, _l1, _l1, _l1, nb.int64, _d2, _d1, _l1), **_OPTIONS)
def fit_weights(points, order, weights, moves, sets, starts, turns, most, kept, shift, turn):  # type: ignore[no-untyped-def]
    """Fill `kept` (as `weights`), the greatest `shift` of each vertex, and the `turn` that shows it."""
    count = order.shape[1]
    place, gram, work = np.empty((count, 3)), np.empty((count, count)), np.empty((2 * count + 4, max(count, 2)))
    best, other, left = np.empty(count), np.empty(count), np.empty(count, np.bool_)
    for v in range(len(points)):
        n = 0
        while n < count and weights[v, n] > 0:
            left[n] = True
            n += 1
        gram[:n, :n] = 0.0
        telling = turns[starts[sets[v]] : starts[sets[v] + 1]]
        for p in telling:
            _places(points[v], order[v], moves[p], weights[v], n, place)
            for a in range(n):
                for b in range(a + 1):
                    for c in range(3):
                        gram[a, b] += place[a, c] * place[b, c]
        for a in range(n):
            for b in range(a):
                gram[b, a] = gram[a, b]
        for _ in range(n - most):
            least, worst = np.inf, -1
            for k in range(n - 1, -1, -1):
                if left[k]:
                    left[k] = False
                    _weighed(gram, weights[v], left, n, work, other)
                    error = _error(gram, other, n)
                    left[k] = True
                    if error < least - 1e-15:
                        least, worst = error, k
            left[worst] = False
        _weighed(gram, weights[v], left, n, work, best)
        for k in range(n):
            left[k] = k < most
        _weighed(gram, weights[v], left, n, work, other)
        if _error(gram, other, n) < _error(gram, best, n):
            best[:n] = other[:n]
        kept[v, :n] = best[:n]
        for p in telling:
            _places(points[v], order[v], moves[p], weights[v], n, place)
            far = 0.0
            for c in range(3):
                moved = 0.0
                for k in range(n):
                    moved += best[k] * place[k, c]
                far += moved * moved
            if np.sqrt(far) > shift[v]:
                shift[v], turn[v] = np.sqrt(far), p
