"""What is done to the demo characters: each joint by the kind of remedy that suits, made as a person would make it."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

from plethos.core.character import Character
from plethos.core.propose.blend import full_mask
from plethos.core.propose.held import Held
from plethos.core.propose.roll import Limb, twist_remedies
from plethos.core.propose.solved import solved
from plethos.core.remedies import Remedy, SkinBlend
from plethos.core.response import Response
from plethos.core.triggers.hinge import HingeTrigger

SIDES = ("left", "right")
MIDDLE = ("",)
BEND = (0.0, 0.0, 1.0)  # every joint of the figures bends about its own Z

# The last tenth would stretch the tip of the elbow more than it gives back.
GIVE_BACK, MOST_STRETCH = 0.9, 1.6

Mend = Callable[[Character, str], Character]


def _named(side: str, name: str) -> str:
    return f"{side} {name}".strip().capitalize()


def _joint(side: str, name: str) -> str:
    return f"{side}_{name}" if side else name


@dataclass(frozen=True)
class Solved:
    """A corrective solved for one bend, with a response fitted to the volume.

    Parameters
    ----------
    joint
        Without its side.
    degrees
        Where it is fully on.
    name
        Of the corrective, without its side.
    """

    joint: str
    degrees: float
    name: str

    def __call__(self, character: Character, side: str) -> Character:
        skeleton = character.skeleton
        joint, end = skeleton.find(_joint(side, self.joint)), math.radians(self.degrees)
        name = _named(side, self.name)
        identity = name.lower().replace(" ", "-")
        trigger = HingeTrigger(joint, BEND, Response.preset("late", 0.0, end), id=f"{identity}-trigger")
        made = solved(Held(character, joint, skeleton.rest_pose(), trigger), name, GIVE_BACK, MOST_STRETCH)
        trigger = made.fitted.trigger
        return character.with_remedy(Remedy(made.body, name, by=trigger.id, id=identity), trigger)


@dataclass(frozen=True)
class Rolled:
    """The roll of a joint shared out by the twist joints along its limb."""

    joint: str

    def __call__(self, character: Character, side: str) -> Character:
        limb = Limb.of(character, character.skeleton.find(_joint(side, self.joint)))
        for remedy in twist_remedies(character, limb):
            name = remedy.name.replace("_", " ").capitalize()
            character = character.with_remedy(replace(remedy, name=name, id=remedy.name.replace("_", "-")))
        return character


@dataclass(frozen=True)
class Blended:
    """Dual quaternion skinning round some joints, with a soft border.

    Parameters
    ----------
    joints
        Those whose names, without their side, begin so.
    name
        Of the remedy, without its side.
    """

    joints: tuple[str, ...]
    name: str

    def __call__(self, character: Character, side: str) -> Character:
        skeleton = character.skeleton
        own = side + "_" if side else ""
        joints = [
            j
            for j, known in enumerate(skeleton.names)
            if known.startswith(own) and known.removeprefix(own).startswith(self.joints) and "twist" not in known
        ]
        name, mask = _named(side, self.name), full_mask(character, *joints)
        return character.with_remedy(Remedy(SkinBlend(mask), name, id=name.lower().replace(" ", "-")))


def mended(character: Character, mend: Mend, sides: tuple[str, ...]) -> Character:
    """The character with a mend on some sides."""
    for side in sides:
        character = mend(character, side)
    return character
