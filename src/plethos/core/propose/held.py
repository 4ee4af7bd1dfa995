"""A joint held in a pose, and how far it is from keeping everything on the way there."""

from __future__ import annotations

from dataclasses import dataclass

from plethos.core.bend import Measured, bent, straight
from plethos.core.character import Character
from plethos.core.names import free_name
from plethos.core.skeleton import Pose
from plethos.core.triggers.hinge import HingeTrigger, guess_hinge

WAY = (0.4, 0.7, 1.0)  # where on the way each is measured
GIRTH = 0.5  # what a percent of girth counts


@dataclass(frozen=True, eq=False)
class Held:
    """A joint held in a pose.

    Parameters
    ----------
    pose
        With the joint at rest about the axis of its turn.
    trigger
        From rest to the held pose.
    """

    character: Character
    joint: int
    pose: Pose
    trigger: HingeTrigger

    @classmethod
    def of(cls, character: Character, joint: int, pose: Pose) -> Held:
        """The turn that a joint makes in a pose.

        Raises
        ------
        BadEditError
            When it is at rest.
        """
        trigger = guess_hinge(character.skeleton, pose, joint)
        return cls(character, joint, straight(pose, joint, trigger.axis), trigger)

    @property
    def angle(self) -> float:
        return self.trigger.response.end

    def at(self, share: float) -> Pose:
        """Part of the way."""
        return bent(self.pose, self.joint, self.trigger.axis, share * self.angle)

    def named(self, name: str) -> str:
        return free_name(name, {r.name for r in self.character.rules.remedies})


def off(step: Measured) -> float:
    """How far a bend is from keeping volume and girth, percent of volume."""
    volume = 0.0 if step.volume is None else abs(100 - step.volume)
    girth = 0.0 if step.girth is None else max(0.0, 100 - step.girth)
    return volume + GIRTH * girth
