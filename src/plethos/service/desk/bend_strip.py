"""The bend strip's curves, over a travel and over a clip."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.measure.bend import BendMeasure, bend_steps, clip_steps
from plethos.core.propose.helpers import longer
from plethos.core.rules.triggers.hinge import unit_axis
from plethos.service.desk.frame import measured_json
from plethos.service.library.poses import clip_named, pose_of
from plethos.service.library.version import Version


def bend_curves(
    version: Version,
    joint: str,
    axis: Sequence[float],
    angles_deg: Sequence[float],
    held: dict[str, Any],
    trial: str | None = None,
    page: str | None = None,
) -> list[dict[str, Any]]:
    """Measures without and with remedies and all activations, at each angle; all else as in the pose `held`.

    Nothing for a joint that bends no skin: a root, or one that has no weights yet.

    Parameters
    ----------
    trial
        A kind of remedy that was tried on this version: as if it were there.
    page
        Who tried it.
    """
    unit, pose = unit_axis(axis), pose_of(version, held)
    try:
        measure = version.measures.bend(version.character.skeleton.find(joint))
    except BadEditError:
        return []
    tried = version.trials.of(page).evaluator(trial, version.evaluator) if trial else None
    if tried is not None:
        measure, pose = BendMeasure.of(tried.character, measure.joint, measure), longer(pose, tried.character)
    return [
        {
            "angle_deg": math.degrees(step.angle),
            "without": measured_json(step.without),
            "with": measured_json(step.with_),
            "activations": step.activations,
        }
        for step in bend_steps(measure, pose, unit, [math.radians(a) for a in angles_deg])
    ]


def clip_curves(version: Version, clip: str, joint: str, samples: int) -> list[dict[str, Any]]:
    """The same over a clip, at so many moments from its start to its end.

    Raises
    ------
    BadPoseError
        When there is no such clip or joint.
    """
    played = clip_named(version, clip)
    try:
        measure = version.measures.bend(version.character.skeleton.find(joint))
    except BadEditError:
        return []
    times = np.linspace(0, played.duration, samples).tolist()
    return [
        {
            "time": step.time,
            "without": measured_json(step.without),
            "with": measured_json(step.with_),
            "activations": step.activations,
        }
        for step in clip_steps(measure, played, times)
    ]
