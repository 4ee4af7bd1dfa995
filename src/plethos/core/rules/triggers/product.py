"""The product trigger: on only as far as all that it reads is on."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadEditError
from plethos.core.geometry.rotations import Array
from plethos.core.rules.moment import Moment, Places, Slot, Step
from plethos.core.rules.triggers import kernels
from plethos.core.rules.triggers.trigger import Trigger
from plethos.core.skeleton.mapping import IdMap, JointMap
from plethos.core.skeleton.names import new_id
from plethos.core.skeleton.skeleton import Skeleton


@dataclass(frozen=True)
class ProductTrigger(Trigger):
    """The product of other values, each clamped to [0, 1].

    Parameters
    ----------
    inputs
        The ids of two or more values.
    """

    inputs: tuple[str, ...]
    name: str = ""
    id: str = field(default_factory=new_id)
    kind: ClassVar[str] = "product"

    def __post_init__(self) -> None:
        if len(set(self.inputs)) != len(self.inputs) or len(self.inputs) < 2:
            raise BadEditError("A product needs two or more values, each once.")

    def reads(self) -> frozenset[Slot]:
        return frozenset(self.inputs)

    def writes(self) -> tuple[str, ...]:
        return (self.id,)

    def mapped(self, joints: JointMap, ids: IdMap) -> ProductTrigger:
        return replace(self, inputs=tuple(ids.get(i, i) for i in self.inputs), id=ids.get(self.id, self.id))

    def to_document(self, skeleton: Skeleton) -> dict[str, Any]:
        return {"kind": self.kind, "id": self.id, "name": self.name, "of": list(self.inputs)}

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton) -> ProductTrigger:
        of = document.get("of")
        if not isinstance(of, list) or not all(isinstance(i, str) for i in of):
            raise BadEditError("A product needs a list of the values that it is of.")
        return cls(tuple(of), str(document.get("name") or ""), str(document.get("id") or new_id()))

    @staticmethod
    def packed(triggers: Sequence[ProductTrigger], places: Places) -> Step:
        """All products of a level as one step."""
        return _Products(
            np.cumsum([0, *(len(t.inputs) for t in triggers)]).astype(np.int32),
            np.array([places.of(i) for t in triggers for i in t.inputs], np.int32),
            np.array([places.of(t.id) for t in triggers], np.int32),
        )


@dataclass(frozen=True, eq=False)
class _Products:
    offsets: NDArray[np.int32]
    read: NDArray[np.int32]
    to: NDArray[np.int32]

    def run(self, moment: Moment, gains: Array) -> None:
        kernels.product_values(self.offsets, self.read, self.to, moment.values)
