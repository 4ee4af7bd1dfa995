"""Asking for long work, and taking what it came to. Who does it: see `worker`."""

from __future__ import annotations

from typing import Any

from plethos.core.errors import BadEditError
from plethos.service.jobs.kind import EditKind
from plethos.service.jobs.kinds import KINDS
from plethos.service.library.blob_arrays import BlobArrays
from plethos.service.library.open_character import NotThereError
from plethos.service.library.version import Version
from plethos.service.library.workbench import Workbench
from plethos.store.work import DisownedError, TooMuchError, Work, WorkList

MOST_OF_A_PAGE = 4  # pieces under way that one page has asked for
MOST = 40  # on the whole server
OFF_THE_LIST = "That work is not on the list any more."
TOO_MUCH = "There is too much under way already: wait for some of it, or cancel some."


class Jobs:
    """All long work on characters, as whoever asks for it sees it.

    Parameters
    ----------
    bench
        Of whoever asks.
    """

    def __init__(self, bench: Workbench) -> None:
        self.bench, self.list = bench, WorkList(bench.store.transactions)

    def ask(self, kind: str, character_id: str, **arguments: Any) -> Work:
        """Have something done with a character as it is now; returns at once.

        What is under way already with the same arguments, of the same revision, is not asked for twice.

        Raises
        ------
        BadEditError
            When there is too much under way, or a sculpt in progress would be in the way of an edit.
        """
        job, opened = KINDS[kind], self.bench.open(character_id)
        if isinstance(job, EditKind):
            opened.refuse_while_sculpting()
        asked = job.arguments(**arguments).model_dump(mode="json")
        try:
            return self.list.ask(
                character_id, kind, asked, opened.revision.id, self.bench.page, MOST_OF_A_PAGE, MOST
            )  # fmt: skip
        except TooMuchError:
            raise BadEditError(TOO_MUCH) from None

    def find(self, work_id: str) -> Work:
        """A piece of work that was asked for.

        Raises
        ------
        NotThereError
            When it is not on the list any more.
        """
        work = self.list.find(work_id)
        if work is None:
            raise NotThereError(OFF_THE_LIST)
        return work

    def take(self, work_id: str) -> Version:
        """Make the edit that is offered, on the character as it is now.

        Raises
        ------
        NotThereError
            When it is not offered any more.
        BadEditError
            When it does not fit any more.
        """
        work, document = self.find(work_id), self.list.report(work_id)
        kind = KINDS[work.kind]
        if document is None or not isinstance(kind, EditKind):
            raise NotThereError(OFF_THE_LIST)
        arrays = BlobArrays(self.bench.store.blobs)
        opened = self.bench.open(work.character_id)
        with opened.editing:
            opened.take(self.bench.page)
            opened.refuse_while_sculpting()
            made = kind.edited(opened.character, document, arrays)
            try:
                along = self.list.settling(work_id)
                return self.bench.commit(opened, kind.label(work.arguments), made, along=along)
            except DisownedError:
                raise NotThereError(OFF_THE_LIST) from None

    def leave_page(self, page: str) -> None:
        """A page is gone: nobody wants what only it would have looked at."""
        for work in self.list.under_way(page=page):
            if KINDS[work.kind].ends_with_page:
                self.list.cancel(work.id)
