"""What every kind of remedy can do."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Protocol

import numpy as np
from numpy.typing import NDArray

from plethos.core.arrays import Arrays
from plethos.core.rules.moment import Slot
from plethos.core.skeleton.mapping import IdMap, JointMap, VertexMap
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skin.mesh import Mesh


class Body(Protocol):
    """What a remedy does, at one stage of a pose: ``joints``, ``shapes``, ``skin``, ``after`` or ``drawing``, in that
    order."""

    kind: ClassVar[str]
    stage: ClassVar[str]

    def reads(self) -> frozenset[Slot]:
        """The joints and values that it depends on, besides the value that its remedy is tied to."""
        ...

    def writes(self) -> frozenset[Slot]:
        """The joints that it turns."""
        ...

    def mapped(self, joints: JointMap, vertices: VertexMap | None, ids: IdMap, skeleton: Skeleton, name: str) -> Body:
        """The same on a changed skeleton, or on the other side.

        Parameters
        ----------
        vertices
            None = they stay.
        skeleton
            The one that it is on now.
        name
            Of the remedy that it will be the body of.
        """
        ...

    def to_document(self, skeleton: Skeleton, arrays: Arrays) -> dict[str, Any]:
        """As plain data, joints by name."""
        ...

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, arrays: Arrays) -> Body:
        """The body that `to_document` wrote."""
        ...


class Deformer(Protocol):
    """A body of the stage ``after``, made ready for a mesh."""

    @property
    def body(self) -> Body: ...

    def support(self, rows: NDArray[np.int32]) -> NDArray[np.int32]:
        """The vertices that have to be known to give these ``(N,)``, ascending both."""
        ...

    def apply(self, points: NDArray[Any], place: NDArray[np.int32] | None, amount: float) -> None:
        """Change posed points in place: see `ReadyRelaxer.apply`."""
        ...


class DeformerBody(Body, Protocol):
    """A body that acts after the skin."""

    def ready(self, mesh: Mesh) -> Deformer:
        """Made ready for a mesh."""
        ...
