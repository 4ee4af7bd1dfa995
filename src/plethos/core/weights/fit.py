"""Fewer influences for a vertex, chosen and weighted so that it goes on moving as it did."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numba as nb
import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.character import Character
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skin.binding import rows_of
from plethos.core.weights.rows import with_rows

AT_ONCE = 10_000  # vertices between two looks whether it is still wanted
CANDIDATES = 16  # of a vertex that follows more joints, the largest are looked at
# How far a joint is taken to turn across its hinge where nobody says: common practice, no source.
ACROSS = np.radians(30)


@dataclass(frozen=True, eq=False)
class FittedWeights:
    """Weights of at most so many influences.

    Parameters
    ----------
    weights
        ``(V, J)`` float64, sparse.
    vertices
        ``(N,)`` whose influences were too many; all others stay as they are.
    shift
        ``(N,)`` how far each is moved at most over the ranges of motion, metres.
    turn
        ``(N,)`` which of `turns` does that.
    turns
        The joints that were turned, and how far, radians.
    """

    weights: sparse.csr_matrix
    vertices: NDArray[np.int64]
    shift: Array
    turn: NDArray[np.int64]
    turns: tuple[tuple[int, float], ...]

    @property
    def greatest(self) -> tuple[float, int, int, float] | None:
        """The greatest shift (metres), its vertex, the joint that shows it and its angle; None when nothing moves."""
        if len(self.vertices) == 0:
            return None
        n = int(self.shift.argmax())
        return (float(self.shift[n]), int(self.vertices[n]), *self.turns[int(self.turn[n])])


def fitted(character: Character, most: int, progress: Callable[[float], None] = lambda share: None) -> FittedWeights:
    """Weights of at most so many joints a vertex; rows of no more stay as they are.

    Over the ends of every joint's range, the motion of each vertex is fitted by least squares with weights that are not
    negative and sum to 1. Influences are given up one at a time, each time the one that is missed least; where the
    largest `most` fit better, those. Of equals the first is kept.

    Parameters
    ----------
    progress
        Called with how much is done, 0 to 1; what it raises stops it.

    Notes
    -----
    A turn that carries all influences of a vertex alike says nothing about them, so poses of one joint at a time do.
    """
    stored = character.binding.by_vertex
    many = np.flatnonzero(np.diff((stored > 1e-6).indptr) > most)
    turns, moves = _range_ends(character.skeleton)
    order, rows = _largest_first(stored[many])
    below = np.array([character.skeleton.subtree(j) for j, _ in turns], bool).reshape(len(turns), -1)
    kept = np.zeros_like(rows)
    shift, turn = np.zeros(len(many)), np.zeros(len(many), np.int64)
    sets, starts, telling = _telling(order, rows, below)
    points = character.mesh.rest[many].astype(np.float64)
    for first in range(0, len(many), AT_ONCE):
        progress(first / len(many))
        some = slice(first, first + AT_ONCE)
        own = (points[some], order[some], rows[some], moves, sets[some], starts, telling)
        _fit(*own, most, kept[some], shift[some], turn[some])
    fitted_rows = with_rows(stored, many, rows_of(order, kept, stored.shape[1]))
    return FittedWeights(fitted_rows, many, shift, turn, tuple(turns))


def _largest_first(rows: sparse.csr_matrix) -> tuple[NDArray[np.int64], Array]:
    """The joints and weights ``(N, C)`` of each row's largest, which sum to 1; of equals the first; 0 for none."""
    count = np.diff(rows.indptr)
    width = min(int(count.max(initial=1)), CANDIDATES)
    row = np.repeat(np.arange(len(count)), count)
    sorted_ = np.lexsort((rows.indices, -rows.data, row))
    place = np.arange(len(row)) - np.repeat(rows.indptr[:-1], count)
    taken = place < width
    order, weights = np.zeros((len(count), width), np.int64), np.zeros((len(count), width))
    at = (row[taken], place[taken])
    order[at], weights[at] = rows.indices[sorted_][taken], rows.data[sorted_][taken]
    weights[weights <= 1e-6] = 0
    return order, weights / np.maximum(weights.sum(axis=1, keepdims=True), 1e-12)


def _telling(
    order: NDArray[np.int64], weights: Array, below: NDArray[np.bool_]
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
    """The turns that tell the influences of a vertex apart: many vertices follow the same joints.

    Returns
    -------
    tuple
        The set ``(N,)`` of each vertex; where in the list each set's turns begin ``(S + 1,)``; the turns.
    """
    own = np.sort(np.where(weights > 0, order, -1), axis=1)
    sets, number = np.unique(own, axis=0, return_inverse=True)
    found, starts = list[NDArray[np.int64]](), [0]
    for joints in sets:
        inside = below[:, joints[joints >= 0]]
        # A turn that carries all of them alike says nothing about their weights.
        found.append(np.flatnonzero(inside.any(axis=1) & ~inside.all(axis=1)))
        starts.append(starts[-1] + len(found[-1]))
    none = np.zeros(0, np.int64)
    return number.ravel().astype(np.int64), np.array(starts, np.int64), np.concatenate([none, *found])


def _range_ends(skeleton: Skeleton) -> tuple[list[tuple[int, float]], Array]:
    """Each joint turned to the ends of its ranges, and what that does to every bone ``(P, J, 3, 4)``."""
    turns = list(_ends(skeleton))
    rest, inverse = skeleton.rest_pose(), np.linalg.inv(skeleton.rest_global)
    moves = np.empty((len(turns), len(skeleton), 3, 4))
    for n, (joint, axis, angle) in enumerate(turns):
        pose = rest.with_rotation(joint, rotations.from_axis_angle(axis, angle))
        moves[n] = (skeleton.global_matrices(pose) @ inverse)[:, :3]
    return [(joint, angle) for joint, _, angle in turns], moves


def _ends(skeleton: Skeleton) -> Iterator[tuple[int, Array, float]]:
    for joint in np.flatnonzero(skeleton.is_joint).tolist():
        hinge = skeleton.hinge(joint)
        across = skeleton.across(joint)
        for axis, (low, high) in zip(
            (np.array(hinge.axis), *across), ((hinge.low, hinge.high), *(hinge.others or ((-ACROSS, ACROSS),) * 2)),
            strict=True,
        ):  # fmt: skip
            for angle in (low, high):
                if abs(angle) > 1e-3:
                    yield joint, axis, angle


@nb.njit(cache=True, nogil=True)
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


@nb.njit(cache=True, nogil=True)
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


@nb.njit(cache=True, nogil=True)
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


@nb.njit(cache=True, nogil=True)
def _error(gram, weights, n):  # type: ignore[no-untyped-def]
    total = 0.0
    for a in range(n):
        for b in range(n):
            total += weights[a] * gram[a, b] * weights[b]
    return total


_d1, _d2, _d4 = nb.float64[::1], nb.float64[:, ::1], nb.float64[:, :, :, ::1]
_l1, _l2 = nb.int64[::1], nb.int64[:, ::1]


# With its types told it is compiled on import: nobody waits for that at the first delivery.
@nb.njit(nb.void(_d2, _l2, _d2, _d4, _l1, _l1, _l1, nb.int64, _d2, _d1, _l1), cache=True, nogil=True)
def _fit(points, order, weights, moves, sets, starts, turns, most, kept, shift, turn):  # type: ignore[no-untyped-def]
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
                for b in range(n):
                    for c in range(3):
                        gram[a, b] += place[a, c] * place[b, c]
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
