"""Reach: the two joints above the end of a limb turn so that the end comes to a place.

Closed form, by the law of cosines: the triangle of the two bones and the way to the place.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import FARTHEST
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.skeleton import Skeleton

SOFT = math.radians(10)  # within so much of the end of a range a joint turns on ever more slowly
SWUNG = (0.3, 0.6)  # cosines of half the swings (145 and 106 degrees) between which a turn about a hinge fades out
SHORTEST = 1e-9  # metres of a bone
STRAIGHT = 1e-6  # sine of the bend below which a limb says no side by itself


@dataclass(frozen=True)
class TwoBones:
    """Two joints and the end that they carry: thigh, shin, foot."""

    upper: int
    lower: int
    end: int


def limb_of(skeleton: Skeleton, end: int) -> TwoBones:
    """The limb that a joint is the end of.

    Raises
    ------
    BadEditError
        When there are no two joints above it, or a bone has no length.
    """
    lower = skeleton.joint_parents[end]
    # Twist joints lie on the bone of their parent and carry no limb.
    upper = skeleton.joint_parents[lower] if lower >= 0 else -1
    name = skeleton.names[end]
    if upper < 0:
        raise BadEditError(f"There are no two joints above “{name}” that could reach: take a hand or a foot.")
    places = skeleton.rest_global[:, :3, 3]
    if min(np.linalg.norm(places[end] - places[lower]), np.linalg.norm(places[lower] - places[upper])) < SHORTEST:
        raise BadEditError(f"The joints above “{name}” lie in one place: they cannot reach.")
    return TwoBones(upper, lower, end)


def reached(skeleton: Skeleton, pose: Pose, end: int, at: Array) -> dict[int, Array]:
    """How the two joints above an end are turned for it to come to a place.

    Parameters
    ----------
    end
        The joint that is dragged.
    at
        World metres ``(3,)``; out of reach, the limb stretches towards it.

    Returns
    -------
    dict
        Quaternions by joint, as in a pose.

    Raises
    ------
    BadEditError
        See `limb_of`; and when the pose leaves a bone no length.

    Notes
    -----
    The limb bends to the side that it is bent to now; a straight one to the side that its hinge bends to. The ranges
    of both joints about their hinges are soft limits: near its ends a joint turns on more slowly, and never beyond, so
    that the end stays behind the place; the lower bone goes on to point at it. Of the upper joint that is what it turns
    about its hinge, however it swings besides; swung most of half a turn away, that says nothing any more and is let
    go. The end keeps its own turn against the lower bone.
    """
    limb = limb_of(skeleton, end)
    world = skeleton.global_matrices(pose)
    root, middle, tip = (world[j][:3, 3] for j in (limb.upper, limb.lower, limb.end))
    long, short = float(np.linalg.norm(middle - root)), float(np.linalg.norm(tip - middle))
    if not (SHORTEST < long < FARTHEST and SHORTEST < short < FARTHEST):
        raise BadEditError("In this pose the limb has no length: give its joints their size back, then drag.")
    way = np.asarray(at, np.float64) - root
    far = float(np.linalg.norm(way))
    if far < 1e-9:
        way, far = tip - root, 1e-9
    side = _side(skeleton, world, limb, root, middle, tip)
    # The angle between the bones, from the law of cosines: pi is straight.
    cosine = (long**2 + short**2 - min(max(far, abs(long - short)), long + short) ** 2) / (2 * long * short)
    inner = math.acos(min(1.0, max(-1.0, cosine)))
    now = _inner(root, middle, tip)
    bend = _within_range(skeleton, pose, limb, world, side, now - inner)
    after = rotations.from_axis_angle(side, bend)
    tip = middle + rotations.to_matrix(after) @ (tip - middle)
    # Then the whole limb swings so that its end points at the place.
    swing = rotations.shortest(tip - root, way)
    whole = _turned(skeleton, pose, world, limb.upper, swing)
    upper = _kept_within(skeleton, pose, limb.upper, whole)
    if upper is not whole:
        # Held back, it leaves the lower bone to point at the place as well as it can.
        own = rotations.from_matrix(rotations.rotation_part(world[limb.upper][:3, :3]))
        inside = rotations.multiply(rotations.conjugate(pose.rotations[limb.upper]), upper)
        turn = rotations.to_matrix(rotations.multiply(rotations.multiply(own, inside), rotations.conjugate(own)))
        bone, wish, axis = turn @ (tip - middle), at - root - turn @ (middle - root), turn @ side
        missing = math.atan2(float(axis @ np.cross(bone, wish)), float(bone @ wish - (bone @ axis) * (wish @ axis)))
        bend = _within_range(skeleton, pose, limb, world, side, bend + missing)
        after = rotations.from_axis_angle(side, bend)
    return {limb.upper: upper, limb.lower: _turned(skeleton, pose, world, limb.lower, after)}


def _side(skeleton: Skeleton, world: Array, limb: TwoBones, root: Array, middle: Array, tip: Array) -> Array:
    """The axis ``(3,)`` in the world about which the lower bone turns to bend the limb on."""
    axis = np.cross(middle - root, tip - middle)
    length = float(np.linalg.norm(axis))
    if length > STRAIGHT * float(np.linalg.norm(middle - root) * np.linalg.norm(tip - middle)):
        return np.asarray(axis / length)
    hinge = skeleton.hinge(limb.lower)
    turn = rotations.rotation_part(world[limb.lower][:3, :3])
    axis = turn @ np.array(hinge.axis)
    axis = axis - (axis @ (middle - root)) * (middle - root) / max(float((middle - root) @ (middle - root)), 1e-30)
    axis = axis / max(float(np.linalg.norm(axis)), 1e-30)
    return np.asarray(axis if abs(hinge.high) >= abs(hinge.low) else -axis)


def _inner(root: Array, middle: Array, tip: Array) -> float:
    """The angle between the two bones; pi is straight."""
    a, b = root - middle, tip - middle
    return math.atan2(float(np.linalg.norm(np.cross(a, b))), float(a @ b))


def _within_range(skeleton: Skeleton, pose: Pose, limb: TwoBones, world: Array, side: Array, bend: float) -> float:
    """The bend, held back softly by the range of the lower joint about its hinge where it turns about that."""
    hinge = skeleton.hinge(limb.lower)
    turn = rotations.rotation_part(world[limb.lower][:3, :3])
    along = float((turn @ np.array(hinge.axis)) @ side)
    if abs(along) < 0.5:
        return bend
    sign = math.copysign(1.0, along)
    now = float(rotations.twist_angle(pose.rotations[limb.lower], np.array(hinge.axis), (hinge.low + hinge.high) / 2))
    return sign * (soft(now + sign * bend, now, hinge.low, hinge.high) - now)


def _kept_within(skeleton: Skeleton, pose: Pose, joint: int, turned: Array) -> Array:
    """A joint's rotation ``(4,)`` with what it turns about its hinge held back softly; the same where nothing is."""
    hinge = skeleton.known_hinge(joint)
    if hinge is None:
        return turned  # its range is only guessed
    axis, middle = np.array(hinge.axis), (hinge.low + hinge.high) / 2
    before, after = (float(rotations.twist_angle(q, axis, middle)) for q in (pose.rotations[joint], turned))
    # How plainly the rotation is one about the hinge: 1 without any swing, 0 at a swing of half a turn.
    plain = math.hypot(float(turned[:3] @ axis), float(turned[3]))
    trust = min(1.0, max(0.0, (plain - SWUNG[0]) / (SWUNG[1] - SWUNG[0])))
    held = trust * (soft(after, before, hinge.low, hinge.high) - after)
    if held == 0:
        return turned
    return rotations.multiply(turned, rotations.from_axis_angle(axis, held))


def soft(angle: float, start: float, low: float, high: float) -> float:
    """An angle brought softly into a range.

    As it is inside; within `SOFT` of an end, or from where it started if that is nearer, slower and slower, and never
    beyond. One that started outside of the range does not go further out.

    Parameters
    ----------
    angle, start
        Where it is to go, and where it starts, radians.
    """
    begins = min(max(start, high - SOFT), high)
    if angle > begins and angle > start:
        room = high - begins
        return max(start, high - room * math.exp(-(angle - begins) / room)) if room > 0 else max(start, high)
    begins = max(min(start, low + SOFT), low)
    if angle < begins and angle < start:
        room = begins - low
        return min(start, low + room * math.exp((angle - begins) / room)) if room > 0 else min(start, low)
    return angle


def _turned(skeleton: Skeleton, pose: Pose, world: Array, joint: int, turn: Array) -> Array:
    """A joint's rotation in a pose when it is turned in the world, its parent as it is."""
    own = rotations.from_matrix(rotations.rotation_part(world[joint][:3, :3]))
    inside = rotations.multiply(rotations.multiply(rotations.conjugate(own), turn), own)
    return rotations.normalize(rotations.multiply(pose.rotations[joint], inside))
