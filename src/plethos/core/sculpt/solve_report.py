"""What is told of a solve: how exact it is, and what one should look at."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.evaluate import Posed
from plethos.core.geometry import rotations
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.skin.bones import rigid_bones, skin_matrices
from plethos.core.skin.shape import Shape

HOPELESS_BELOW = 0.1
NEIGHBOUR = math.radians(10)
OPPOSITE = math.cos(math.radians(85))  # of half the angle between two bones


@dataclass(frozen=True)
class SolveReport:
    """What a person has to know about a solved shape. Lengths in metres.

    Parameters
    ----------
    moved
        Number of vertices it moves.
    greatest_move
        Longest offset asked for in the pose.
    round_trip_error
        Greatest distance between the sculpt and what the stored shape gives in its pose.
    damped, hopeless
        Vertices solved with damping, and those of them whose skin is so flat that it hardly helps.
    neighbour_factor
        How many times further than in its own pose the shape moves the skin 10 degrees to either side.
    warnings
        Sentences.
    """

    moved: int
    greatest_move: float
    round_trip_error: float
    damped: int
    hopeless: int
    neighbour_factor: float
    warnings: tuple[str, ...] = ()

    def to_json(self) -> dict[str, Any]:
        """The report as plain data."""
        return {
            "moved": self.moved,
            "greatest_move_m": self.greatest_move,
            "round_trip_error_m": self.round_trip_error,
            "damped": self.damped,
            "hopeless": self.hopeless,
            "neighbour_factor": self.neighbour_factor,
            "warnings": list(self.warnings),
        }


def neighbour_factor(posed: Posed, trigger: HingeTrigger, shape: Shape, activation: float) -> float:
    """How many times further than in its own pose the shape moves the skin 10 degrees to either side, as its trigger
    switches it on there."""
    pose, skeleton = posed.moment.pose(), posed.character.skeleton

    def shift(turn: float) -> float:
        turned = rotations.multiply(
            pose.rotations[trigger.joint], rotations.from_axis_angle(trigger.axis, turn)
        )  # fmt: skip
        there = pose.with_rotation(trigger.joint, turned)
        on = activation if turn == 0 else float(trigger.response.at(trigger.angle(there, skeleton)))
        linear = posed.evaluator.pose(there, posed.acting).affine_of(shape.vertices)[0]
        return on * float(np.linalg.norm(np.einsum("vij,vj->vi", linear, shape.deltas), axis=1).max())

    return max(shift(-NEIGHBOUR), shift(NEIGHBOUR)) / max(shift(0.0), 1e-12)


def warnings_of(report: SolveReport) -> tuple[str, ...]:
    """What one should look at, a sentence each."""
    found = []
    if report.hopeless:
        found.append(
            f"{report.hopeless} vertices have collapsed so far in this pose that a shape cannot mend them: "
            "use more dual quaternion skinning there, or a twist joint, or sculpt at a smaller angle."
        )
    elif report.damped:
        found.append(f"{report.damped} vertices are close to collapse in this pose and come back only nearly.")
    if report.neighbour_factor > 1.5:
        found.append(
            f"10 degrees away from its pose the shape moves the skin {report.neighbour_factor:.1f} times as far: "
            "add an in-between there, or sculpt at a smaller angle."
        )
    return tuple(found)


def turn_warnings(posed: Posed, trigger: HingeTrigger | None, moved: NDArray[np.intp]) -> tuple[str, ...]:
    """What half a turn does: an angle that jumps to the other side of its cut, and skin that jumps with it."""
    found = []
    pose, skeleton = posed.moment.pose(), posed.character.skeleton
    if trigger is not None:
        name = skeleton.names[trigger.joint]
        beyond = trigger.middle(skeleton) + np.pi - trigger.angle(pose, skeleton)
        before = trigger.angle(pose, skeleton) - trigger.middle(skeleton) + np.pi
        near = math.degrees(min(beyond, before))
        if near < math.degrees(NEIGHBOUR):
            found.append(
                f"{near:.0f} degrees further “{name}” counts as turned the other way, and the shape is off at once: "
                "give the joint a range of motion whose middle is nearer, or a trigger that starts earlier."
            )
    lay, matrices = posed.layout, skin_matrices(posed.binding.bones, posed.world)
    rows = lay.place[moved]
    dual = rows[rows >= lay.dual_from]
    if len(dual):
        real = rigid_bones(matrices).dual[lay.influences[dual], :4]
        apart = np.abs(np.einsum("vki,vi->vk", real, real[:, 0]))
        opposite = ((apart < OPPOSITE) & (lay.weights[dual] > 0.05)).any(axis=1)
        if opposite.any():
            found.append(
                f"{int(opposite.sum())} vertices follow joints that are nearly half a turn apart: dual quaternion "
                "skinning jumps to the other side there. Share the turn with a twist joint."
            )
    return tuple(found)
