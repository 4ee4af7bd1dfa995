"""From a sculpt on the posed skin to a rest-space delta that comes back to it.

With everything that is on held fixed, each vertex follows ``y = M x + c``. Given the base y and the sculpt y*,
the delta is ``M^-1 (y* - y)``. Where M is nearly singular the exact inverse would come back perfectly and send the
neighbouring poses flying, so it is damped there and the person is told.

References
----------
Lewis, Cordner, Fong, "Pose space deformation", SIGGRAPH 2000; Nakamura and Hanafusa, "Inverse kinematic
solutions with singularity robustness", 1986 (damped least squares). Titles from memory.
"""

from __future__ import annotations

import math
from collections.abc import Collection
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core import rotations
from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import affine_maps, evaluate_exact
from plethos.core.mesh import extent
from plethos.core.rotations import Array
from plethos.core.shape import Shape
from plethos.core.skeleton import Pose
from plethos.core.triggers.hinge import HingeTrigger, guess_hinge

EXACT_ABOVE = 0.3  # least singular value, relative to rest, from which the inverse is exact
HOPELESS_BELOW = 0.1
DAMPING = 0.1
NEIGHBOUR = math.radians(10)


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


def invert_offsets(linear: Array, offsets: Array, rest_scale: NDArray[np.float64]) -> tuple[Array, NDArray[np.float64]]:
    """Rest-space deltas of posed offsets.

    Parameters
    ----------
    linear
        ``(N, 3, 3)`` the maps M of the vertices.
    offsets
        ``(N, 3)`` posed offsets ``y* - y``.
    rest_scale
        ``(N,)`` scale of M at rest, against which singular values are judged.

    Returns
    -------
    deltas, sigma
        ``(N, 3)`` float64 and the least singular value ``(N,)`` relative to rest.
    """
    sigma = np.linalg.svd(linear, compute_uv=False)[:, 2] / rest_scale
    a, b, c = linear[:, 0], linear[:, 1], linear[:, 2]
    # Rows of the cofactor matrix; its transpose is the adjugate, and M^-1 = adjugate / det.
    cofactors = np.stack([np.cross(b, c), np.cross(c, a), np.cross(a, b)], axis=1)
    determinant = np.einsum("vi,vi->v", a, cofactors[:, 0])
    weak = sigma < EXACT_ABOVE
    with np.errstate(divide="ignore", invalid="ignore"):
        deltas = np.einsum("vji,vj->vi", cofactors, offsets) / determinant[:, None]
    if weak.any():
        m, s = linear[weak], sigma[weak]
        strength = DAMPING**2 * (1 - (s / EXACT_ABOVE) ** 2) * rest_scale[weak] ** 2
        normal = m @ np.swapaxes(m, 1, 2) + strength[:, None, None] * np.eye(3)
        solved = np.linalg.solve(normal, offsets[weak][:, :, None])
        deltas[weak] = (np.swapaxes(m, 1, 2) @ solved)[:, :, 0]
    return deltas, sigma


def solve_corrective(
    character: Character,
    pose: Pose,
    sculpt: NDArray[np.floating],
    name: str,
    remedies: bool | Collection[str] = True,
    activation: float = 1.0,
    trigger: HingeTrigger | None = None,
) -> tuple[Shape, SolveReport]:
    """The corrective shape that turns what is on in `pose` into `sculpt`.

    Parameters
    ----------
    character
        Without the remedy that is being made.
    sculpt
        Posed points ``(V, 3)`` in the world, metres.
    name
        Of the shape.
    remedies
        What else acts, as in `shape_activations`.
    activation
        What the shape's trigger gives in this pose.
    trigger
        Where the neighbouring poses lie; guessed when None.

    Raises
    ------
    BadEditError
        When the sculpt has another number of vertices, holds NaN, or moves nothing.
    """
    if sculpt.shape != character.points.shape:
        raise BadEditError(
            f"The sculpt has {len(sculpt)} vertices and the character {len(character.points)}: "
            "they have to be the same mesh."
        )
    if not np.isfinite(sculpt).all():
        raise BadEditError("The sculpt holds coordinates that are not numbers.")
    if abs(activation) < 0.05:
        raise BadEditError("The shape is hardly on in this pose: go to a pose where its trigger is on.")
    base = evaluate_exact(character, pose, remedies)
    rest = affine_maps(character, character.skeleton.rest_pose())
    height = extent(np.einsum("vij,vj->vi", rest[0], character.points) + rest[1])
    offsets = sculpt.astype(np.float64) - base
    moved = np.flatnonzero(np.linalg.norm(offsets, axis=1) > 1e-6 * height)
    if len(moved) == 0:
        raise BadEditError("The sculpt is the same as the posed skin: move something first.")
    linear = affine_maps(character, pose)[0][moved]
    rest_scale = np.cbrt(np.abs(np.linalg.det(rest[0][moved])))
    deltas, sigma = invert_offsets(linear, offsets[moved], rest_scale)
    shape = Shape(name, moved.astype(np.int32), np.ascontiguousarray(deltas / activation, dtype=np.float32))

    came_back = np.einsum("vij,vj->vi", linear, shape.deltas.astype(np.float64) * activation)
    error = np.linalg.norm(came_back - offsets[moved], axis=1)
    greatest = float(np.linalg.norm(offsets, axis=1).max())
    report = SolveReport(
        moved=len(moved),
        greatest_move=greatest,
        round_trip_error=float(error.max()),
        damped=int((sigma < EXACT_ABOVE).sum()),
        hopeless=int(((sigma < HOPELESS_BELOW) | (error > 0.05 * greatest)).sum()),
        neighbour_factor=_neighbour_factor(character, pose, trigger, shape, activation),
    )
    return shape, replace(report, warnings=_warnings(report))


def guess_trigger(character: Character, pose: Pose, moved: Shape, preset: str = "late") -> HingeTrigger:
    """The hinge trigger of the joint that left rest and whose bend the shape lies in.

    Every turned joint is weighed by its angle times how much of the shape lies where the skin is shared across
    that joint, so that a joint turned elsewhere does not win.

    Raises
    ------
    BadEditError
        When no joint left rest.
    """
    angles = rotations.angle(pose.rotations)
    turned = [int(j) for j in np.flatnonzero(angles > math.radians(1)) if character.skeleton.is_joint[j]]
    if not turned:
        raise BadEditError("No joint has left rest in this pose, so nothing can trigger the shape: bend one.")
    size = np.linalg.norm(moved.deltas, axis=1)

    def score(joint: int) -> float:
        w = character.subtree_weights(joint)[moved.vertices]
        shared = 4 * w * (1 - w) + 0.01 * w
        return float(angles[joint] * (size @ shared + 1e-9))

    return guess_hinge(pose, max(turned, key=score), preset)


def _neighbour_factor(
    character: Character, pose: Pose, trigger: HingeTrigger | None, shape: Shape, activation: float
) -> float:
    if trigger is None:
        try:
            trigger = guess_trigger(character, pose, shape)
        except BadEditError:
            return 1.0

    def greatest_shift(turn: float) -> float:
        extra = rotations.from_axis_angle(trigger.axis, turn)
        turned = rotations.multiply(pose.rotations[trigger.joint], extra)
        linear = affine_maps(character, pose.with_rotation(trigger.joint, turned))[0][shape.vertices]
        return float(np.linalg.norm(np.einsum("vij,vj->vi", linear, shape.deltas), axis=1).max())

    here = greatest_shift(0.0)
    return max(greatest_shift(-NEIGHBOUR), greatest_shift(NEIGHBOUR)) / max(here, 1e-12)


def _warnings(report: SolveReport) -> tuple[str, ...]:
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
