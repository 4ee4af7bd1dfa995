"""Fewer influences for a vertex, chosen and weighted so that it goes on moving as it did."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numba as nb
import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.skeleton.skeleton import Skeleton

CANDIDATES = 16  # of a vertex that follows more joints, the largest are looked at
# How far a joint is taken to turn across its hinge where nobody says: common practice, no source.
ACROSS = np.radians(30)


@dataclass(frozen=True, eq=False)
class FittedWeights:
    """Weights of at most so many influences.

    Parameters
    ----------
    weights
        ``(V, J)`` float64.
    vertices
        ``(N,)`` whose influences were too many; all others stay as they are.
    shift
        ``(N,)`` how far each is moved at most over the ranges of motion, metres.
    turn
        ``(N,)`` which of `turns` does that.
    turns
        The joints that were turned, and how far, radians.
    """

    weights: Array
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


def fitted(character: Character, most: int) -> FittedWeights:
    """Weights of at most so many joints a vertex; rows of no more stay as they are.

    Over the ends of every joint's range, the motion of each vertex is fitted by least squares with weights that are not
    negative and sum to 1. Influences are given up one at a time, each time the one that is missed least; where the
    largest `most` fit better, those. Of equals the first is kept.

    Notes
    -----
    A turn that carries all influences of a vertex alike says nothing about them, so poses of one joint at a time do.
    """
    dense = character.binding.joint_weights.astype(np.float64)
    many = np.flatnonzero((dense > 1e-6).sum(axis=1) > most)
    turns, moves = _range_ends(character.skeleton)
    order = np.ascontiguousarray(np.argsort(-dense[many], axis=1, kind="stable")[:, :CANDIDATES], np.int64)
    rows = np.take_along_axis(dense[many], order, 1)
    rows[rows <= 1e-6] = 0
    rows /= np.maximum(rows.sum(axis=1, keepdims=True), 1e-12)
    below = np.array([character.skeleton.subtree(j) for j, _ in turns], bool).reshape(len(turns), -1)
    kept = np.zeros_like(rows)
    shift, turn = np.zeros(len(many)), np.zeros(len(many), np.int64)
    _fit(character.mesh.rest[many].astype(np.float64), order, rows, moves, below, most, kept, shift, turn)
    dense[many] = 0
    dense[many[:, None], order] = kept
    return FittedWeights(dense, many, shift, turn, tuple(turns))


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
def _alike(below, order, n):  # type: ignore[no-untyped-def]
    """Whether a turn carries all influences of a vertex alike: then it says nothing about their weights."""
    carried = 0
    for k in range(n):
        carried += below[order[k]]
    return carried == 0 or carried == n


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
def _weighed(gram, weights, left):  # type: ignore[no-untyped-def]
    """The weights of what is left that fit best: none negative, sum 1; where the motion does not tell, as they were."""
    n = len(gram)
    out = np.zeros(n)
    inside = left.copy()
    soft = 1e-6 * max(np.trace(gram) / n, 1e-12)
    while True:
        own = np.flatnonzero(inside)
        total = 0.0
        for k in own:
            total += weights[k]
        system = np.zeros((len(own), len(own)))
        right = np.ones((len(own), 2))
        for a in range(len(own)):
            for b in range(len(own)):
                system[a, b] = gram[own[a], own[b]]
            system[a, a] += soft
            right[a, 1] = soft * weights[own[a]] / total
        solved = np.linalg.solve(system, right)
        fresh = solved[:, 1] + solved[:, 0] * (1 - solved[:, 1].sum()) / solved[:, 0].sum()
        low = fresh.argmin()
        if fresh[low] >= 0:
            out[own] = fresh
            return out
        inside[own[low]] = False


@nb.njit(cache=True, nogil=True)
def _error(gram, weights):  # type: ignore[no-untyped-def]
    return weights @ gram @ weights


_d1, _d2, _d4 = nb.float64[::1], nb.float64[:, ::1], nb.float64[:, :, :, ::1]
_l1, _l2, _b2 = nb.int64[::1], nb.int64[:, ::1], nb.boolean[:, ::1]


# With its types told it is compiled on import: nobody waits for that at the first delivery.
@nb.njit(nb.void(_d2, _l2, _d2, _d4, _b2, nb.int64, _d2, _d1, _l1), cache=True, nogil=True)
def _fit(points, order, weights, moves, below, most, kept, shift, turn):  # type: ignore[no-untyped-def]
    """Fill `kept` (as `weights`), the greatest `shift` of each vertex, and the `turn` that shows it."""
    count = order.shape[1]
    place = np.empty((count, 3))
    for v in range(len(points)):
        n = 0
        while n < count and weights[v, n] > 0:
            n += 1
        gram = np.zeros((n, n))
        for p in range(len(moves)):
            if _alike(below[p], order[v], n):
                continue
            _places(points[v], order[v], moves[p], weights[v], n, place)
            for a in range(n):
                for b in range(n):
                    for c in range(3):
                        gram[a, b] += place[a, c] * place[b, c]
        left = np.ones(n, np.bool_)
        for _ in range(n - most):
            least, worst = np.inf, -1
            for k in range(n - 1, -1, -1):
                if left[k]:
                    left[k] = False
                    error = _error(gram, _weighed(gram, weights[v], left))
                    left[k] = True
                    if error < least - 1e-15:
                        least, worst = error, k
            left[worst] = False
        best = _weighed(gram, weights[v], left)
        plain = _weighed(gram, weights[v], np.arange(n) < most)
        if _error(gram, plain) < _error(gram, best):
            best = plain
        kept[v, :n] = best
        for p in range(len(moves)):
            if _alike(below[p], order[v], n):
                continue
            _places(points[v], order[v], moves[p], weights[v], n, place)
            far = 0.0
            for c in range(3):
                moved = 0.0
                for k in range(n):
                    moved += best[k] * place[k, c]
                far += moved * moved
            if np.sqrt(far) > shift[v]:
                shift[v], turn[v] = np.sqrt(far), p
