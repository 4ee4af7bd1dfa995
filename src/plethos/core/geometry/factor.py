"""Factors of large sparse matrices."""

from __future__ import annotations

import itertools
import threading
from collections.abc import Callable
from concurrent.futures import Future
from queue import SimpleQueue
from typing import Any

from scipy import sparse
from scipy.sparse.linalg import splu

from plethos.core.geometry.rotations import Array


class _Home:
    """A thread in which factors are made and let go of; begun when it is first asked."""

    def __init__(self) -> None:
        # What may be put into by whoever collects garbage, in the middle of anything: no lock of ours is taken for it.
        self._given: SimpleQueue[tuple[Callable[[], Any] | None, Any]] = SimpleQueue()
        self._begins = threading.Lock()
        self._thread: threading.Thread | None = None

    def made(self, make: Callable[[], Any]) -> Any:
        """What `make` makes there."""
        with self._begins:
            if self._thread is None:
                self._thread = threading.Thread(target=self._live, name="factors", daemon=True)
                self._thread.start()
        made: Future[Any] = Future()
        self._given.put((make, made))
        return made.result()

    def let_go(self, last: list[Any]) -> None:
        """Let go there of what a list alone holds."""
        self._given.put((None, last))

    def _live(self) -> None:
        while True:
            make, given = self._given.get()
            if make is None:
                given.clear()
            else:
                try:
                    given.set_result(make())
                except BaseException as error:
                    given.set_exception(error)
            del make, given


# Two, so that two people's solves do not wait for each other.
_HOMES = itertools.cycle([_Home() for _ in range(2)])


class Factor:
    """The factors of a symmetric, positive definite matrix, by SuperLU.

    They are made and let go of in a thread of their own: SciPy gives back what SuperLU has taken only in the thread
    that took it, anywhere else it is lost for good (SciPy 1.17, `superlu_python_module_free`). Threads that answer
    people come and go.
    """

    def __init__(self, matrix: sparse.csc_matrix | sparse.csr_matrix) -> None:
        self._home = next(_HOMES)
        self._factors = self._home.made(lambda: symmetric_factor(matrix))

    def solve(self, right: Array) -> Array:
        """The solution for one right side ``(N,)`` or several ``(N, K)``."""
        solved: Array = self._factors.solve(right)
        return solved

    def __del__(self) -> None:
        if hasattr(self, "_factors"):
            last = [self._factors]
            del self._factors
            self._home.let_go(last)


def symmetric_factor(matrix: sparse.csc_matrix | sparse.csr_matrix) -> Any:
    """The factors as SciPy has them, which lets go of the interpreter: to be let go of in the thread that asks."""
    options = {"SymmetricMode": True}
    return splu(matrix.tocsc(), permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options=options)
