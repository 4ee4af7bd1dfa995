"""Helper joints that are tried: made below a joint, and how bad the joint is with them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from plethos.core.character import Character
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.joints.draft import Draft
from plethos.core.measure.badness import badness_of
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.measured import Measured
from plethos.core.propose.held import WAY, Held
from plethos.core.rules.remedies import Helper, HelperRule, Remedy, Slide
from plethos.core.rules.response import Response
from plethos.core.skeleton.mapping import vector
from plethos.core.skeleton.names import free_name
from plethos.core.skeleton.pose import Pose
from plethos.core.skin.mask import Mask


@dataclass(frozen=True, eq=False)
class Place:
    """Where a helper joint is put.

    Parameters
    ----------
    label
        Its name.
    at
        ``(3,)`` at rest in the world.
    mask
        The skin that follows it.
    """

    label: str
    at: Array
    mask: Mask


Ruled = Sequence[tuple[Place, Sequence[HelperRule]]]


def with_joints(character: Character, parent: int, places: Sequence[Place]) -> Character:
    """The character with helper joints below a joint, leaves that nothing follows yet; they come after all others."""
    draft = Draft(character)
    frame = rotations.rotation_part(character.skeleton.rest_global[parent, :3, :3])
    for place in places:
        draft.add(place.label, parent, place.at, frame, helper=True)
    return draft.finish()


def with_rules(made: Character, ruled: Ruled) -> Character:
    """The character with the remedies of helper joints that it has."""
    out = made
    for place, rules in ruled:
        name = free_name(place.label, {r.name for r in out.rules.remedies})
        out = out.with_remedy(Remedy(Helper(made.skeleton.find(place.label), tuple(rules), place.mask), name))
    return out


def measured_on_the_way(measure: BendMeasure, held: Held) -> list[Measured]:
    """A joint at each step of the way, on a character that may have more joints than the held one."""
    character = measure.evaluator.character
    return [measure.at(pose_with_added_joints(held.at(share), character)) for share in WAY]


def rank_on_the_way(measure: BendMeasure, held: Held) -> float:
    """How bad the joint is on the way: the sum of `Badness.rank`."""
    return sum(badness_of(step).rank for step in measured_on_the_way(measure, held))


def pose_with_added_joints(pose: Pose, character: Character) -> Pose:
    """A pose on a skeleton that has more joints: they come after those that it says something of."""
    own = character.skeleton.rest_pose()
    own.rotations[: len(pose.rotations)] = pose.rotations
    return replace(own, dials=pose.dials)


def slide_to(held: Held, parent: int, way: Array, stops: Sequence[tuple[float, float]]) -> Slide:
    """A slide of a helper below a joint, along a way ``(3,)`` at rest in the world.

    Parameters
    ----------
    stops
        Angles about the axis of the held turn, radians, and metres.
    """
    frame = rotations.rotation_part(held.character.skeleton.rest_global[parent, :3, :3])
    along = frame.T @ way
    return Slide(
        held.joint, held.trigger.axis, vector(along / np.linalg.norm(along)), Response.of_knots(sorted(stops))
    )  # fmt: skip
