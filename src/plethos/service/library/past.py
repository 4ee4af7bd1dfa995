"""A character's past: its newest steps, states that were given a name, and fewer steps on request."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from plethos.core.errors import BadEditError
from plethos.core.skeleton.names import printable
from plethos.service.library.open_character import OpenCharacter
from plethos.service.library.shelf import there
from plethos.service.library.version import OvertakenError, Version
from plethos.service.library.workbench import Workbench, refuse_picture
from plethos.store.history import History, Named, Step
from plethos.store.revision import Overtaken
from plethos.store.sweep import Sweep

MOST_SHOWN = 30  # steps
NO_NAME = "Give it a name first."
NOT_NAMED = "That state is not among the named ones any more."
LISTS = {"remedies": "remedy", "triggers": "trigger", "dials": "dial", "regions": "region", "poses": "pose"}
WHOLES = {
    "weights": "weights",
    "joints": "joints",
    "motions": "clips",
    "dial_tracks": "dials of clips",
    "drawing": "drawing",
}


@dataclass(frozen=True)
class Past:
    """What is told of a character's past.

    Parameters
    ----------
    steps
        How many there are up to the present state.
    newest
        Some of them, newest first.
    named
        Those that have a name, newest first, each with what is different now.
    """

    steps: int
    newest: list[Step]
    named: list[tuple[Named, list[str]]]


class PastOfCharacter:
    """The past of one character.

    Parameters
    ----------
    opened
        It.
    """

    def __init__(self, bench: Workbench, opened: OpenCharacter) -> None:
        self.bench, self.opened = bench, opened
        self._history = History(bench.store.transactions)
        self._id = opened.revision.character_id

    def told(self) -> Past:
        """All of it that is shown."""
        with there():
            steps, newest = self._history.newest(self._id, MOST_SHOWN)
            now = self.opened.revision.document
            named = [(n, what_changed(n.document, now)) for n in self._history.named(self._id)]
        return Past(steps, newest, named)

    def name(self, name: str) -> None:
        """Give the present state a name.

        Raises
        ------
        BadEditError
            When it is none.
        """
        tidy = printable(name)[:120]
        if not tidy:
            raise BadEditError(NO_NAME)
        with there():
            self._history.name(self._id, tidy)

    def unname(self, named_id: str) -> None:
        """Take a name away; the step stays."""
        with there(NOT_NAMED):
            self._history.unname(self._id, named_id)

    def picture(self, named_id: str) -> bytes:
        """The picture of a state that has a name."""
        with there(NOT_NAMED):
            return self.bench.store.blob(self._history.one(self._id, named_id).picture or "")

    def set_picture(self, named_id: str, data: bytes) -> None:
        """Keep what a page has drawn of a state that has a name.

        Raises
        ------
        BadFileError
            When it is no small PNG or WebP.
        """
        refuse_picture(data)
        with there(NOT_NAMED):
            self._history.set_picture(self._id, named_id, data)

    def go_back(self, named_id: str) -> Version:
        """Be as it was then: an edit, so that it can be undone."""
        with there(NOT_NAMED):
            named = self._history.one(self._id, named_id)
        with self.opened.editing:
            self.opened.take(self.bench.page)
            try:
                with there():
                    made = self.bench.store.append(
                        self._id, f"Back to “{named.name}”", named.document, {}, after=self.opened.revision.id
                    )
            except Overtaken:
                self.bench.shelf.catch_up(self._id)
                raise OvertakenError from None
            return self.bench.shelf.show(self.opened, made)

    def thin(self, keep: int) -> int:
        """Forget all steps but the newest, the first, and those with a name; how many went."""
        with self.opened.editing:
            self.opened.take(self.bench.page)
            with there():
                gone = self._history.thin(self._id, keep)
                self.opened.renamed(self.bench.store.current(self._id))
        Sweep(self.bench.store.transactions).blobs()
        return gone


def what_changed(before: Mapping[str, Any], now: Mapping[str, Any]) -> list[str]:
    """What is different between two documents, in a few words each."""
    told = list[str]()
    for key, word in LISTS.items():
        was, has = (_by_name(d.get(key) or ()) for d in (before, now))
        for verb, names in (
            ("new", [n for n in has if n not in was]),
            ("gone", [n for n in was if n not in has]),
            ("changed", [n for n in has if n in was and has[n] != was[n]]),
        ):
            told += [f"{word} “{n}” {verb}" for n in names]
    told += [f"{word} changed" for key, word in WHOLES.items() if before.get(key) != now.get(key)]
    if before.get("sculpt") != now.get("sculpt"):
        told.append("sculpt in progress")
    return told


def _by_name(rows: Any) -> dict[str, Any]:
    return {str(row.get("name") or row.get("id") or "picked"): row for row in rows}
