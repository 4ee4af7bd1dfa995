"""A piece of long work in the hands of a worker."""

from __future__ import annotations

import threading
import time
from typing import Any

from plethos.service.jobs.kind import Task, UnwantedError
from plethos.service.library.blob_arrays import BlobArrays
from plethos.service.library.workbench import Workbench
from plethos.store.owned_work import OwnedWork, Report
from plethos.store.transactions import AWAY
from plethos.store.work import DisownedError, Work

TOLD_EVERY = 0.2  # seconds: the database bears twenty workers that tell how far they are


class OwnedTask(Task):
    """A piece of work in the hands of its owner.

    Parameters
    ----------
    owner
        What the owner is known by: see `OwnedWork.take`.
    """

    def __init__(self, bench: Workbench, owned: OwnedWork, work: Work, owner: str) -> None:
        arrays = BlobArrays(bench.store.blobs)
        super().__init__(bench, work.character_id, work.arguments, work.revision_id, arrays)
        self.work, self.owner = work, owner
        self.lost = threading.Event()
        """Set once the piece is another's."""
        self._owned, self._told = owned, 0.0

    def progress(self, share: float, so_far: dict[str, Any] | None = None) -> None:
        if self.lost.is_set():
            raise DisownedError
        if so_far is None and time.monotonic() - self._told < TOLD_EVERY:
            return
        self._told = time.monotonic()
        report = None if so_far is None else Report(so_far, self.arrays.fresh)
        try:
            wanted = self._owned.progress(self.work.id, self.owner, share, report)
        except AWAY:
            return  # the database is away: what was worked out so far is no worse for it
        if not wanted:
            raise UnwantedError
