"""Fewer influences for a vertex, chosen and weighted so that it goes on moving as it did."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.character import Character
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skin.binding import rows_of
from plethos.core.weights.fit_kernels import fit_weights
from plethos.core.weights.rows import with_rows

AT_ONCE = 5_000  # vertices between two looks whether it is still wanted
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
    of_joint = {j: character.skeleton.subtree(j) for j in {joint for joint, _ in turns}}
    below = np.array([of_joint[j] for j, _ in turns], bool).reshape(len(turns), -1)
    kept = np.zeros_like(rows)
    shift, turn = np.zeros(len(many)), np.zeros(len(many), np.int64)
    sets, starts, telling = _telling(order, rows, below)
    points = character.mesh.rest[many].astype(np.float64)

    def fit(first: int) -> None:
        some = slice(first, first + AT_ONCE)
        own = (points[some], order[some], rows[some], moves, sets[some], starts, telling)
        fit_weights(*own, most, kept[some], shift[some], turn[some])

    firsts = range(0, len(many), AT_ONCE)
    with ThreadPoolExecutor(os.cpu_count()) as hands:
        try:
            for number, _ in enumerate(hands.map(fit, firsts)):
                progress((number + 1) / len(firsts))
        finally:
            hands.shutdown(cancel_futures=True)
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
