"""Limit: a helper's own turn stops, on one side or on both."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, ClassVar

from plethos.core.errors import BadEditError
from plethos.core.rules.moment import Places, Slot
from plethos.core.rules.remedies import helper_kernels as kernels
from plethos.core.rules.remedies.helper_rules.rule import (
    Operation,
)
from plethos.core.rules.triggers.hinge import unit_axis
from plethos.core.skeleton.mapping import IdMap, JointMap, Vector
from plethos.core.skeleton.skeleton import Skeleton


@dataclass(frozen=True)
class Limit:
    """Stops the helper's own turn about an axis.

    Parameters
    ----------
    axis
        Unit axis in the helper's rest frame.
    low, high
        Radians; infinite on a side that has no stop.
    """

    axis: Vector
    low: float = -math.inf
    high: float = math.inf
    kind: ClassVar[str] = "limit"

    def __post_init__(self) -> None:
        if math.isnan(self.low) or math.isnan(self.high) or self.low > self.high:
            raise BadEditError("The lower stop of a limit has to lie below the upper one.")
        if any(math.isfinite(x) and abs(x) > 2 * math.pi for x in (self.low, self.high)):
            raise BadEditError("A stop of a limit has to lie within a whole turn of rest.")

    def reads(self) -> frozenset[Slot]:
        return frozenset()

    def mapped(self, joints: JointMap, ids: IdMap, helper: int) -> Limit:
        return replace(self, axis=unit_axis(joints.axis(helper, self.axis)))

    def to_document(self, skeleton: Skeleton) -> dict[str, Any]:
        low, high = (None if math.isinf(x) else math.degrees(x) for x in (self.low, self.high))
        return {"kind": self.kind, "axis": list(self.axis), "low_deg": low, "high_deg": high}

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, helper: int) -> Limit:
        try:
            axis = unit_axis([float(c) for c in document["axis"]])
            low, high = document.get("low_deg"), document.get("high_deg")
            low_stop = -math.inf if low is None else math.radians(float(low))
            return cls(axis, low_stop, math.inf if high is None else math.radians(float(high)))
        except (KeyError, TypeError, ValueError, OverflowError):
            raise BadEditError("A limit needs an axis and a stop on one side or on both.") from None

    def operation(self, places: Places, helper: int) -> Operation:
        return Operation(kernels.LIMIT, axis=self.axis, low=self.low, high=self.high)
