"""Who edits a character: one page at a time, so that nothing is changed under another's hands."""

from __future__ import annotations

import threading
import time
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field

from plethos.core.errors import BadEditError

HANDS_OFF = 30.0  # seconds without an edit after which another page need not ask
WORKER = "worker"  # long work that was asked for: it changes only what stayed as it was
TAKEN = "The character is being edited in another window: take over there or wait, then do it again."


class BeingEditedError(BadEditError):
    """Another page has the character in hand."""


@dataclass
class Lease:
    """The one page that edits a character; whoever else has it open looks on.

    It is taken by editing. Another page gets it by editing too, once the holder is gone, or has let its hands rest and
    has no sculpt in progress; or by taking over. Programs, which have no page, wait only for a stroke in the air and
    for the sculpt of a page that is there.

    Parameters
    ----------
    clock
        Gives seconds.
    """

    clock: Callable[[], float] = time.monotonic
    _holder: str | None = None
    _last: float = 0.0
    _stroking: bool = False
    _here: Counter[str] = field(default_factory=Counter)
    _listeners: list[Callable[[], None]] = field(default_factory=list)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def come(self, page: str, listener: Callable[[], None]) -> Callable[[], None]:
        """A page sits down at a desk; what is returned is for when it leaves. `listener` is told of every change."""
        with self._lock:
            self._here[page] += 1
            self._listeners.append(listener)

        def leave() -> None:
            with self._lock:
                self._here[page] -= 1
                self._listeners.remove(listener)
                gone = self._here[page] <= 0 and self._holder == page
                if gone:
                    self._holder, self._stroking = None, False
            if gone:
                self._tell()

        return leave

    def is_here(self, page: str) -> bool:
        """Whether a page sits at a desk."""
        with self._lock:
            return self._here[page] > 0

    def elsewhere(self, page: str | None, sculpting: bool) -> bool:
        """Whether another page has the character in hand, so that this one may not edit."""
        with self._lock:
            if self._holder is None or page in (self._holder, WORKER):
                return False
            fresh = self.clock() - self._last < HANDS_OFF
            return sculpting or (fresh and (self._stroking or page is not None))

    def edit(self, page: str | None, sculpting: bool) -> None:
        """Be about to edit.

        Raises
        ------
        BeingEditedError
            When another page has the character in hand.
        """
        if self.elsewhere(page, sculpting):
            raise BeingEditedError(TAKEN)
        if page is not None and page != WORKER:
            self.take_over(page)

    def take_over(self, page: str) -> None:
        """Have the character in hand from now on, whoever had it."""
        with self._lock:
            changed = self._holder != page and self._here[page] > 0
            if changed:
                self._holder, self._stroking = page, False
            if self._holder == page:
                self._last = self.clock()
        if changed:
            self._tell()

    def stroke(self, page: str, in_the_air: bool) -> None:
        """Say whether the holder's pen is down."""
        with self._lock:
            if self._holder == page:
                self._stroking, self._last = in_the_air, self.clock()

    def _tell(self) -> None:
        for listener in list(self._listeners):
            listener()
