"""Push: a helper moves along a way by any value."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, ClassVar

from plethos.core.errors import BadEditError
from plethos.core.rules.moment import Places, Slot
from plethos.core.rules.remedies import helper_kernels as kernels
from plethos.core.rules.remedies.helper_rules.rule import (
    Operation,
    as_unit,
    way_of,
)
from plethos.core.rules.triggers.hinge import unit_axis
from plethos.core.skeleton.mapping import IdMap, JointMap, Vector
from plethos.core.skeleton.skeleton import Skeleton

MOST_WAY = 1e6  # metres


@dataclass(frozen=True)
class Push:
    """Moves along a way by any value.

    Parameters
    ----------
    value
        Its id.
    along
        Unit vector in the helper's rest frame.
    metres
        How far at a value of 1.
    """

    value: str
    along: Vector
    metres: float
    kind: ClassVar[str] = "push"

    def __post_init__(self) -> None:
        if not abs(self.metres) <= MOST_WAY:
            raise BadEditError("How far a push goes has to be a sensible number of metres.")

    def reads(self) -> frozenset[Slot]:
        return frozenset({self.value})

    def mapped(self, joints: JointMap, ids: IdMap, helper: int) -> Push:
        return replace(self, value=ids.get(self.value, self.value), along=as_unit(joints.offset(helper, self.along)))

    def to_document(self, skeleton: Skeleton) -> dict[str, Any]:
        return {"kind": self.kind, "value": self.value, "along": list(self.along), "metres": self.metres}

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, helper: int) -> Push:
        try:
            along = unit_axis([float(c) for c in document["along"]])
            return cls(str(document["value"]), along, float(document["metres"]))
        except (KeyError, TypeError, ValueError, OverflowError):
            raise BadEditError("A push needs a value, a way and a number of metres.") from None

    def operation(self, places: Places, helper: int) -> Operation:
        way = self.metres * way_of(places.skeleton, helper, self.along)
        return Operation(kernels.PUSH, places.of(self.value), along=way)
