"""Factors of large sparse matrices."""

from __future__ import annotations

import contextlib
import itertools
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from scipy import sparse
from scipy.sparse.linalg import splu

from plethos.core.geometry.rotations import Array

# Two, so that two people's solves do not wait for each other.
_HOMES = itertools.cycle([ThreadPoolExecutor(1, "factors") for _ in range(2)])


class Factor:
    """The factors of a symmetric, positive definite matrix, by SuperLU.

    They are made and let go of in a thread of their own: SciPy gives back what SuperLU has taken only in the thread
    that took it, anywhere else it is lost for good (SciPy 1.17, `superlu_python_module_free`). Threads that answer
    people come and go.
    """

    def __init__(self, matrix: sparse.csc_matrix | sparse.csr_matrix) -> None:
        self._home = next(_HOMES)
        self._factors = self._home.submit(symmetric_factor, matrix).result()

    def solve(self, right: Array) -> Array:
        """The solution for one right side ``(N,)`` or several ``(N, K)``."""
        solved: Array = self._factors.solve(right)
        return solved

    def __del__(self) -> None:
        if hasattr(self, "_factors"):
            last = [self._factors]
            del self._factors
            with contextlib.suppress(RuntimeError):  # the interpreter ends
                self._home.submit(last.clear)


def symmetric_factor(matrix: sparse.csc_matrix | sparse.csr_matrix) -> Any:
    """The factors as SciPy has them, which lets go of the interpreter: to be let go of in the thread that asks."""
    options = {"SymmetricMode": True}
    return splu(matrix.tocsc(), permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options=options)
