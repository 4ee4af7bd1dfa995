"""Remedies: whatever restores volume or removes pinching.

A new kind is one new file here that defines a class with the members of `Remedy` and is listed in `KINDS`.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, ClassVar, Protocol

from plethos.core.errors import BadEditError
from plethos.core.remedies.corrective import CorrectiveShape
from plethos.core.shape import Shape
from plethos.core.skeleton import Skeleton
from plethos.core.triggers import Trigger

if TYPE_CHECKING:
    from plethos.core.joints.carry import JointChange


class Remedy(Protocol):
    """What every kind of remedy can do."""

    kind: ClassVar[str]

    @property
    def id(self) -> str: ...
    @property
    def name(self) -> str: ...
    @property
    def on(self) -> bool: ...
    @property
    def amount(self) -> float: ...
    @property
    def trigger(self) -> Trigger | None: ...

    @property
    def shapes(self) -> tuple[Shape, ...]:
        """The shapes it adds before the skin."""
        ...

    def shape_weights(self, activation: float) -> tuple[float, ...]:
        """How much of each of its shapes is on at this activation."""
        ...

    def carried(self, change: JointChange) -> Remedy:
        """The same remedy on a changed skeleton."""
        ...

    def noted(self, warning: str) -> Remedy:
        """The same remedy with one more sentence among the warnings of its report."""
        ...

    def to_rule(self, skeleton: Skeleton) -> dict[str, Any]:
        """Everything but the arrays, as plain data."""
        ...

    @classmethod
    def from_rule(cls, rule: Mapping[str, Any], shapes: tuple[Shape, ...], skeleton: Skeleton) -> Remedy:
        """The remedy that `to_rule` wrote, given its arrays again."""
        ...


KINDS: dict[str, type[Remedy]] = {CorrectiveShape.kind: CorrectiveShape}


def remedy_from_rule(rule: Mapping[str, Any], shapes: tuple[Shape, ...], skeleton: Skeleton) -> Remedy:
    """Read a rule of any kind.

    Raises
    ------
    BadEditError
        For a kind that this version does not know.
    """
    kind = KINDS.get(str(rule.get("kind")))
    if kind is None:
        raise BadEditError(f"This version knows no remedy of the kind “{rule.get('kind')}”.")
    return kind.from_rule(rule, shapes, skeleton)
