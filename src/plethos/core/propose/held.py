"""A joint held in a pose, and how far it is from keeping everything on the way there."""

from __future__ import annotations

import contextlib
import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.geometry import rotations
from plethos.core.measure.outline_site import near_joint
from plethos.core.measure.region import joint_region
from plethos.core.measure.travel import bent, straight
from plethos.core.rules.triggers.hinge import HingeTrigger, guess_hinge
from plethos.core.skeleton.names import free_name
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.skeleton import Skeleton

TURNED = math.radians(1)  # less is no turn
WAY = (0.4, 0.7, 1.0)  # where on the way each is measured


def _nothing() -> None:
    pass


@dataclass(frozen=True, eq=False)
class Held:
    """A joint held in a pose.

    Parameters
    ----------
    pose
        With the joint at rest about the axis of its turn.
    trigger
        From rest to the held pose.
    tell
        Called between the steps of what takes long; what it raises stops it.
    """

    character: Character
    joint: int
    pose: Pose
    trigger: HingeTrigger
    tell: Callable[[], None] = _nothing

    @classmethod
    def of(cls, character: Character, joint: int, pose: Pose, tell: Callable[[], None] = _nothing) -> Held:
        """The turn that a joint makes in a pose.

        Raises
        ------
        BadEditError
            When it is at rest.
        """
        trigger = guess_hinge(character.skeleton, pose, joint)
        return cls(character, joint, straight(pose, joint, trigger.axis), trigger, tell)

    @property
    def angle(self) -> float:
        return self.trigger.response.end

    def at(self, share: float) -> Pose:
        """Part of the way."""
        return bent(self.pose, self.joint, self.trigger.axis, share * self.angle)

    def short(self, share: float) -> Held:
        """Held only part of the way."""
        return Held.of(self.character, self.joint, self.at(share), self.tell)

    def named(self, name: str) -> str:
        return free_name(name, {r.name for r in self.character.rules.remedies})


def left_rest(skeleton: Skeleton, pose: Pose) -> list[int]:
    """The joints that left rest, the furthest turned first."""
    angle = np.where(skeleton.is_joint, rotations.angle(pose.rotations), 0)
    return [j for j in np.argsort(-angle, kind="stable").tolist() if angle[j] > TURNED]


def turned_joints(character: Character, pose: Pose) -> Iterator[int]:
    """The joints that left rest and bend skin, the furthest turned first."""
    for joint in left_rest(character.skeleton, pose):
        with contextlib.suppress(BadEditError):
            if character.mesh.is_flat:
                near_joint(character, joint)
            else:
                joint_region(character, joint, character.mesh.rest)
            yield joint


def furthest_turned(character: Character, pose: Pose) -> int:
    """The joint that is turned furthest and bends skin.

    Raises
    ------
    BadEditError
        When there is none.
    """
    for joint in turned_joints(character, pose):
        return joint
    raise BadEditError("No joint that bends skin has left rest in this pose: bend one first.")
