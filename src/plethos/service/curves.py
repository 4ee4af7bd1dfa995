"""The response of a trigger as it is drawn."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from plethos.core.kinematics import curve_values
from plethos.core.response import packed_curves
from plethos.core.triggers import Trigger

BETWEEN = np.arange(1, 48) / 48  # where on the way from the first knot to the last a drawn curve is worked out
DEGREES = 180 / math.pi


def response_curve(trigger: Trigger) -> list[tuple[float, float]]:
    """A trigger's response to the angle of a joint as points (degrees, activation); empty where it has none."""
    return [(round(a, 3), round(v, 4)) for a, v in drawn_curve(trigger).astype(np.float64).tolist()]


def drawn_curve(trigger: Trigger) -> NDArray[np.float32]:
    """The same as ``(N, 2)``: asked for with every move of a knot that is dragged."""
    response = getattr(trigger, "response", None)
    if response is None or not any(isinstance(slot, int) for slot in trigger.reads()):
        return np.empty((0, 2), np.float32)
    _, knots = packed_curves([response])
    inputs = knots[0]
    angles = np.concatenate([inputs[0] + BETWEEN * (inputs[-1] - inputs[0]), inputs])
    angles.sort()
    values, out = np.empty(len(angles)), np.empty((len(angles), 2), np.float32)
    curve_values(knots, angles, values)
    out[:, 0], out[:, 1] = angles * DEGREES, values
    return out
