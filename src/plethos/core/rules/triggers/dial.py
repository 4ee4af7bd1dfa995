"""The dial trigger: a value that a person or a clip sets, through a response."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadEditError
from plethos.core.geometry.rotations import Array
from plethos.core.rules.moment import Moment, Places, Slot, Step
from plethos.core.rules.response import Response, packed_curves
from plethos.core.rules.triggers.trigger import Trigger
from plethos.core.skeleton import kinematics
from plethos.core.skeleton.mapping import IdMap, JointMap
from plethos.core.skeleton.names import new_id
from plethos.core.skeleton.skeleton import Skeleton


@dataclass(frozen=True)
class DialTrigger(Trigger):
    """Gives a dial, or any other value, a response.

    Parameters
    ----------
    value
        The id of what it reads.
    response
        From that value to the activation, 0 to 1.
    """

    value: str
    response: Response
    name: str = ""
    id: str = field(default_factory=new_id)
    kind: ClassVar[str] = "dial"

    def __post_init__(self) -> None:
        self.response.within(0, 1)

    def reads(self) -> frozenset[Slot]:
        return frozenset({self.value})

    def writes(self) -> tuple[str, ...]:
        return (self.id,)

    def mapped(self, joints: JointMap, ids: IdMap) -> DialTrigger:
        return replace(self, value=ids.get(self.value, self.value), id=ids.get(self.id, self.id))

    def to_document(self, skeleton: Skeleton) -> dict[str, Any]:
        knots = zip(self.response.inputs, self.response.values, strict=True)
        return {
            "kind": self.kind,
            "id": self.id,
            "name": self.name,
            "reads": self.value,
            "knots": [{"input": a, "value": v} for a, v in knots],
        }

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton) -> DialTrigger:
        try:
            knots = [(float(k["input"]), float(k["value"])) for k in document["knots"]]
            value = str(document["reads"])
        except (KeyError, TypeError, ValueError, OverflowError):
            raise BadEditError("A dial trigger needs what it reads, and knots with input and value.") from None
        name, own = str(document.get("name") or ""), str(document.get("id") or new_id())
        return cls(value, Response.of_knots(knots), name, own)

    @staticmethod
    def packed(triggers: Sequence[DialTrigger], places: Places) -> Step:
        """All dial triggers of a level as one step."""
        return _Dials(
            np.array([places.of(t.value) for t in triggers], np.int32),
            *packed_curves([t.response for t in triggers]),
            np.array([places.of(t.id) for t in triggers], np.int32),
        )


@dataclass(frozen=True, eq=False)
class _Dials:
    read: NDArray[np.int32]
    offsets: NDArray[np.int32]
    knots: Array
    to: NDArray[np.int32]

    def run(self, moment: Moment, gains: Array) -> None:
        kinematics.dial_values(self.read, self.offsets, self.knots, self.to, moment.values)
