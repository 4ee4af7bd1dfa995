"""A trigger that is on as far as another value is off."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar

from plethos.core.errors import BadEditError
from plethos.core.geometry.rotations import Array
from plethos.core.rules.moment import Moment, Places, Slot, Step
from plethos.core.rules.triggers.trigger import Trigger
from plethos.core.skeleton.mapping import IdMap, JointMap
from plethos.core.skeleton.names import new_id
from plethos.core.skeleton.skeleton import Skeleton


@dataclass(frozen=True)
class AbsenceTrigger(Trigger):
    of: str
    name: str = ""
    id: str = field(default_factory=new_id)
    kind: ClassVar[str] = "absence"

    def reads(self) -> frozenset[Slot]:
        return frozenset({self.of})

    def writes(self) -> tuple[str, ...]:
        return (self.id,)

    def mapped(self, joints: JointMap, ids: IdMap) -> AbsenceTrigger:
        return replace(self, of=ids.get(self.of, self.of), id=ids.get(self.id, self.id))

    def to_document(self, skeleton: Skeleton) -> dict[str, Any]:
        return {"kind": self.kind, "id": self.id, "name": self.name, "of": self.of}

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton) -> AbsenceTrigger:
        if not document.get("of"):
            raise BadEditError("An absence needs the value that it is of.")
        return cls(str(document["of"]), str(document.get("name") or ""), str(document.get("id") or new_id()))

    @staticmethod
    def packed(triggers: Sequence[AbsenceTrigger], places: Places) -> Step:
        return Absences([(places.of(t.of), places.of(t.id)) for t in triggers])


@dataclass(frozen=True)
class Absences:
    ways: list[tuple[int, int]]

    def run(self, moment: Moment, gains: Array) -> None:
        for read, to in self.ways:
            moment.values[to] = 1 - min(max(moment.values[read], 0.0), 1.0)
