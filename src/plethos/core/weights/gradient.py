"""Even gradients along a bone: what twist joints want, and what a wrist without them wants too."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadEditError
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.weights.bone_distances import along_segment
from plethos.core.weights.bones import Segment, segments_of

Weights = NDArray[np.float64]
FIRST, LAST = 0.1, 0.9  # where along the bone its joint, and the last that shares it, hold all of the weight


def shares_along(t: NDArray[np.float64], count: int) -> Weights:
    """How much each of `count` joints that share a bone evenly has ``(N, count)`` at the places t ``(N,)`` along it.

    The first holds its own end, the last the other, with straight lines between; rows sum to 1.
    """
    stations = np.linspace(FIRST, LAST, count)
    at = np.clip(t, FIRST, LAST)[:, None]
    return np.asarray(np.clip(1 - np.abs(at - stations) / (stations[1] - stations[0]), 0, 1))


def shares_of(rest: NDArray[np.floating], segment: Segment) -> dict[int, NDArray[np.float64]]:
    """How much of a bone's weight its joint and each of its twist joints has, evenly along it, at points ``(N, 3)``."""
    chain = [segment.joint, *segment.twists]
    return dict(zip(chain, shares_along(along_segment(rest, segment), len(chain)).T, strict=True))


def grade(weights: Weights, rest: NDArray[np.floating], segment: Segment) -> None:
    """Share a bone's weight evenly along it with its twist joints; changes the weights ``(V, J)`` in place."""
    whole = weights[:, segment.joint].copy()
    for joint, share in shares_of(rest, segment).items():
        weights[:, joint] = whole * share


def chain_along(skeleton: Skeleton, joint: int) -> Segment:
    """The bone that a joint, or a twist joint, belongs to, with the joints that share it: those that `even` levels.

    A bone without twist joints is shared with the joint at its end.

    Raises
    ------
    BadEditError
        When the joint has no bone.
    """
    at = skeleton.rest_global[:, :3, 3]
    for segment in segments_of(skeleton):
        if segment.twists and joint in (segment.joint, *segment.twists):
            return segment
    end = skeleton.main_child(joint)
    if end is None:
        raise BadEditError(f"“{skeleton.names[joint]}” has no bone to even weights out along: nothing hangs on it.")
    return Segment(joint, at[joint], at[end], (end,))


def evened(rows: Weights, points: NDArray[np.floating], segment: Segment, share: NDArray[np.float64]) -> Weights:
    """Rows ``(N, J)`` in which what the bone's joints hold together is spread evenly along it.

    Parameters
    ----------
    points
        ``(N, 3)`` at rest, in the world.
    share
        ``(N,)`` how far to go, 1 = all the way.
    """
    chain = [segment.joint, *segment.twists]
    out = rows.copy()
    together = rows[:, chain].sum(axis=1)
    even = together[:, None] * shares_along(along_segment(points, segment), len(chain))
    out[:, chain] += share[:, None] * (even - rows[:, chain])
    return out
