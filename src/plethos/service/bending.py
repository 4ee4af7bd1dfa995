"""The bend strip's curves."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from plethos.core.bend import BendMeasure, bend_steps
from plethos.core.skeleton import Pose
from plethos.core.triggers.hinge import unit_axis
from plethos.service.live import measured_json
from plethos.service.open_character import OpenCharacter


def bend_curves(
    opened: OpenCharacter, joint: int, axis: Sequence[float], angles_deg: Sequence[float], pose: Pose
) -> list[dict[str, Any]]:
    """Measures without and with remedies and all activations, at each angle; everything else held as in `pose`.

    Raises
    ------
    BadEditError
        When the joint bends no skin.
    """
    unit = unit_axis(axis)
    with opened.lock:
        measure: BendMeasure = opened.bend(joint)
        measure.slices  # noqa: B018  prepared under the lock, so that two requests do not do it twice
    return [
        {
            "angle_deg": math.degrees(step.angle),
            "without": measured_json(step.without),
            "with": measured_json(step.with_),
            "activations": {k: round(v, 4) for k, v in step.activations.items()},
        }
        for step in bend_steps(measure, pose, unit, [math.radians(a) for a in angles_deg])
    ]
