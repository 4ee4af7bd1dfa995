"""One stored version of a character, and what may stand in its way."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any


@dataclass(frozen=True)
class Revision:
    """One state of a character.

    Parameters
    ----------
    id
        Its own: no other revision ever has it.
    number, last
        Its place in the line, and the highest there is to redo to.
    label
        What the edit that led here was.
    picture
        The hash of the character's picture; None = nobody has drawn it yet.
    """

    id: str
    character_id: str
    name: str
    number: int
    last: int
    label: str
    document: dict[str, Any]
    file_hash: str
    picture: str | None
    demo: bool
    saved_at: datetime


class Missing(Exception):  # noqa: N818
    """There is no such character, revision or blob."""


class Unkept(Exception):  # noqa: N818
    """A document names blobs that are not stored (any more).

    Parameters
    ----------
    hashes
        Theirs.
    """

    def __init__(self, hashes: set[str]) -> None:
        super().__init__(", ".join(sorted(hashes)))
        self.hashes = hashes


class Overtaken(Exception):  # noqa: N818
    """The character was edited by someone else since."""
