"""What a kind of long work is, and what it is given while it is done."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, ClassVar

from plethos.core.arrays import Arrays
from plethos.core.character import Character
from plethos.core.formats.files import Source
from plethos.service.library.blob_arrays import BlobArrays
from plethos.service.library.open_character import OpenCharacter
from plethos.service.library.version import HeldSculpt, Version
from plethos.service.library.workbench import Workbench
from plethos.service.schemas.common import Schema

LONG = 2.0  # seconds: what is likely to take more is for a worker


class UnwantedError(Exception):
    """Whoever asked for long work does not want it any more."""


class Task(ABC):
    """A piece of work while it is done, wherever that is.

    Parameters
    ----------
    arguments
        What it was asked with.
    revision_id
        The revision of the character that it is of; None = whatever it is now.
    arrays
        Where arrays of what it comes to are put.
    """

    def __init__(
        self,
        bench: Workbench,
        character_id: str,
        arguments: Mapping[str, Any],
        revision_id: str | None,
        arrays: BlobArrays,
    ) -> None:
        self.bench, self.character_id, self.arguments = bench, character_id, arguments
        self.revision_id, self.arrays = revision_id, arrays

    @cached_property
    def version(self) -> Version:
        """The character as it was when the work was asked for, whatever was made of it since."""
        return self.bench.version_at(self.character_id, self.revision_id)

    @property
    def source(self) -> Source:
        """The file that it was read from."""
        return self.bench.open(self.character_id).source

    @abstractmethod
    def progress(self, share: float, so_far: dict[str, Any] | None = None) -> None:
        """Say how much is done, 0 to 1, and what it has come to so far: called between two steps.

        Raises
        ------
        UnwantedError
            When nobody wants the rest.
        DisownedError
            When it was taken up by another.
        """


class JobKind(ABC):
    """A kind of long work: worked out of a fixed version, in parts or whole, by whichever workers there are.

    It comes to a document: plain data, whose arrays are put into the task's.
    """

    name: ClassVar[str]
    arguments: ClassVar[type[Schema]]
    """What it is asked with."""
    ends_with_page: ClassVar[bool] = False
    """Whether nobody wants it any more once the page that asked is gone."""

    def takes_long(self, version: Version, arguments: Mapping[str, Any]) -> bool:
        """Whether it is likely to take over two seconds, by the sizes of what it has to look at.

        What does not is done at once for whoever asks: see `Jobs.have_done`.
        """
        return True

    def parts(self, task: Task) -> Sequence[Mapping[str, Any]]:
        """The arguments of the parts that it falls into; the whole by itself unless a kind says otherwise."""
        return [task.arguments]

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


@dataclass(frozen=True, eq=False)
class Edited:
    """What long work makes of a character.

    Parameters
    ----------
    label
        Of the edit.
    sculpt
        The sculpt in progress after it.
    """

    label: str
    character: Character
    sculpt: HeldSculpt | None = None


class EditKind(JobKind):
    """Long work that ends in an edit: stored at once where nothing was changed meanwhile, else offered."""

    sculpts: ClassVar[bool] = False
    """Whether it is about a sculpt in progress; what is not would be in its way."""

    @abstractmethod
    def edited(self, now: Version, document: Mapping[str, Any], arrays: Arrays) -> Edited:
        """The character with what the work came to.

        Raises
        ------
        BadEditError
            When it does not fit on what the character is now.
        """

    def store(
        self,
        bench: Workbench,
        opened: OpenCharacter,
        document: Mapping[str, Any],
        arrays: Arrays,
        along: Callable[..., None] | None = None,
    ) -> Version:
        """Make the edit on the character as it is now; `along` and errors as of `Workbench.commit`."""
        with opened.editing:
            made = self.edited(opened.version, document, arrays)
            return bench.commit(opened, made.label, made.character, made.sculpt, along=along)
