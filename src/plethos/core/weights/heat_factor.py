"""Heat that is spread only as far as it warms: one factor of the surface, and each source costs what it reaches."""

# mypy: disable-error-code="no-untyped-call"
from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property

import numba as nb
import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse import csgraph

from plethos.core.geometry.factor import symmetric_factor
from plethos.core.geometry.rotations import Array

COLD = 1e-6  # what is no warmer than this is taken for 0
LOTS = 4  # in how many lots pieces are factored: whatever cores there are, so that weights are the same to a bit


@dataclass(frozen=True, eq=False)
class HeatFactor:
    """The factors ``L D L^T`` of a symmetric, positive definite matrix ``(N, N)`` with no positive entry beside the
    diagonal.

    In what order unknowns are eliminated is a forest: what hangs below an unknown meets the rest only through those
    that its column of L names. Where all of these are cold and nothing below is heated, everything below is cold (the
    maximum principle of such matrices) and is left out: no solution is further off than `COLD`.

    Parameters
    ----------
    place
        ``(N,)`` where each unknown lies in the order of elimination.
    starts, rows, values
        L by columns, rows ascending, the diagonal of ones first.
    diagonal
        ``(N,)`` of D.
    above
        ``(N,)`` the unknown that each hangs on, -1 for none.

    References
    ----------
    Davis, "Direct methods for sparse linear systems", 2006, chapters 3 and 4 (from memory), for the forest.
    """

    place: NDArray[np.int32]
    starts: NDArray[np.int32]
    rows: NDArray[np.int32]
    values: Array
    diagonal: Array
    above: NDArray[np.int32]

    @classmethod
    def of(cls, matrix: sparse.csc_matrix) -> HeatFactor:
        """A matrix factored: about a second for 200,000 unknowns of a surface, half of it where that is in pieces."""
        lots = _lots(matrix)
        # They know nothing of each other, and factoring lets go of the interpreter.
        with ThreadPoolExecutor(os.cpu_count()) as pool:
            factors = list(pool.map(lambda own: cls._of_one(matrix[:, own][own]), lots))
        *first, _ = np.cumsum([0, *(len(own) for own in lots)], dtype=np.int32)
        *entry, end = np.cumsum([0, *(len(f.rows) for f in factors)], dtype=np.int32)
        place = np.empty(matrix.shape[0], np.int32)
        for own, factor, n in zip(lots, factors, first, strict=True):
            place[own] = n + factor.place
        return cls(
            place,
            np.concatenate([*(e + f.starts[:-1] for f, e in zip(factors, entry, strict=True)), [end]]),
            np.concatenate([n + f.rows for f, n in zip(factors, first, strict=True)]),
            np.concatenate([f.values for f in factors]),
            np.concatenate([f.diagonal for f in factors]),
            np.concatenate([np.where(f.above < 0, -1, n + f.above) for f, n in zip(factors, first, strict=True)]),
        )

    @classmethod
    def _of_one(cls, matrix: sparse.csc_matrix) -> HeatFactor:
        factor = symmetric_factor(matrix)
        assert (factor.perm_r == factor.perm_c).all(), "a positive definite matrix is never pivoted"
        diagonal = np.asarray(factor.U.diagonal())
        lower = factor.L.tocsc()
        lower.sort_indices()
        hangs = np.diff(lower.indptr) > 1
        above = np.full(len(diagonal), -1, np.int32)
        above[hangs] = lower.indices[lower.indptr[:-1][hangs] + 1]
        return cls(factor.perm_c.astype(np.int32), lower.indptr, lower.indices, lower.data, diagonal, above)

    def warmed(self, unknowns: NDArray[np.integer], heat: NDArray[np.floating]) -> tuple[NDArray[np.intp], Array]:
        """Which unknowns ``(M,)`` get warm, and how warm ``(M,)``, when those given ``(S,)`` are heated."""
        count = len(self.diagonal)
        warm, heats = np.empty(count, np.int32), np.empty(count)
        found = _spread(
            self.starts, self.rows, self.values, self.diagonal, self.above,
            self.place[unknowns], np.asarray(heat, np.float64), warm, heats,
        )  # fmt: skip
        return self._unknowns[warm[:found]], heats[:found]

    @cached_property
    def _unknowns(self) -> NDArray[np.intp]:
        return np.argsort(self.place)


def _lots(matrix: sparse.csc_matrix) -> list[NDArray[np.intp]]:
    """The unknowns in `LOTS` lots of about one size, whole pieces each: less where there are fewer pieces."""
    piece = csgraph.connected_components(matrix, directed=False)[1]
    sizes = np.bincount(piece)
    lot, held = np.empty(len(sizes), np.intp), np.zeros(min(LOTS, len(sizes)))
    for k in np.argsort(-sizes, kind="stable").tolist():
        lot[k] = held.argmin()
        held[lot[k]] += sizes[k]
    return [np.flatnonzero(lot[piece] == n) for n in range(len(held))]


@nb.njit(cache=True, nogil=True, error_model="numpy", fastmath={"reassoc", "contract", "nsz"})
def _spread(starts, rows, values, diagonal, above, heated, heat, warm, heats):  # type: ignore[no-untyped-def]
    """Solve for one source; fills `warm` and `heats` and returns how many there are."""
    count = len(diagonal)
    x = np.zeros(count)
    reached, cold = np.zeros(count, np.bool_), np.zeros(count, np.bool_)
    first = count
    for n in range(len(heated)):
        j = heated[n]
        x[j] = heat[n]
        first = min(first, j)
        while j >= 0 and not reached[j]:
            reached[j] = True
            j = above[j]
    for j in range(first, count):
        if reached[j]:
            for e in range(starts[j] + 1, starts[j + 1]):
                x[rows[e]] -= values[e] * x[j]
            x[j] /= diagonal[j]
    found = 0
    for j in range(count - 1, -1, -1):
        if above[j] >= 0 and cold[above[j]]:
            cold[j] = True
            continue
        total, most = 0.0, 0.0
        for e in range(starts[j] + 1, starts[j + 1]):
            beside = x[rows[e]]
            total += values[e] * beside
            most = max(most, beside)
        cold[j] = not reached[j] and most <= COLD
        if cold[j]:
            continue
        x[j] -= total
        if x[j] > COLD:
            warm[found], heats[found] = j, x[j]
            found += 1
    return found
