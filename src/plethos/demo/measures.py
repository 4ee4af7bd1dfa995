"""How the bare lock keeper breaks: his measures in the poses that the guide and the tests refer to."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from plethos.core.character import Character
from plethos.core.evaluate import Evaluator
from plethos.core.geometry import rotations
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.contact_counter import ContactCounter
from plethos.core.skeleton.pose import Pose

RECORDED = Path(__file__).with_name("files") / "lock-keeper-bare.measures.json"

# What is measured at which joint, in which pose: degrees about the joints' own X, Y, Z.
POSES: dict[str, tuple[str, dict[str, tuple[float, float, float]]]] = {
    "elbow 130": ("left_forearm", {"left_forearm": (0, 0, 130)}),
    # The arm rests at 48 degrees of abduction; the collar bone does its part.
    "arm up 150": ("left_upper_arm", {"left_upper_arm": (0, 0, 80), "left_clavicle": (0, 0, 22)}),
    "thigh up 110, knee 130": ("left_thigh", {"left_thigh": (0, 0, 110), "left_shin": (0, 0, 130)}),
    "knee 130, thigh up 110": ("left_shin", {"left_thigh": (0, 0, 110), "left_shin": (0, 0, 130)}),
    "forward bend 60": ("spine_2", {"spine_1": (0, 0, 24), "spine_2": (0, 0, 24), "chest": (0, 0, 12)}),
    "forearm roll 80": ("left_hand", {"left_hand": (0, 80, 0)}),
}


def demo_pose(character: Character, name: str) -> tuple[int, Pose]:
    """The measured joint and the pose of that name."""
    joint, turned = POSES[name]
    pose = character.skeleton.rest_pose()
    for other, degrees in turned.items():
        pose.rotations[character.skeleton.find(other)] = rotations.from_euler_xyz_deg(np.array(degrees, float))
    return character.skeleton.find(joint), pose


def measures_of(character: Character) -> dict[str, dict[str, Any]]:
    """Volume and least girth of the joint's region in percent of rest, and triangles in new contacts."""
    evaluator, contacts = Evaluator.of(character), ContactCounter.of(character.mesh)
    out: dict[str, dict[str, Any]] = {}
    for name in POSES:
        joint, pose = demo_pose(character, name)
        measured = BendMeasure.of(character, joint).at(pose)
        out[name] = {
            "joint": character.skeleton.names[joint],
            "volume_percent": None if measured.volume is None else round(measured.volume, 2),
            "least_girth_percent": None if measured.girth is None else round(measured.girth, 2),
            "contacts": contacts.count(evaluator.pose(pose).points),
        }
    return out
