"""What the panel draws beside the cards: the roll along a limb, and what each remedy gives back."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.geometry import rotations
from plethos.core.measure.contribution import contributions as contributed
from plethos.core.propose.kinds import waterfall
from plethos.core.propose.roll import Limb, measured_roll
from plethos.core.rules.remedies import Remedy
from plethos.core.skeleton.pose import Pose
from plethos.service.library.version import Version

NEAR_FLIP = 20.0  # degrees
LEAST_ROLL = 5.0  # degrees: less is not worth a graph


def roll(version: Version, pose: Pose, joint: str) -> dict[str, Any] | None:
    """How the skin turns along the limb of a rolled joint, degrees, and how it should; None where nothing rolls."""
    number = version.character.skeleton.find(joint)
    try:
        limb = Limb.of(version.character, number, bare=True)
    except BadEditError:
        return None
    turned = math.degrees(float(rotations.twist_angle(pose.rotations[number], limb.axis, 0.0)))
    if abs(turned) < LEAST_ROLL:
        return None
    places, present = measured_roll(version.evaluator.pose(pose), limb)
    return {
        "roll_deg": turned,
        "places": places.tolist(),
        "present_deg": [None if np.isnan(r) else math.degrees(float(r)) for r in present],
        "ideal_deg": (turned * limb.ideal(places)).tolist(),
        "twists": len(limb.bone.twists),
        "flips": _flips(version, limb, turned),
    }


def _flips(version: Version, limb: Limb, turned: float) -> str | None:
    """A sentence where a roll, degrees, is near to where it counts as turned the other way."""
    low, high = (math.degrees(x) for x in limb.flips(version.character.skeleton))
    if low + NEAR_FLIP < turned < high - NEAR_FLIP:
        return None
    return (
        f"Beyond {low:.0f}° and {high:.0f}° the roll counts as turned the other way, and twist joints flip over: "
        "keep it short of that, or set the joint's range in Bind so that its middle is nearer."
    )


def bars(version: Version, pose: Pose, joint: str) -> list[tuple[Remedy, float]]:
    """What each remedy gives back of a joint's volume in a pose: see `waterfall`."""
    rules, number = version.character.rules, version.character.skeleton.find(joint)
    return [(rules.remedy(i), volume) for i, volume in waterfall(version.character, number, pose)]


def contributions(version: Version, pose: Pose) -> dict[str, float]:
    """How far each remedy moves the skin in a pose, metres: see `contribution.contributions`."""
    return contributed(version.evaluator, pose)
