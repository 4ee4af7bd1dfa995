"""The order of painting: a part of a drawing that comes in front of another at one angle, and goes behind it again."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar

from plethos.core.arrays import Arrays
from plethos.core.errors import BadEditError
from plethos.core.rules.remedies.body import Body, Stage
from plethos.core.skeleton.mapping import IdMap, JointMap, VertexMap
from plethos.core.skeleton.skeleton import Skeleton

SWITCHES = 0.5  # the effect from which on it acts


@dataclass(frozen=True)
class Order(Body):
    """While its effect is a half or more, a part is painted right in front of another, or right behind it.

    Parameters
    ----------
    part, other
        The names of the two parts.
    behind
        Whether it goes behind the other.
    """

    part: str
    other: str
    behind: bool = False
    kind: ClassVar[str] = "order"
    stage: ClassVar[Stage] = Stage.DRAWING

    def card(self, skeleton: Skeleton) -> dict[str, Any]:
        return {"numbers": {"part": self.part, "other": self.other, "behind": self.behind}}

    def mapped(self, joints: JointMap, vertices: VertexMap | None, ids: IdMap, skeleton: Skeleton, name: str) -> Order:
        return self

    def switched(self, order: list[str]) -> list[str]:
        """The names of the parts from back to front, with this one acting; the same where a part is gone."""
        if self.part not in order or self.other not in order or self.part == self.other:
            return order
        left = [n for n in order if n != self.part]
        left.insert(left.index(self.other) + (0 if self.behind else 1), self.part)
        return left

    def to_document(self, skeleton: Skeleton, arrays: Arrays) -> dict[str, Any]:
        return {"part": self.part, "other": self.other, "behind": self.behind}

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, arrays: Arrays) -> Order:
        part, other = document.get("part"), document.get("other")
        if not (isinstance(part, str) and isinstance(other, str)) or part == other:
            raise BadEditError("An order of painting needs two parts.")
        return cls(part, other, bool(document.get("behind", False)))
