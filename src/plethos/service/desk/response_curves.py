"""The response of a trigger as it is drawn."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from plethos.core.rules.triggers import Trigger
from plethos.core.skeleton.kinematics import curve_points

BETWEEN = 47  # angles between the first knot and the last at which a drawn curve is worked out, beside the knots


def response_curve(trigger: Trigger) -> list[tuple[float, float]]:
    """A trigger's response to the angle of a joint as points (degrees, activation); empty where it has none."""
    return [(round(a, 3), round(v, 4)) for a, v in drawn_curve(trigger).astype(np.float64).tolist()]


def drawn_curve(trigger: Trigger) -> NDArray[np.float32]:
    """The same as ``(N, 2)``: asked for with every move of a knot that is dragged."""
    response = getattr(trigger, "response", None)
    if response is None or not any(isinstance(slot, int) for slot in trigger.reads()):
        return np.empty((0, 2), np.float32)
    points = np.empty((BETWEEN + len(response.inputs), 2), np.float32)
    curve_points(response.rows, points)
    return points
