"""The bend strip's curves."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from plethos.core.bend import BendMeasure, bend_steps
from plethos.core.errors import BadEditError
from plethos.core.triggers.hinge import unit_axis
from plethos.service.live import measured_json, pose_of
from plethos.service.open_character import OpenCharacter


def bend_curves(
    opened: OpenCharacter, joint: str, axis: Sequence[float], angles_deg: Sequence[float], held: dict[str, Any]
) -> list[dict[str, Any]]:
    """Measures without and with remedies and all activations, at each angle; all other joints as in `held`.

    Nothing for a joint that bends no skin: a root, or one that has no weights yet.
    """
    unit = unit_axis(axis)
    with opened.lock:
        # The lock spans finding joints by name and taking the character that they are numbers of.
        pose = pose_of(opened, {"joints": held})
        measure: BendMeasure = opened.bend(opened.character.skeleton.find(joint))
        try:
            measure.slices  # noqa: B018  prepared under the lock, so that two requests do not do it twice
        except BadEditError:
            return []
    return [
        {
            "angle_deg": math.degrees(step.angle),
            "without": measured_json(step.without),
            "with": measured_json(step.with_),
            "activations": {k: round(v, 4) for k, v in step.activations.items()},
        }
        for step in bend_steps(measure, pose, unit, [math.radians(a) for a in angles_deg])
    ]
