"""What a kind of long work is, and what it is given while it is done."""

from __future__ import annotations

import threading
import time
from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from functools import cached_property
from typing import Any, ClassVar

from plethos.core.arrays import Arrays
from plethos.core.character import Character
from plethos.service.library.blob_arrays import BlobArrays
from plethos.service.library.version import Version
from plethos.service.library.workbench import Workbench
from plethos.service.schemas.common import Schema
from plethos.store.owned_work import OwnedWork
from plethos.store.transactions import AWAY
from plethos.store.work import DisownedError, Work

TOLD_EVERY = 0.2  # seconds: the database bears twenty workers that tell how far they are


class UnwantedError(Exception):
    """Whoever asked for long work does not want it any more."""


class Task:
    """A piece of work in the hands of its owner.

    Parameters
    ----------
    owner
        What the owner is known by: see `OwnedWork.take`.
    """

    def __init__(self, bench: Workbench, owned: OwnedWork, work: Work, owner: str) -> None:
        self.bench, self.work, self.owner = bench, work, owner
        self.arrays = BlobArrays(bench.store.blobs)
        """Where arrays of what it comes to are put."""
        self.lost = threading.Event()
        """Set once the piece is another's."""
        self._owned, self._told = owned, 0.0

    @cached_property
    def version(self) -> Version:
        """The character as it was when the work was asked for, whatever was made of it since."""
        return self.bench.version_at(self.work.character_id, self.work.revision_id)

    def progress(self, share: float) -> None:
        """Say how much is done, 0 to 1: called between two steps.

        Raises
        ------
        UnwantedError
            When nobody wants the rest.
        DisownedError
            When it was taken up by another.
        """
        if self.lost.is_set():
            raise DisownedError
        if time.monotonic() - self._told < TOLD_EVERY:
            return
        self._told = time.monotonic()
        try:
            wanted = self._owned.progress(self.work.id, self.owner, share)
        except AWAY:
            return  # the database is away: what was worked out so far is no worse for it
        if not wanted:
            raise UnwantedError


class JobKind(ABC):
    """A kind of long work: worked out of a fixed version, in parts or whole, by whichever workers there are.

    It comes to a document: plain data, whose arrays are put into the task's.
    """

    name: ClassVar[str]
    arguments: ClassVar[type[Schema]]
    """What it is asked with."""
    ends_with_page: ClassVar[bool] = False
    """Whether nobody wants it any more once the page that asked is gone."""

    def parts(self, task: Task) -> Sequence[Mapping[str, Any]]:
        """The arguments of the parts that it falls into; the whole by itself unless a kind says otherwise."""
        return [task.work.arguments]

    @abstractmethod
    def run(self, task: Task, arguments: Mapping[str, Any]) -> dict[str, Any]:
        """Do a part, or the whole; what it comes to.

        Raises
        ------
        PlethosError
            When it cannot be done: the whole has failed then, with that sentence.
        """

    def merge(self, task: Task, documents: Sequence[dict[str, Any]]) -> dict[str, Any]:
        """Put together what the parts came to, in their order."""
        (only,) = documents
        return only


class EditKind(JobKind):
    """Long work that ends in an edit: stored at once where nothing was changed meanwhile, else offered."""

    @abstractmethod
    def label(self, arguments: Mapping[str, Any]) -> str:
        """Of the edit."""

    @abstractmethod
    def edited(self, now: Character, document: Mapping[str, Any], arrays: Arrays) -> Character:
        """The character with what the work came to.

        Raises
        ------
        BadEditError
            When it does not fit on what the character is now.
        """
