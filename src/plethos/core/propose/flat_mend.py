"""A first mend for a drawing: each point turns about the joint by its own share, so that the limb keeps its width."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import isotonic_regression

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import ALL, Acting, Evaluator
from plethos.core.geometry.outlines import AFTER, BEFORE, POINT
from plethos.core.geometry.rotations import Array, twist_angle
from plethos.core.skeleton.pose import Pose

Z = np.array([0.0, 0.0, 1.0])
LEAST = np.radians(1.0)
FIRM = 1e6  # how much more than the others what does not bend holds its place
ALONG_OUTLINE = np.array([BEFORE, POINT, AFTER], np.intp)


def width_kept(character: Character, joint: int, pose: Pose, acting: Acting = ALL, share: float = 1.0) -> Array:
    """Posed points ``(V, 3)`` with the width at a bent joint given back.

    Parameters
    ----------
    share
        How much of it, 0 = as it is posed, 1 = all.

    Raises
    ------
    BadEditError
        When the character is no drawing, or the joint is not bent in its plane.

    Notes
    -----
    Linear skinning takes a point of weight w along the chord between where it would be unbent and where it would be
    wholly turned: half of both sides of a limb at a joint come together by cos(t / 2). Here the point goes along the
    arc, by w t about the joint, and its distance from the joint stays. On the inside of a narrow bend points would then
    pass each other, and the line would make a knot: those are brought together in a crease, by isotonic regression of
    their angles in the order of the outline.
    """
    if not character.mesh.is_flat:
        raise BadEditError("This is no drawing.")
    angle = float(twist_angle(pose.rotations[joint], Z, 0.0))
    if abs(angle) < LEAST:
        raise BadEditError(f"“{character.skeleton.names[joint]}” is not bent: bend it first.")
    evaluator = Evaluator.of(character)
    straight = evaluator.pose(pose.with_rotation(joint, np.array([0.0, 0.0, 0.0, 1.0])), acting)
    posed = evaluator.pose(pose, acting)
    weight = character.binding.subtree_weights(character.skeleton, joint).astype(np.float64)
    at = straight.world[joint, :3, 3]
    unbent = straight.exact_points() - at
    turned = at + _creased(character, unbent, _turned(unbent, angle * weight), angle * weight)
    now = posed.exact_points()
    shared = (weight > 1e-6) & (weight < 1 - 1e-6)
    out = now.copy()
    out[shared] += share * (turned[shared] - now[shared])
    return out


def _creased(character: Character, unbent: Array, turned: Array, turns: Array) -> Array:
    """Places ``(V, 3)`` about the joint, those brought together that passed each other in turning by ``turns (V,)``."""
    out = turned.copy()
    for part, surface in character.mesh.outlines():
        for curve in surface.curves:
            heads = part.vertices[0] + 3 * np.array(curve.controls, np.intp)
            for run in _bending(turns[heads], curve.closed):
                rows = (heads[run][:, None] + ALONG_OUTLINE).ravel()
                before = np.unwrap(np.arctan2(unbent[rows, 1], unbent[rows, 0]))
                way = 1.0 if before[-1] > before[0] else -1.0
                after = way * (before + turns[rows])
                if (np.diff(way * before) < -1e-9).any() or (np.diff(after) >= 0).all():
                    continue  # its line turns back at rest already, or nothing passes anything
                fixed = np.ones(len(rows))
                fixed[:3] = fixed[-3:] = FIRM
                met = isotonic_regression(after, weights=fixed).x
                block = np.cumsum(np.concatenate([[0], np.diff(met) > 1e-9]))
                far = np.linalg.norm(unbent[rows, :2], axis=1)
                mean = (np.bincount(block, far) / np.bincount(block))[block]
                inner = slice(3, -3)
                angles = (way * met)[inner]
                out[rows[inner], 0] = mean[inner] * np.cos(angles)
                out[rows[inner], 1] = mean[inner] * np.sin(angles)
    return out


def _bending(turns: Array, closed: bool) -> Iterator[NDArray[np.intp]]:
    """Runs of control points, by number, whose turn changes along an outline, with one that stays on either side."""
    count = len(turns)
    if count < 3:
        return
    moves = np.abs(np.diff(turns, append=turns[:1])) > 1e-9  # from each to the next
    if not closed:
        moves[-1] = False
    still = np.flatnonzero(~moves)
    if not len(still):
        return
    # From a place where nothing changes, once round.
    order = np.roll(np.arange(count), -int(still[0]) - 1)
    run: list[int] = []
    for k in order.tolist():
        run.append(k)
        if not moves[k]:
            if len(run) > 2:
                yield np.array(run, np.intp)
            run = []


def _turned(places: Array, angles: NDArray[np.floating]) -> Array:
    """Places ``(N, 3)`` turned about z by angles ``(N,)``."""
    cosine, sine = np.cos(angles), np.sin(angles)
    x, y = places[:, 0], places[:, 1]
    return np.stack([cosine * x - sine * y, sine * x + cosine * y, places[:, 2]], axis=1)
