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
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import NONE, Posed
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import extent
from plethos.core.rules.triggers.hinge import HingeTrigger, guess_hinge
from plethos.core.sculpt import kernels
from plethos.core.sculpt.solve_report import HOPELESS_BELOW, SolveReport, neighbour_factor, turn_warnings, warnings_of
from plethos.core.skeleton.pose import Pose
from plethos.core.skin.shape import Shape

EXACT_ABOVE = 0.3  # least singular value, relative to rest, from which the inverse is exact
DAMPING = 0.1
ROUNDS = 20  # through deformers


def invert_offsets(linear: Array, offsets: Array, rest: Array, activation: float = 1.0) -> tuple[Array, Array, Array]:
    """Rest-space deltas of posed offsets.

    Parameters
    ----------
    linear
        ``(N, 3, 3)`` the maps M of the vertices.
    offsets
        ``(N, 3)`` posed offsets ``y* - y``.
    rest
        ``(N, 3, 3)`` the maps at rest, against which the skin's collapse is judged: a part that its file squashes is
        not collapsed.
    activation
        How much of the shape is on in the pose.

    Returns
    -------
    deltas, sigma, error
        ``(N, 3)`` float64 at that activation, the least singular value ``(N,)`` of ``M rest^-1``, and how far from its
        offset ``(N,)`` each comes out once the shape is stored as float32.
    """
    deltas, sigma, error = np.empty((len(linear), 3)), np.empty(len(linear)), np.empty(len(linear))
    posed, still, moved = (np.ascontiguousarray(x, np.float64) for x in (linear, rest, offsets))
    kernels.turned_back(posed, still, moved, float(activation), deltas, sigma, error)
    weak = np.flatnonzero(sigma < EXACT_ABOVE)
    if len(weak):
        flat = np.abs(np.linalg.det(rest[weak])) < 1e-18
        to_rest = np.linalg.inv(np.where(flat[:, None, None], np.eye(3), rest[weak]))
        m, s = linear[weak] @ to_rest, sigma[weak]
        strength = DAMPING**2 * (1 - (s / EXACT_ABOVE) ** 2)
        normal = m @ np.swapaxes(m, 1, 2) + strength[:, None, None] * np.eye(3)
        solved = np.linalg.solve(normal, offsets[weak][:, :, None])
        deltas[weak] = (to_rest @ np.swapaxes(m, 1, 2) @ solved)[:, :, 0]
        stored = (deltas[weak] / activation).astype(np.float32).astype(np.float64) * activation
        error[weak] = np.linalg.norm(np.einsum("vij,vj->vi", linear[weak], stored) - offsets[weak], axis=1)
    return deltas, sigma, error


def solve_corrective(
    posed: Posed,
    sculpt: NDArray[np.floating],
    name: str,
    activation: float = 1.0,
    trigger: HingeTrigger | None = None,
    channels: NDArray[np.floating] | None = None,
) -> tuple[Shape, SolveReport]:
    """The shape that turns a posed character into a sculpt of it.

    Parameters
    ----------
    posed
        What is on in the pose, without what is being made.
    sculpt
        Posed points ``(V, 3)`` in the world, metres.
    name
        Of the shape.
    activation
        How much of the shape is on in this pose.
    trigger
        What will switch it on: where the neighbouring poses lie, and how much of it is on there; guessed when None.
    channels
        ``(V, C)`` what the sculpt makes of the channels that no skin moves; None = they stay.

    Raises
    ------
    BadEditError
        When the sculpt has another number of vertices, holds NaN, or moves nothing.

    Notes
    -----
    Where a deformer acts after the skin the offset is found by repeating: what is still missing is asked for once more.
    """
    character = posed.character
    if sculpt.shape != character.mesh.points.shape:
        raise BadEditError(
            f"The sculpt has {len(sculpt)} vertices and the character {len(character.mesh)}: "
            "they have to be the same mesh."
        )
    if not np.isfinite(sculpt).all():
        raise BadEditError("The sculpt holds coordinates that are not numbers.")
    if abs(activation) < 0.05:
        raise BadEditError("The shape is hardly on in this pose: go to a pose where its trigger is on.")
    base = posed.exact_points()
    height = extent(character.mesh.rest)
    offsets = sculpt.astype(np.float64) - base
    length = np.linalg.norm(offsets, axis=1)
    wider = _channel_offsets(posed, channels, 1e-6 * height)
    moved = np.flatnonzero((length > 1e-6 * height) | (wider != 0).any(axis=1))
    if len(moved) == 0:
        raise BadEditError("The sculpt is the same as the posed skin: move something first.")
    at_rest = posed.evaluator.pose(character.skeleton.rest_pose(), NONE)
    if posed.evaluator.deformers(posed.acting):
        moved, deltas, sigma, off = _through_deformers(posed, sculpt, height, at_rest.affine[0])
        error = off[moved]
        if len(moved) == 0:
            raise BadEditError("What acts after the skin takes all of this sculpt back: let it through first.")
    else:
        deltas, sigma, error = invert_offsets(
            posed.affine[0][moved], offsets[moved], at_rest.affine_of(moved)[0], activation
        )  # fmt: skip
    shape = Shape(
        name, moved.astype(np.int32), np.ascontiguousarray(deltas / activation, dtype=np.float32),
        channels=(wider[moved] / activation).astype(np.float32) if wider.any() else None,
    )  # fmt: skip
    trigger = trigger or _guessed(character, posed, shape)
    # Each vertex against what was asked of it: a small edit beside a large one can be hopeless too.
    hopeless = (sigma < HOPELESS_BELOW) | (error > np.maximum(0.05 * length[moved], 1e-5 * height))
    report = SolveReport(
        moved=len(moved),
        greatest_move=float(length.max()),
        round_trip_error=float(error.max()),
        damped=int((sigma < EXACT_ABOVE).sum()),
        hopeless=int(hopeless.sum()),
        neighbour_factor=1.0 if trigger is None else neighbour_factor(posed, trigger, shape, activation),
    )
    return shape, replace(report, warnings=(*warnings_of(report), *turn_warnings(posed, trigger, moved)))


def _channel_offsets(posed: Posed, channels: NDArray[np.floating] | None, least: float) -> Array:
    """How much more the sculpt wants of each channel ``(V, C)``; none where the character has none."""
    given = posed.channels
    if channels is None or given is None:
        return np.zeros((len(posed.character.mesh), 1))
    if channels.shape != given.shape or not np.isfinite(channels).all():
        raise BadEditError("The sculpt's channels are not those of the character.")
    more = channels.astype(np.float64) - given
    return np.where(np.abs(more) > least, more, 0.0)


def _through_deformers(
    posed: Posed, sculpt: NDArray[np.floating], height: float, rest: Array
) -> tuple[NDArray[np.intp], Array, NDArray[np.float64], NDArray[np.float64]]:
    """Which vertices a shape has to move so that the sculpt comes out behind the deformers, and by what.

    Deformers spread what is done to one vertex over others, so all are asked for what they miss.

    Returns
    -------
    moved, deltas, sigma, off
        ``(N,)``, ``(N, 3)``, ``(N,)`` of `invert_offsets`; and how far every vertex ``(V,)`` is off in the end, also
        where no shape would help.
    """
    shaped, linear = posed.shaped(), posed.affine[0]
    deltas, sigma = np.zeros_like(shaped), np.ones(len(shaped))
    best: tuple[float, Array, Array] | None = None
    for _ in range(ROUNDS):
        missing = sculpt - posed.exact_points(shaped + deltas)
        off = np.linalg.norm(missing, axis=1)
        if best is None or float(off.max()) < best[0]:
            best = (float(off.max()), deltas, off)
        if off.max() < 1e-7 * height:
            break
        more, sigma, _ = invert_offsets(linear, missing, rest)
        deltas = deltas + more
    assert best is not None
    moved = np.flatnonzero(np.linalg.norm(best[1], axis=1) > 1e-7 * height)
    return moved, best[1][moved], sigma[moved], best[2]


def out_of_reach(posed: Posed, sculpt: NDArray[np.floating]) -> Array:
    """How far each vertex ``(V,)`` of a sculpt stays off whatever the shape: what acts after the skin holds it."""
    if not posed.evaluator.deformers(posed.acting):
        return np.zeros(len(sculpt))
    rest = posed.evaluator.pose(posed.character.skeleton.rest_pose(), NONE).affine[0]
    return np.asarray(_through_deformers(posed, sculpt, extent(posed.character.mesh.rest), rest)[3])


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
        w = character.binding.subtree_weights(character.skeleton, joint)[moved.vertices]
        shared = 4 * w * (1 - w) + 0.01 * w
        return float(angles[joint] * (size @ shared + 1e-9))

    return guess_hinge(character.skeleton, pose, max(turned, key=score), preset)


def _guessed(character: Character, posed: Posed, shape: Shape) -> HingeTrigger | None:
    try:
        return guess_trigger(character, posed.moment.pose(), shape)
    except BadEditError:
        return None
