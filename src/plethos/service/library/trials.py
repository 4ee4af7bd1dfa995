"""Kinds of remedy that were tried and not stored: kept at hand, to be looked at before one is taken.

Each page has its own: what one asks wipes nothing of another's. They are of the version that was shown, and go with it.
"""

from __future__ import annotations

import json
import threading
from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from plethos.core.character import Character
from plethos.core.evaluate import Evaluator
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.pose_files import pose_to_json
from plethos.service.library.blob_arrays import BlobArrays
from plethos.service.library.documents import restore

MOST_PAGES = 4  # whose trials are kept: each is a character for every kind


@dataclass(frozen=True)
class TrialSubject:
    """What kinds were tried for: a joint in a pose of a version, which is told by what was made ready of it."""

    before: Evaluator
    joint: str
    pose: str

    @classmethod
    def of(cls, before: Evaluator, joint: int, pose: Pose) -> TrialSubject:
        """A joint by its number in a pose."""
        skeleton = before.character.skeleton
        return cls(before, skeleton.names[joint], json.dumps(pose_to_json(skeleton, pose), sort_keys=True))


@dataclass(eq=False)
class Trial:
    """A kind that was tried, as it would be stored.

    Parameters
    ----------
    bare
        The character as read from its file.
    before
        As it was tried on.
    document, arrays
        With the kind.
    """

    bare: Character
    before: Character
    document: Mapping[str, Any]
    arrays: BlobArrays

    @cached_property
    def character(self) -> Character:
        """With the kind: read when somebody looks at it."""
        return restore(self.bare, self.document, self.arrays, self.before)[0]


@dataclass(eq=False)
class Trials:
    """What a page has tried last: of one joint in one pose, since more would fill the memory."""

    subject: TrialSubject | None = None
    found: dict[str, Trial] = field(default_factory=dict)
    _evaluators: dict[str, tuple[Trial, Evaluator]] = field(default_factory=dict)

    def of(self, subject: TrialSubject) -> dict[str, Trial]:
        """What was tried for that, by kind; what was tried for something else is let go."""
        if self.subject != subject:
            self.subject, self.found, self._evaluators = subject, {}, {}
        return self.found

    def evaluator(self, kind: str, before: Evaluator) -> Evaluator | None:
        """What was made ready, with what was tried on it last of a kind; None when it is not there any more."""
        tried = self.found.get(kind)
        if tried is None or self.subject is None or self.subject.before is not before:
            return None
        known = self._evaluators.get(kind)
        if known is None or known[0] is not tried:
            known = self._evaluators[kind] = (tried, Evaluator.of(tried.character, before))
        return known[1]


@dataclass(eq=False)
class TrialsOfPages:
    """The trials of the pages that have last asked for some, by page; None = programs."""

    _of: OrderedDict[str | None, Trials] = field(default_factory=OrderedDict)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def of(self, page: str | None) -> Trials:
        """Those of a page; made when it has none yet."""
        with self._lock:
            found = self._of.setdefault(page, Trials())
            self._of.move_to_end(page)
            while len(self._of) > MOST_PAGES:
                self._of.popitem(last=False)
            return found

    def clear(self) -> None:
        """Let all go: another version is shown."""
        with self._lock:
            self._of.clear()
