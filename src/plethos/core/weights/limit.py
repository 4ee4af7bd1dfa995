"""Keeping only so many influences of a vertex."""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray
from scipy import sparse

ROWS = 16384


def limit_influences(
    weights: NDArray[np.floating] | sparse.csr_matrix, most: int, least: float = 0.003
) -> tuple[NDArray[np.int32], NDArray[np.float32]]:
    """Weights ``(V, J)``, dense or sparse, as the `most` largest a vertex: indices and weights ``(V, most)``.

    The next smaller weight, or `least`, is subtracted before the cut, so that neighbours with other lists do not tear.
    """
    count = weights.shape[0]
    joints, kept = np.zeros((count, most), np.int32), np.zeros((count, most), np.float32)
    if isinstance(weights, sparse.csr_matrix):
        weights.sort_indices()  # of equals the first
        stored = np.asarray(weights.data, np.float64)
        order, largest = _largest_stored(weights.indptr, weights.indices, stored, most + 1)
        _cut(order, largest, least, joints, kept)
        return joints, kept
    # Some rows at a time: a copy of all in the order that the loop wants would be as large again.
    for first in range(0, count, ROWS):
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
def _sorted_in(value, column, found, order, largest):  # type: ignore[no-untyped-def]
    """Put a weight in its place among the largest of a row, if it belongs there; how many there are then."""
    count = len(order)
    if value <= 0 or (found == count and value <= largest[count - 1]):
        return found
    place = min(found, count - 1)
    while place > 0 and largest[place - 1] < value:
        largest[place], order[place] = largest[place - 1], order[place - 1]
        place -= 1
    largest[place], order[place] = value, column
    return min(found + 1, count)


@nb.njit(cache=True, nogil=True)
def _largest_stored(starts, columns, values, count):  # type: ignore[no-untyped-def]
    """As `_largest`, of a matrix of which only what is not 0 is stored."""
    rows = len(starts) - 1
    order, largest = np.zeros((rows, count), np.int64), np.zeros((rows, count))
    for row in range(rows):
        found = 0
        for e in range(starts[row], starts[row + 1]):
            found = _sorted_in(values[e], columns[e], found, order[row], largest[row])
    return order, largest


@nb.njit(cache=True, nogil=True)
def _largest(weights, count):  # type: ignore[no-untyped-def]
    """The `count` largest of each row and where they are, largest first, of equals the first; 0 for what is missing."""
    order = np.zeros((len(weights), count), np.int64)
    largest = np.zeros((len(weights), count))
    for row in range(len(weights)):
        found = 0
        for column in range(weights.shape[1]):
            found = _sorted_in(weights[row, column], column, found, order[row], largest[row])
    return order, largest
