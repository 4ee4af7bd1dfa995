"""When the interpreter tidies up: while nobody is at work."""

from __future__ import annotations

import contextlib
import ctypes
import gc
import resource
import time
from pathlib import Path

IDLE = 0.05  # of a core: a server that nobody asks anything takes a tenth of that
QUIET = 5.0  # seconds: whoever only looks at what came of an edit goes on soon
AT_LATEST = 3600.0  # seconds
MOST_GROWN = 100_000_000  # bytes that may come on before somebody's pose waits for it after all
NEVER = 2**31 - 1
PAGE = resource.getpagesize()
ARENA_MAX, MMAP_THRESHOLD = -8, -3  # of mallopt, as malloc.h numbers them
LARGE = 4_000_000  # bytes: a frame's arrays are smaller


class Tidying:
    """Full garbage collections when nobody is at work, instead of in the middle of somebody's pose.

    A full one looks through every character that is open, and nothing else runs meanwhile: a tenth of a second where
    ten are. What is let go without a circle, characters among it, is gone at once, here as ever. What is
    free is given back to the machine.
    """

    def __init__(self) -> None:
        young, middle, _ = gc.get_threshold()
        gc.set_threshold(young, middle, NEVER)
        self._seen = self._worked = self._tidied = time.monotonic()
        self._computed = time.process_time()
        self._due = False
        self._had = held()

    def look(self) -> bool:
        """Tidy up if it is time to; asked for now and then. Whether it was done."""
        now, computed = time.monotonic(), time.process_time()
        if computed - self._computed > IDLE * (now - self._seen):
            self._worked, self._due = now, True
        self._seen, self._computed = now, computed
        if not self._due:
            return False
        waits = now - self._worked < QUIET and now - self._tidied < AT_LATEST
        if waits and held() - self._had < MOST_GROWN:
            return False
        gc.collect()
        _give_back()
        self._had = held()
        # That was work too, but nobody's.
        self._seen = self._tidied = time.monotonic()
        self._computed, self._due = time.process_time(), False
        return True


def held() -> int:
    """Bytes of memory that the process holds."""
    return int(Path("/proc/self/statm").read_text().split()[1]) * PAGE


def _give_back() -> None:
    """Give memory that is free in between back to the machine, where the C library can."""
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).malloc_trim(0)


def few_heaps() -> None:
    """Have all threads share two heaps, and give large arrays back when they are let go, where the C library can.

    Each of forty threads would keep a heap, with what its largest piece of work has left between what lives on.
    Called before there are threads.
    """
    with contextlib.suppress(OSError, AttributeError):
        mallopt = ctypes.CDLL(None).mallopt
        for option, value in ((ARENA_MAX, 2), (MMAP_THRESHOLD, LARGE)):
            mallopt(option, value)
