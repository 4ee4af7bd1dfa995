"""The bend strip's curves, over a travel and over a clip."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.measure.badness import badness_of
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.travel import BendStep, ClipStep, bend_steps, clip_steps
from plethos.core.propose.made_helpers import pose_with_added_joints
from plethos.core.rules.triggers.hinge import unit_axis
from plethos.service.desk.overlays import measured_json
from plethos.service.library.poses import clip_named, pose_of
from plethos.service.library.version import Version

TOLD = 1.0  # percent: less than this is no worst place worth a mark


def bend_curves(
    version: Version,
    joint: str,
    axis: Sequence[float],
    angles_deg: Sequence[float],
    held: dict[str, Any],
    tried: Evaluator | None = None,
) -> list[dict[str, Any]]:
    """Measures without and with remedies and all activations, at each angle; all else as in the pose `held`.

    Nothing for a joint that bends no skin: a root, or one that has no weights yet.

    Parameters
    ----------
    tried
        The version with a kind of remedy that was tried on it: as if it were there.
    """
    unit, pose = unit_axis(axis), pose_of(version, held)
    try:
        measure = version.measures.bend(version.character.skeleton.find(joint))
    except BadEditError:
        return []
    if tried is not None:
        measure, pose = (
            BendMeasure.of(tried.character, measure.joint, measure),
            pose_with_added_joints(pose, tried.character),
        )
    steps = list(bend_steps(measure, pose, unit, [math.radians(a) for a in angles_deg]))
    return _told(steps, [{"angle_deg": math.degrees(step.angle)} for step in steps])


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
    steps = list(clip_steps(measure, played, times))
    return _told(steps, [{"time": step.time} for step in steps])


def _told(steps: Sequence[BendStep | ClipStep], where: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    """What is measured at each step, how bad it is with remedies, and which of them is the worst."""
    found = [badness_of(step.with_) for step in steps]
    worst = max(range(len(found)), key=lambda k: found[k].near, default=0)
    return [
        {
            **at,
            "without": measured_json(step.without),
            "with": measured_json(step.with_),
            "activations": step.activations,
            "badness": {"percent": round(bad.percent, 2), "measure": bad.measure, "value": round(bad.value, 2)},
            "worst": k == worst and bad.value >= TOLD,
        }
        for k, (at, step, bad) in enumerate(zip(where, steps, found, strict=True))
    ]
