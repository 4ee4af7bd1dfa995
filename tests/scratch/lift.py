"""A remedy that lifts the posed skin under its mask."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from plethos.core.arrays import Arrays
from plethos.core.rules.remedies.body import Deformer, DeformerBody, Stage
from plethos.core.skeleton.mapping import IdMap, JointMap, VertexMap
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skin.mask import Mask
from plethos.core.skin.mesh import Mesh


@dataclass(frozen=True, eq=False)
class Lift(DeformerBody):
    mask: Mask
    metres: float = 0.1
    kind: ClassVar[str] = "lift"
    stage: ClassVar[Stage] = Stage.AFTER

    def card(self, skeleton: Skeleton) -> dict[str, Any]:
        return {"numbers": {"metres": self.metres}}

    def mapped(self, joints: JointMap, vertices: VertexMap | None, ids: IdMap, skeleton: Skeleton, name: str) -> Lift:
        return replace(self, mask=self.mask.mapped(vertices))

    def to_document(self, skeleton: Skeleton, arrays: Arrays) -> dict[str, Any]:
        return {"mask": arrays.put("shares", self.kind, self.mask.vertices, self.mask.shares), "metres": self.metres}

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, arrays: Arrays) -> Lift:
        return cls(Mask(*arrays.get("shares", document["mask"])), float(document["metres"]))

    def ready(self, mesh: Mesh) -> ReadyLift:
        return ReadyLift(self)


@dataclass(frozen=True, eq=False)
class ReadyLift(Deformer):
    gives_way: ClassVar[str] = "Lift less here"
    body: Lift

    def support(self, rows: NDArray[np.int32]) -> NDArray[np.int32]:
        return rows

    def apply(self, points: NDArray[Any], place: NDArray[np.int32] | None, amount: float) -> None:
        mask = self.body.mask
        at = mask.vertices if place is None else place[mask.vertices]
        points[at[at >= 0], 1] += (amount * self.body.metres * mask.shares)[at >= 0]
