"""What every kind of trigger can do."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, ClassVar, Protocol, Self

from plethos.core.rules.moment import Places, Slot, Step
from plethos.core.skeleton.mapping import IdMap, JointMap
from plethos.core.skeleton.skeleton import Skeleton


class Trigger(Protocol):
    """What every kind of trigger can do. Its values are named by ids: its own, or one for each pose of a set."""

    kind: ClassVar[str]

    id: str
    name: str

    def reads(self) -> frozenset[Slot]:
        """The joints and values that it depends on."""
        ...

    def writes(self) -> tuple[str, ...]:
        """The values that it gives, in the order of what they stand for."""
        ...

    def named(self) -> Mapping[str, str]:
        """Names that values of it have of their own, by their ids; the others are called as the trigger is."""
        return {}

    def mapped(self, joints: JointMap, ids: IdMap) -> Self:
        """The same trigger on a changed skeleton that still has its joints, or on the other side."""
        ...

    def to_document(self, skeleton: Skeleton) -> dict[str, Any]:
        """As plain data, joints by name, angles in degrees."""
        ...

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton) -> Self:
        """The trigger that `to_document` wrote."""
        ...

    @staticmethod
    def packed(triggers: Sequence[Any], places: Places) -> Step:
        """All triggers of this kind on one level of a program as one compiled step."""
        ...
