"""A piece of work that is done at once, in this process, for whoever asks and waits."""

from __future__ import annotations

import threading
from collections.abc import Generator, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from queue import Empty, SimpleQueue
from typing import Any

from plethos.service.jobs.kind import JobKind, Task, UnwantedError
from plethos.service.library.blob_arrays import BlobArrays
from plethos.service.library.version import Version
from plethos.service.library.workbench import Workbench

# Kept: each new thread would bring a heap of its own.
_hands = ThreadPoolExecutor(4, "at once")


@dataclass(frozen=True)
class Step:
    """How far work has got: the share of it, and what it has come to so far."""

    share: float
    so_far: dict[str, Any] | None = None


END = Step(1.0)  # after the last
MOMENT = 0.05  # seconds that whoever has no turn is held for


class TaskHere(Task):
    """A piece of work on a version that is at hand."""

    def __init__(self, bench: Workbench, version: Version, arguments: Mapping[str, Any]) -> None:
        opened = bench.open(version.revision.character_id)
        arrays = BlobArrays(bench.store.blobs, opened.arrays)
        super().__init__(bench, version.revision.character_id, arguments, version.revision.id, arrays)
        self.version = version
        self._told = SimpleQueue[Step]()
        self._unwanted = threading.Event()

    def progress(self, share: float, so_far: dict[str, Any] | None = None) -> None:
        if self._unwanted.is_set():
            raise UnwantedError
        self._told.put(Step(share, so_far))

    def steps(self, kind: JobKind, waits: bool) -> Generator[Step | None, None, dict[str, Any]]:
        """Have it done, and be told of each step; returns what it comes to.

        None tells that there is nothing new for now. Whoever stops asking before the end stops it.

        Parameters
        ----------
        waits
            Whether each step is waited for: whoever asks has a turn, and nothing is told late.
        """
        coming = _hands.submit(self._come_to, kind)
        coming.add_done_callback(lambda _: self._told.put(END))
        try:
            while (step := self._next(waits)) is not END:
                yield step
        finally:
            self._unwanted.set()
        return coming.result()

    def _next(self, waits: bool) -> Step | None:
        try:
            return self._told.get(timeout=None if waits else MOMENT)
        except Empty:
            return None

    def _come_to(self, kind: JobKind) -> dict[str, Any]:
        if self._unwanted.is_set():
            raise UnwantedError
        return kind.merge(self, [kind.run(self, part) for part in kind.parts(self)])
