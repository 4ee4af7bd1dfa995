"""Triggers: rules that turn a pose into an activation.

A trigger is a pure function of the pose. A new kind is one new file here that defines a class with the members
of `Trigger` and is listed in `KINDS`.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, ClassVar, Protocol, runtime_checkable

from plethos.core.errors import BadEditError
from plethos.core.skeleton import Pose, Skeleton
from plethos.core.triggers.hinge import HingeTrigger

if TYPE_CHECKING:
    from plethos.core.joints.carry import JointChange


@runtime_checkable
class Trigger(Protocol):
    """What every kind of trigger can do."""

    kind: ClassVar[str]

    @property
    def joints(self) -> tuple[int, ...]:
        """The joints whose rotation it reads."""
        ...

    def activation(self, pose: Pose) -> float:
        """0 = off, 1 = fully on."""
        ...

    def carried(self, change: JointChange) -> Trigger:
        """The same trigger on a changed skeleton that still has its joints."""
        ...

    def to_rule(self, skeleton: Skeleton) -> dict[str, Any]:
        """The rule as plain data, joints by name, angles in degrees."""
        ...

    @classmethod
    def from_rule(cls, rule: Mapping[str, Any], skeleton: Skeleton) -> Trigger:
        """The trigger that `to_rule` wrote."""
        ...


KINDS: dict[str, type[Trigger]] = {HingeTrigger.kind: HingeTrigger}


def trigger_from_rule(rule: Mapping[str, Any], skeleton: Skeleton) -> Trigger:
    """Read a rule of any kind.

    Raises
    ------
    BadEditError
        For a kind that this version does not know.
    """
    kind = KINDS.get(str(rule.get("kind")))
    if kind is None:
        raise BadEditError(f"This version knows no trigger of the kind “{rule.get('kind')}”.")
    return kind.from_rule(rule, skeleton)
