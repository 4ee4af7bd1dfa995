"""The corrective shape: offsets that a trigger switches on, before the skin."""

from __future__ import annotations

import math
import uuid
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any, ClassVar

from plethos.core.errors import BadEditError
from plethos.core.shape import Shape
from plethos.core.skeleton import Skeleton
from plethos.core.triggers import Trigger, trigger_from_rule

if TYPE_CHECKING:
    from plethos.core.joints.carry import JointChange


def new_id() -> str:
    """A fresh id for a remedy."""
    return uuid.uuid4().hex[:12]


@dataclass(frozen=True)
class CorrectiveShape:
    """A shape with its trigger.

    Parameters
    ----------
    shape
        The rest-space delta; its name is the remedy's name.
    trigger
        What switches it on; None = the tie is broken and it is off.
    pose
        The pose in which it was sculpted, as in a pose file.
    report
        What the solver found: see `SolveReport.to_json`.
    amount
        A factor on the activation, 1 = as sculpted.
    """

    shape: Shape
    trigger: Trigger | None = None
    pose: Mapping[str, Any] = field(default_factory=lambda: {"joints": {}})
    report: Mapping[str, Any] = field(default_factory=dict)
    on: bool = True
    amount: float = 1.0
    id: str = field(default_factory=new_id)
    kind: ClassVar[str] = "corrective_shape"

    @property
    def name(self) -> str:
        return self.shape.name

    @property
    def shapes(self) -> tuple[Shape, ...]:
        return (self.shape,)

    def shape_weights(self, activation: float) -> tuple[float, ...]:
        return (activation,)

    def carried(self, change: JointChange) -> CorrectiveShape:
        trigger = self.trigger.carried(change) if self.trigger else None
        return replace(self, trigger=trigger, pose=change.pose(self.pose))

    def noted(self, warning: str) -> CorrectiveShape:
        warnings = list(self.report.get("warnings", ()))
        if warning in warnings:
            return self
        return replace(self, report={**self.report, "warnings": [*warnings, warning]})

    def to_rule(self, skeleton: Skeleton) -> dict[str, Any]:
        return {
            "kind": self.kind,
            "id": self.id,
            "name": self.name,
            "on": self.on,
            "amount": self.amount,
            "trigger": self.trigger.to_rule(skeleton) if self.trigger else None,
            "pose": dict(self.pose),
            "report": dict(self.report),
        }

    @classmethod
    def from_rule(cls, rule: Mapping[str, Any], shapes: tuple[Shape, ...], skeleton: Skeleton) -> CorrectiveShape:
        trigger = rule.get("trigger")
        try:
            amount = float(rule.get("amount", 1.0))
        except (TypeError, ValueError):
            amount = math.nan
        if len(shapes) != 1 or not math.isfinite(amount):
            raise BadEditError("A corrective shape needs one shape and a finite amount.")
        return cls(
            shape=Shape(str(rule.get("name", shapes[0].name)), shapes[0].vertices, shapes[0].deltas),
            trigger=trigger_from_rule(trigger, skeleton) if trigger else None,
            pose=rule.get("pose") or {"joints": {}},
            report=rule.get("report") or {},
            on=bool(rule.get("on", True)),
            amount=amount,
            id=str(rule.get("id") or new_id()),
        )
