"""The joints of the figures: places, frames and ranges of motion.

Every joint's frame has +Y along the bone and +Z along its main hinge, so that a positive turn about Z is the motion
the joint is for: elbow, knee, hip and fingers flex, the arm and the collar bone rise, the spine bends forward. The
right side is the mirror image: the same turn about Z mirrors, turns about X and Y change sign.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plethos.core.joints.frames import frame_along
from plethos.demo.anatomy import FINGERS, SHOULDER, UPPER_ARM, WRIST, arm, finger_joints, thumb_joints
from plethos.demo.build import Build
from plethos.demo.foot import leg

Vector = NDArray[np.float64]
MIRROR = np.array([-1.0, 1.0, 1.0])
TWISTS = (1 / 3, 2 / 3)  # where the two twist joints sit along a segment


@dataclass(frozen=True)
class DemoJoint:
    """One joint.

    Parameters
    ----------
    place, tip
        Where it is and where its bone ends, centimetres.
    frame
        ``(3, 3)`` columns X, Y, Z in the world.
    hinge_range
        Degrees about Z; None where nothing is printed for it.
    others
        Degrees about +Y, along the bone, then about -X; None for a hinge.
    """

    name: str
    parent: str | None
    place: Vector
    tip: Vector
    frame: NDArray[np.float64]
    hinge_range: tuple[float, float] | None = None
    others: tuple[tuple[float, float], tuple[float, float]] | None = None

    @property
    def is_twist(self) -> bool:
        return "_twist_" in self.name


# Degrees about Z. Normal adult ranges as orthopaedic handbooks print them (AAOS 1965, from memory): elbow 0-150, hip
# 0-120, knee 0-135, shoulder abduction 0-180 (here from the 48 degrees at which the arm rests), wrist 80.
RANGES = {
    "upper_arm": (-48.0, 132.0), "forearm": (0.0, 150.0), "hand": (-70.0, 80.0), "thigh": (-20.0, 120.0),
    "shin": (0.0, 135.0), "foot": (-50.0, 20.0), "toes": (-30.0, 60.0), "clavicle": (-10.0, 30.0),
    "spine_1": (-20.0, 40.0), "spine_2": (-20.0, 40.0), "chest": (-15.0, 30.0), "neck": (-30.0, 40.0),
    "head": (-30.0, 40.0), "jaw": (0.0, 25.0),
}  # fmt: skip

# Of joints that are no hinges: degrees of roll about the bone, then of the other swing, on the left. Same source,
# rounded to the same either way where it hardly differs; about a positive other swing the arm goes back, the thigh and
# the foot outwards, the hand towards its thumb.
NONE, TRUNK, NECK = (0.0, 0.0), ((-15.0, 15.0), (-15.0, 15.0)), ((-35.0, 35.0), (-20.0, 20.0))
OTHERS = {
    "clavicle": (NONE, (-15.0, 15.0)), "upper_arm": ((-70.0, 70.0), (-90.0, 40.0)), "forearm": ((-80.0, 80.0), NONE),
    "hand": (NONE, (-30.0, 20.0)), "thigh": ((-45.0, 45.0), (-30.0, 45.0)), "foot": ((-20.0, 20.0), (-10.0, 10.0)),
    "spine_1": TRUNK, "spine_2": TRUNK, "chest": TRUNK, "neck": NECK, "head": NECK,
}  # fmt: skip

X, Z = np.array([1.0, 0, 0]), np.array([0, 0, 1.0])


def demo_joints(build: Build) -> list[DemoJoint]:
    """All joints, parents first."""
    out: list[DemoJoint] = []

    def add(name: str, parent: str | None, place: Vector, tip: Vector, hinge: Vector, key: str | None = None) -> None:
        span = RANGES.get(key or name, (-10.0, 90.0) if key == "finger" else None)
        out.append(DemoJoint(name, parent, place, tip, frame_along(tip - place, hinge), span, OTHERS.get(name)))

    middle = [
        ("pelvis", (0, 97, -1.0)), ("spine_1", (0, 104, -1.5)), ("spine_2", (0, 113, -2)), ("chest", (0, 124, -3)),
        ("neck", (0, 148, -3.2)), ("head", (0, 159.5, -1)), ("", (0, 178, 0)),
    ]  # fmt: skip
    places = [np.array(p, float) for _, p in middle]
    for k, (name, _) in enumerate(middle[:-1]):
        add(name, middle[k - 1][0] if k else None, places[k], places[k + 1], X)
    add("jaw", "head", np.array([0, 166.0, 0.4]), np.array([0, 158.2, 8.0]), X)
    out += _left(build.stance)
    return [*out, *(_mirrored(j) for j in out if j.name.startswith("left_"))]


def _left(stance: float) -> list[DemoJoint]:
    out: list[DemoJoint] = []

    def add(name: str, parent: str, place: Vector, tip: Vector, hinge: Vector, key: str = "") -> None:
        span = (-10.0, 90.0) if key == "finger" else RANGES.get(name)
        parent = parent if parent in ("chest", "pelvis") else f"left_{parent}"
        frame = frame_along(tip - place, hinge)
        out.append(DemoJoint(f"left_{name}", parent, place, tip, frame, span, OTHERS.get(name)))

    def segment(name: str, parent: str, place: Vector, tip: Vector, hinge: Vector) -> None:
        add(name, parent, place, tip, hinge)
        for k, share in enumerate(TWISTS, 1):
            start = place + (tip - place) * share
            end = place + (tip - place) * (TWISTS[k] if k < len(TWISTS) else 1.0)
            add(f"{name}_twist_{k}", name, start, end, hinge)

    elbow, wrist = arm(UPPER_ARM, 0, -0.4), arm(WRIST, 0, 0)
    knuckles = finger_joints(FINGERS[1])
    add("clavicle", "chest", np.array([2.2, 144.2, 1.0]), SHOULDER, Z)
    segment("upper_arm", "clavicle", SHOULDER, elbow, Z)
    bend = np.cross(elbow - SHOULDER, Z)  # brings the forearm forward
    segment("forearm", "upper_arm", elbow, wrist, bend)
    add("hand", "forearm", wrist, knuckles[0], -Z)
    for finger in FINGERS:
        chain, parent = finger_joints(finger), "hand"
        for k in range(3):
            add(f"{finger[0]}_{k + 1}", parent, chain[k], chain[k + 1], -Z, "finger")
            parent = f"{finger[0]}_{k + 1}"
    chain, parent = thumb_joints(), "hand"
    palm_normal = np.cross(chain[3] - chain[0], Z)
    for k in range(3):
        add(f"thumb_{k + 1}", parent, chain[k], chain[k + 1], palm_normal, "finger")
        parent = f"thumb_{k + 1}"
    out_by = np.array([stance, 0, 0])
    hip, knee, ankle = (leg(*p) + out_by for p in ((8.9, 91.5, -0.5), (10, 50.5, -0.6), (10.4, 9, -2)))
    ball, toe = leg(11, 2.2, 10.5) + out_by, leg(11.2, 1.5, 17) + out_by
    segment("thigh", "pelvis", hip, knee, -X)
    segment("shin", "thigh", knee, ankle, X)
    add("foot", "shin", ankle, ball, -X)
    add("toes", "foot", ball, toe, -X)
    return out


def _mirrored(joint: DemoJoint) -> DemoJoint:
    def other(name: str) -> str:
        return name.replace("left_", "right_", 1)

    frame = MIRROR[:, None] * joint.frame * np.array([1.0, 1.0, -1.0])
    parent = other(joint.parent) if joint.parent else None
    others = joint.others and tuple((-high, -low) for low, high in joint.others)
    place, tip = joint.place * MIRROR, joint.tip * MIRROR
    return DemoJoint(other(joint.name), parent, place, tip, frame, joint.hinge_range, others)  # type: ignore[arg-type]
