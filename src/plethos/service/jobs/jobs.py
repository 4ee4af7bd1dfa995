"""Asking for long work, and taking what it came to. Who does it: see `worker`, and `task_here`."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Generator, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from plethos.core.errors import BadEditError
from plethos.core.propose.steps import told_as
from plethos.service.jobs.kind import EditKind, JobKind
from plethos.service.jobs.kinds import KINDS
from plethos.service.jobs.task_here import Step, TaskHere
from plethos.service.library.blob_arrays import BlobArrays
from plethos.service.library.open_character import NotThereError, OpenCharacter
from plethos.service.library.version import Version
from plethos.service.library.workbench import Workbench
from plethos.store.work import DONE, FAILED, WAITING, DisownedError, TooMuchError, Work, WorkList

MOST_OF_A_PAGE = 4  # pieces under way that one page has asked for
MOST = 40  # on the whole server
LAPSED = 8.0  # seconds without a sign of life after which a worker is taken to be gone
LOOK = 0.25  # seconds between two looks how far a worker has got
PATIENCE = 1.0  # seconds for a worker to take up what somebody waits for: with none at work it is done here
OFF_THE_LIST = "That work is not on the list any more."
TOO_MUCH = "There is too much under way already: wait for some of it, or cancel some."

_stand_ins = threading.Semaphore(2)  # pieces that this process does at the same time where there is no worker


@dataclass(frozen=True)
class Now:
    """How far work has got that somebody waits for.

    Parameters
    ----------
    arrays
        Those that the document names.
    document
        What it has come to so far, or in the end; None where there is nothing yet.
    version
        What was stored in the end, of what ends in an edit.
    """

    share: float
    arrays: BlobArrays
    document: dict[str, Any] | None = None
    version: Version | None = None


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
        """Have something done by a worker with a character as it is now; returns at once.

        What is under way already with the same arguments, of the same revision, is not asked for twice.

        Raises
        ------
        BadEditError
            When there is too much under way, or a sculpt in progress would be in the way of an edit.
        """
        job, asked, version = self._asked(kind, character_id, arguments)
        return self._listed(job, asked, version)

    def ask_anew(self, kind: str, character_id: str, **arguments: Any) -> Work:
        """The same, once for a revision whatever the arguments; what is under way of an older one is stopped."""
        job, asked, version = self._asked(kind, character_id, arguments)
        for work in self.list.of_character(character_id):
            if work.kind == kind and work.is_under_way:
                if work.revision_id == version.revision.id:
                    return work
                self.list.cancel(work.id)
        return self._listed(job, asked, version)

    def have_done(
        self, kind: str, character_id: str, handed_on: Callable[[], object] = lambda: None, **arguments: Any
    ) -> Iterator[Now]:
        """Have something done and wait for it, in this thread: see `following`."""
        for now in self.following(kind, character_id, handed_on, **arguments):
            if now is None:
                time.sleep(LOOK)
            else:
                yield now

    def following(
        self, kind: str, character_id: str, handed_on: Callable[[], object], **arguments: Any
    ) -> Generator[Now | None, None, None]:
        """Have something done and be told how far it has got: at once where that is short, else by a worker.

        None tells that a worker has nothing new to tell: whoever asks looks again after a while, and holds no thread
        meanwhile. Whoever stops asking before it is through stops it, and nothing is changed.

        Parameters
        ----------
        handed_on
            Called when it is a worker's.

        Raises
        ------
        PlethosError
            When it cannot be done.
        """
        job, asked, version = self._asked(kind, character_id, arguments)
        if not job.takes_long(version, asked):
            yield from self._here(job, version, asked, waits=True)
            return
        handed_on()
        if not (yield from self._by_a_worker(self._listed(job, asked, version))):
            try:
                yield from self._here(job, version, asked, waits=False)
            finally:
                _stand_ins.release()

    def _asked(
        self, kind: str, character_id: str, arguments: Mapping[str, Any]
    ) -> tuple[JobKind, dict[str, Any], Version]:
        """What is asked for, with what, and of which version."""
        job, opened = KINDS[kind], self.bench.open(character_id)
        asked = job.arguments(**arguments).model_dump(mode="json")
        _refuse_in_the_way(job, opened)
        return job, asked, opened.version

    def _listed(self, job: JobKind, asked: dict[str, Any], version: Version) -> Work:
        """Put it on the list for the workers."""
        of = version.revision
        try:
            return self.list.ask(of.character_id, job.name, asked, of.id, self.bench.page, MOST_OF_A_PAGE, MOST)
        except TooMuchError:
            raise BadEditError(TOO_MUCH) from None

    def _here(
        self, job: JobKind, version: Version, asked: dict[str, Any], waits: bool
    ) -> Generator[Now | None, None, None]:
        """Have it done in this process, and stored."""
        task, made = TaskHere(self.bench, version, asked), None

        def now(step: Step | None) -> Now | None:
            return None if step is None else Now(step.share, task.arrays, step.so_far)

        document = yield from told_as(task.steps(job, waits), now)
        if isinstance(job, EditKind):
            made = job.store(self.bench, self.bench.open(task.character_id), document, task.arrays)
        yield Now(1.0, task.arrays, document, made)

    def _by_a_worker(self, work: Work) -> Generator[Now | None, None, bool]:
        """Follow a piece of work to its end; False when there is no worker, and this process stands in for one."""
        asked, told = time.monotonic(), -1.0
        arrays = BlobArrays(self.bench.store.blobs, self.bench.open(work.character_id).arrays)
        try:
            while work.is_under_way:
                if work.share != told:
                    told = work.share
                    yield Now(told, arrays, self.list.report(work.id))
                alone = work.state == WAITING and time.monotonic() - asked > PATIENCE
                if alone and not self.list.is_worked_on(LAPSED) and _stand_ins.acquire(blocking=False):
                    if self.list.withdraw(work.id):
                        return False
                    _stand_ins.release()
                yield None
                work = self.find(work.id)
        finally:
            if work.is_under_way:
                self.list.cancel(work.id)
        if work.state == FAILED:
            raise BadEditError(work.detail or "")
        stored = work.state == DONE and isinstance(KINDS[work.kind], EditKind)
        made = self.bench.shelf.catch_up(work.character_id).version if stored else None
        yield Now(1.0, arrays, self.list.report(work.id), made)
        return True

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
            _refuse_in_the_way(kind, opened)
            try:
                return kind.store(self.bench, opened, document, arrays, self.list.settling(work_id))
            except DisownedError:
                raise NotThereError(OFF_THE_LIST) from None

    def leave_page(self, page: str) -> None:
        """A page is gone: nobody wants what only it would have looked at."""
        for work in self.list.under_way(page=page):
            if KINDS[work.kind].ends_with_page:
                self.list.cancel(work.id)


def _refuse_in_the_way(kind: JobKind, opened: OpenCharacter) -> None:
    if isinstance(kind, EditKind) and not kind.sculpts:
        opened.refuse_while_sculpting()
