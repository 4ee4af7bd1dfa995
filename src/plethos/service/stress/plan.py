"""The plan of a version: its ways by name, what each depends on, and the parts that they are measured in."""

from __future__ import annotations

import hashlib
import json
import threading
from collections.abc import Iterable
from functools import cached_property
from typing import Any

from plethos.core.joints.body_plan import proposed_hinges
from plethos.core.rules.remedies import Remedy
from plethos.core.sweep.plan import Scope, Way
from plethos.core.sweep.reading import acting_on
from plethos.core.sweep.report import FORMAT, spot_json, way_name
from plethos.core.sweep.sweep import walked, ways_of
from plethos.core.sweep.sweeper import Sweeper
from plethos.service.library.version import Version
from plethos.store.swept import SweptWay

AT_ONCE = 4  # pairs in one part: each takes a part of a second
RULES = ("dials", "triggers", "groups", "remedies")
BASE = ("weld", "drawing", "joints", "weights", "up", "version")


class VersionPlan:
    """The plan of one version.

    Parameters
    ----------
    version
        Which is swept.
    """

    def __init__(self, version: Version) -> None:
        self.version, self.sweeper = version, Sweeper.of(version.character, version.evaluator)
        self._reads: dict[str, str] = {}

    @cached_property
    def ways(self) -> dict[str, Way]:
        """All ways by name, in the order in which they are walked.

        Raises
        ------
        BadEditError
            When there is nothing to sweep.
        """
        character = self.version.character
        return {way_name(self.sweeper, w): w for w in ways_of(character, proposed_hinges(character), Scope())}

    def parts(self, stale: Iterable[str], first: str | None) -> list[list[str]]:
        """The names of ways that belong together: those of a joint, some pairs, a clip; a chosen joint's come first."""
        bundles: dict[str, list[str]] = {}
        for name in stale:
            bundles.setdefault(self._bundle(name), []).append(name)
        return [bundles[key] for key in sorted(bundles, key=lambda key: key != f"joint {first}")]

    def _bundle(self, name: str) -> str:
        way = self.ways[name]
        if way.kind == "joint":
            return f"joint {self.version.character.skeleton.names[way.joints[0]]}"
        if way.kind == "pair":
            return f"pairs {self._pairs.index(name) // AT_ONCE}"
        return name if way.kind == "clip" else "kept poses"

    @cached_property
    def _pairs(self) -> list[str]:
        return [name for name, way in self.ways.items() if way.kind == "pair"]

    @cached_property
    def _base(self) -> str:
        """Mesh, joints and weights, and how a sweep is stored."""
        own = {key: self.version.revision.document.get(key) for key in BASE}
        return _hash([FORMAT, self.version.revision.file_hash, own])

    @cached_property
    def _rows(self) -> dict[str, Any]:
        return {row["id"]: row for kind in RULES for row in self.version.revision.document.get(kind) or ()}

    def reads(self, name: str) -> str:
        """What the measures of a way depend on, as a hash."""
        if name not in self._reads:  # a list that is being measured is asked for once a second
            way = self.ways[name]
            own = [[s.at, *self._plain(s.pose)] for s in way.stops]
            self._reads[name] = _hash([self._base, own, [self._behind(r) for r in acting_on(self.sweeper, way)]])
        return self._reads[name]

    @staticmethod
    def _plain(pose: Any) -> list[Any]:
        arrays = (pose.rotations, pose.translations, pose.scales)
        told = [None if a is None else hashlib.sha256(a.tobytes()).hexdigest() for a in arrays]
        return [*told, sorted((pose.shape_weights or {}).items()), sorted((pose.dials or {}).items())]

    def _behind(self, remedy: Remedy) -> list[Any]:
        """What is stored of a remedy and of all that it reads."""
        rules, rows = self.version.character.rules, self._rows
        ids, waiting = {remedy.id, remedy.group}, list(remedy.reads())
        while waiting:
            slot = waiting.pop()
            trigger = rules.writer(slot)
            if trigger is None:
                ids.add(str(slot))
            elif trigger.id not in ids:
                ids.add(trigger.id)
                waiting += trigger.reads()
        return [rows[i] for i in sorted(str(i) for i in ids) if i in rows]

    def measured(self, name: str) -> SweptWay:
        """Walk a way: what is stored of it."""
        found = walked(self.sweeper, self.ways[name])
        spots = [spot_json(self.sweeper, s) for s in found.spots]
        document = {"poses": len(found.samples), "kind": found.way.kind, "spots": spots}
        return SweptWay(name, self.reads(name), self.version.revision.id, document)


def _hash(told: Any) -> str:
    return hashlib.sha256(json.dumps(told, sort_keys=True, default=str).encode()).hexdigest()


_last: dict[str, VersionPlan] = {}
_finding = threading.Lock()
KEPT = 4  # plans: of as many characters as are likely to be swept or looked at in turn


def plan_of(version: Version) -> VersionPlan:
    """The plan of a version; the last ones are kept, since the parts of one sweep follow each other."""
    key = version.revision.id
    with _finding:
        known = _last.pop(key, None)
        # Another reading of the same revision has the same skin and rules.
        known = known or VersionPlan(version)
        _last[key] = known
        while len(_last) > KEPT:
            del _last[next(iter(_last))]
        return known
