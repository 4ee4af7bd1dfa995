"""Keeping only so many influences of a vertex."""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

ROWS = 16384


def limit_influences(
    weights: NDArray[np.floating], most: int, least: float = 0.003
) -> tuple[NDArray[np.int32], NDArray[np.float32]]:
    """Dense weights ``(V, J)`` as the `most` largest a vertex: indices and weights ``(V, most)``.

    The next smaller weight, or `least`, is subtracted before the cut, so that neighbours with other lists do not tear.
    """
    joints, kept = np.zeros((len(weights), most), np.int32), np.zeros((len(weights), most), np.float32)
    # Some rows at a time: a copy of all in the order that the loop wants would be as large again.
    for first in range(0, len(weights), ROWS):
        rows = slice(first, first + ROWS)
        order, largest = _largest(np.ascontiguousarray(weights[rows], np.float64), most + 1)
        _cut(order, largest, least, joints[rows], kept[rows])
    return joints, kept


@nb.njit(cache=True, nogil=True)
def _cut(order, largest, least, joints, kept) -> None:  # type: ignore[no-untyped-def]
    """Fill `joints` and `kept` ``(V, most)`` from the ``most + 1`` largest weights of each row."""
    most = kept.shape[1]
    for row in range(len(order)):
        below = max(largest[row, most], least)
        total = 0.0
        for k in range(most):
            total += max(largest[row, k] - below, 0.0)
        if total <= 0:
            # All alike, or all small: nothing is left of them, so the largest stay as they are, of equals the first.
            below, total = 0.0, largest[row, :most].sum()
        # Weights stored as float32 sum to 1 but for rounding: dividing again would make every edit nudge the whole
        # skin.
        size = 1.0 if abs(total - 1) < 1e-6 else total
        for k in range(most):
            weight = max(largest[row, k] - below, 0.0)
            if weight > 0:
                joints[row, k], kept[row, k] = order[row, k], weight / size


@nb.njit(cache=True, nogil=True)
def _largest(weights, count):  # type: ignore[no-untyped-def]
    """The `count` largest of each row and where they are, largest first, of equals the first; 0 for what is missing."""
    order = np.zeros((len(weights), count), np.int64)
    largest = np.zeros((len(weights), count))
    for row in range(len(weights)):
        found = 0
        for column in range(weights.shape[1]):
            value = weights[row, column]
            if value <= 0 or (found == count and value <= largest[row, count - 1]):
                continue
            place = min(found, count - 1)
            while place > 0 and largest[row, place - 1] < value:
                largest[row, place], order[row, place] = largest[row, place - 1], order[row, place - 1]
                place -= 1
            largest[row, place], order[row, place] = value, column
            found = min(found + 1, count)
    return order, largest
