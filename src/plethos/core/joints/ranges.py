"""Ranges of motion that a joint can be given, and the axis and sign that go with them.

Sources: "normal adult ranges as orthopaedic handbooks print them (AAOS, Joint Motion, 1965)", all values from memory.
Those of the fingers, the toes and the collar bone are common practice, no source.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.joints.edit import bone_of, hinged
from plethos.core.rules.triggers.hinge import snap_axis, unit_axis
from plethos.core.skeleton.hinge import Hinge
from plethos.core.skeleton.skeleton import Skeleton

UP, DOWN, FRONT, BACK = (np.array(v, dtype=np.float64) for v in ((0, 1, 0), (0, -1, 0), (0, 0, 1), (0, 0, -1)))


@dataclass(frozen=True)
class RangePreset:
    """One motion of one kind of joint.

    Parameters
    ----------
    low, high
        Degrees.
    toward
        Where the end of the bone goes at first when the angle grows, world axes ``(3,)``; None = the joint rolls about
        its own bone.
    words
        A joint whose name holds one of these is likely meant.
    """

    name: str
    title: str
    low: float
    high: float
    toward: Array | None
    words: tuple[str, ...] = ()


PRESETS: dict[str, RangePreset] = {
    p.name: p
    for p in (
        RangePreset("shoulder_abduction", "Shoulder, raised sideways", 0, 180, UP, ("upper_arm", "upperarm", "should")),
        RangePreset("shoulder_flexion", "Shoulder, raised forward", -60, 180, FRONT),
        RangePreset("clavicle", "Collar bone, raised", -10, 30, UP, ("clavicle", "collar")),
        RangePreset("elbow_flexion", "Elbow, bent", 0, 150, FRONT, ("forearm", "lower_arm", "lowerarm", "elbow")),
        RangePreset("forearm_roll", "Forearm, rolled", -80, 80, None, ("forearm_twist",)),
        RangePreset("wrist_flexion", "Wrist, bent", -70, 80, DOWN, ("hand", "wrist")),
        RangePreset("finger", "Finger, bent", -10, 90, DOWN, ("finger", "thumb", "index", "middle", "ring_", "little")),
        RangePreset("hip_flexion", "Hip, thigh raised", -30, 120, FRONT, ("thigh", "upper_leg", "upperleg", "hip")),
        RangePreset("hip_roll", "Hip, thigh rolled", -45, 45, None, ("thigh_twist",)),
        RangePreset("knee_flexion", "Knee, bent", 0, 135, BACK, ("shin", "calf", "lower_leg", "lowerleg", "knee")),
        RangePreset("ankle", "Ankle, foot raised", -50, 20, UP, ("foot", "ankle")),
        RangePreset("toes", "Toes, raised", -30, 60, UP, ("toe",)),
        RangePreset("spine_flexion", "Spine, one of three joints, forward", -8, 27, FRONT, ("spine", "chest", "belly",
                    "pelvis", "hips")),
        RangePreset("spine_whole", "Spine, all in one joint, forward", -25, 80, FRONT),
        RangePreset("neck_flexion", "Neck, forward", -45, 45, FRONT, ("neck", "head")),
    )
}  # fmt: skip


def preset(name: str) -> RangePreset:
    """The preset of that name.

    Raises
    ------
    BadEditError
        When there is none.
    """
    if name not in PRESETS:
        raise BadEditError(f"There is no range of motion called “{name}”; there are {', '.join(PRESETS)}.")
    return PRESETS[name]


def suggested(joint: str) -> str | None:
    """The preset that a joint's name suggests: the longest word of any that it holds."""
    plain = joint.lower()
    fitting = [(len(w), p.name) for p in PRESETS.values() for w in p.words if w in plain]
    return max(fitting)[1] if fitting else None


def hinge_of(skeleton: Skeleton, joint: int, chosen: RangePreset) -> Hinge:
    """The hinge that a preset means at a joint: axis and sign from how the bone lies in the world at rest.

    Raises
    ------
    BadEditError
        When the joint has no bone, or its bone lies along the way it should go.
    """
    bone = bone_of(skeleton, joint)
    if bone is None:
        raise BadEditError(f"“{skeleton.names[joint]}” has no bone that could turn: nothing hangs on it.")
    bone = bone / np.linalg.norm(bone)
    axis = bone if chosen.toward is None else np.cross(bone, chosen.toward)
    if np.linalg.norm(axis) < 0.1:
        raise BadEditError(f"“{chosen.title}” does not fit: the bone already points where it should bend to.")
    own = rotations.rotation_part(skeleton.rest_global[joint, :3, :3])
    local = snap_axis(own.T @ (axis / np.linalg.norm(axis)))
    return Hinge(unit_axis(local.tolist()), math.radians(chosen.low), math.radians(chosen.high))


def with_range(character: Character, joint: int, name: str) -> Character:
    """The character with the hinge and range of a preset at a joint."""
    return hinged(character, joint, hinge_of(character.skeleton, joint, preset(name)))
