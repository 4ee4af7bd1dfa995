"""The travel of a joint about an axis, and the way through a clip, step by step."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from plethos.core.geometry import rotations
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.measured import Measured
from plethos.core.rules.program import NONE
from plethos.core.skeleton.clips import Clip
from plethos.core.skeleton.pose import Pose


def bent(pose: Pose, joint: int, axis: Sequence[float], angle: float) -> Pose:
    """`pose` with the joint's twist about `axis` (unit, rest frame) set to `angle`; its swing stays."""
    level = straight(pose, joint, axis)
    turn = rotations.from_axis_angle(axis, angle)
    return pose.with_rotation(joint, rotations.multiply(level.rotations[joint], turn))


def straight(pose: Pose, joint: int, axis: Sequence[float]) -> Pose:
    """`pose` with the joint at rest about `axis` (unit, rest frame); its swing stays."""
    swing, _ = rotations.swing_twist(pose.rotations[joint], axis)
    return pose.with_rotation(joint, swing)


@dataclass(frozen=True)
class BendStep:
    """One angle (radians) of the strip, its pose, measures without and with, and the activation of each remedy."""

    angle: float
    pose: Pose
    without: Measured
    with_: Measured
    activations: dict[str, float]


def bend_steps(measure: BendMeasure, pose: Pose, axis: Sequence[float], angles: Sequence[float]) -> Iterator[BendStep]:
    """Walk a joint over its travel, everything else held as in `pose`."""
    evaluator = measure.evaluator
    acting = bool(evaluator.character.rules.on)
    for angle in angles:
        at = bent(pose, measure.joint, axis, angle)
        posed = evaluator.pose(at)
        with_ = measure.with_skin(posed.points)
        without = measure.at(at, NONE) if acting else with_
        yield BendStep(angle, at, without, with_, evaluator.program.activations(posed.moment))


@dataclass(frozen=True)
class ClipStep:
    """One moment (seconds) of a clip: measures of a joint's region without and with, and activations."""

    time: float
    without: Measured
    with_: Measured
    activations: dict[str, float]


def clip_steps(measure: BendMeasure, clip: Clip, times: Sequence[float]) -> Iterator[ClipStep]:
    """Walk through a clip."""
    evaluator = measure.evaluator
    acting = bool(evaluator.character.rules.on)
    for time in times:
        pose = clip.pose_at(evaluator.character.skeleton, time)
        posed = evaluator.pose(pose)
        with_ = measure.with_skin(posed.points)
        without = measure.at(pose, NONE) if acting else with_
        yield ClipStep(time, without, with_, evaluator.program.activations(posed.moment))


def degrees_between(start: float, end: float, steps: int) -> list[float]:
    """`steps` angles from start to end (degrees), as radians."""
    return [math.radians(a) for a in np.linspace(start, end, steps).tolist()]
