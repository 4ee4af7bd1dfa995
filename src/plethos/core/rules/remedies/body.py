"""What every kind of remedy can do."""

from __future__ import annotations

from collections.abc import Mapping
from enum import IntEnum
from typing import Any, ClassVar, Protocol, Self

import numpy as np
from numpy.typing import NDArray

from plethos.core.arrays import Arrays
from plethos.core.rules.moment import Slot
from plethos.core.skeleton.mapping import IdMap, JointMap, VertexMap
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skin.mesh import Mesh


class Stage(IntEnum):
    """Where in a pose a body acts, in the order in which a rigger builds them on each other: a corrective is sculpted
    over the joints and the skinning method that are there, though a pose moves the shapes before it skins them."""

    JOINTS = 0
    SKIN = 1
    SHAPES = 2
    AFTER = 3
    DRAWING = 4

    @property
    def needs_tie(self) -> bool:
        """Whether what acts there does nothing while it is tied to no value; all else is always on then."""
        return self is Stage.SHAPES

    @property
    def is_keyed(self) -> bool:
        """Whether keys of joints and of morph weights carry its effect into a clip that others play."""
        return self in (Stage.JOINTS, Stage.SHAPES)


class Body(Protocol):
    """What a remedy does, at one stage of a pose. A kind subclasses it and says what differs from what stands here."""

    kind: ClassVar[str]
    stage: ClassVar[Stage]

    def reads(self) -> frozenset[Slot]:
        """The joints and values that it depends on, besides the value that its remedy is tied to."""
        return frozenset()

    def writes(self) -> frozenset[Slot]:
        """The joints that it turns."""
        return frozenset()

    def drives(self) -> int | None:
        """The joint that it turns, if it turns one."""
        return None

    def card(self, skeleton: Skeleton) -> dict[str, Any]:
        """What its card shows beside what all remedies have: see `RemedyCard` of the service."""
        return {}

    def mapped(self, joints: JointMap, vertices: VertexMap | None, ids: IdMap, skeleton: Skeleton, name: str) -> Self:
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
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, arrays: Arrays) -> Self:
        """The body that `to_document` wrote."""
        ...


class Deformer(Protocol):
    """A body that acts after the skin, made ready for a mesh."""

    gives_way: ClassVar[str]
    """How it lets a sculpt be, as a button says it."""

    body: Any

    def support(self, rows: NDArray[np.int32]) -> NDArray[np.int32]:
        """The vertices that have to be known to give these ``(N,)``, ascending both."""
        ...

    def apply(self, points: NDArray[Any], place: NDArray[np.int32] | None, amount: float) -> None:
        """Change posed points in place: see `ReadyRelaxer.apply`."""
        ...

    def holds(self, points: NDArray[Any]) -> float | None:
        """The share of the rest volume that it keeps, as it is in posed points ``(V, 3)``; None where it keeps none."""
        return None

    def giving_way(self, mesh: Mesh, points: NDArray[Any], far: NDArray[np.bool_], reach: float) -> DeformerBody:
        """The body that lets a sculpt be.

        Parameters
        ----------
        points
            ``(V, 3)`` what was sculpted.
        far
            ``(V,)`` the vertices that it holds back.
        reach
            Metres of the surface round these over which it fades.

        Raises
        ------
        BadEditError
            When it holds nothing back.
        """
        ...


class DeformerBody(Body, Protocol):
    """A body that acts after the skin."""

    def ready(self, mesh: Mesh) -> Deformer:
        """Made ready for a mesh."""
        ...
