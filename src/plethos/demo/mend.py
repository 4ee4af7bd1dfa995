"""What is done to the demo characters: each joint by the kind of remedy that suits, made as a person would make it."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from plethos.core.character import Character
from plethos.core.edits.twins import twinned
from plethos.core.measure.travel import bent
from plethos.core.propose.blend import full_mask
from plethos.core.propose.held import Held
from plethos.core.propose.helpers import HeldBend, at_spot, started
from plethos.core.propose.hem import pushed
from plethos.core.propose.roll import Limb, twist_remedies
from plethos.core.propose.solved import solved
from plethos.core.rules.remedies import Remedy, SkinBlend
from plethos.core.rules.response import Response
from plethos.core.rules.triggers.hinge import HingeTrigger

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
class SolvedMend:
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


def _held(character: Character, side: str, joint: str, degrees: float) -> Held:
    skeleton = character.skeleton
    number = skeleton.find(_joint(side, joint))
    return Held.of(character, number, bent(skeleton.rest_pose(), number, BEND, math.radians(degrees)))


def _renamed(before: Character, made: Character, side: str, name: str) -> Character:
    """What is new called so; numbered where there are several."""
    fresh = made.rules.remedies[len(before.rules.remedies) :]
    for k, remedy in enumerate(fresh, 1):
        label = _named(side, name if len(fresh) == 1 else f"{name} {k}")
        rules = made.rules.without_remedy(remedy.id)
        made = made.with_rules(rules).with_remedy(replace(remedy, name=label, id=label.lower().replace(" ", "-")))
    return made


def _twins(character: Character, name: str) -> Character:
    """The right side of what the left has by that name: helper joints are mirrored to the bit."""
    for own in [r for r in character.rules.remedies if r.name.startswith(_named(SIDES[0], name))]:
        made = twinned(character, own.id)
        fresh = made.rules.remedies[-1]
        identity = fresh.name.lower().replace(" ", "-")
        rules = made.rules.without_remedy(fresh.id).with_remedy(replace(made.rules.remedy(own.id), twin=identity))
        character = made.with_rules(rules).with_remedy(replace(fresh, id=identity))
    return character


@dataclass(frozen=True)
class Helped:
    """Helper joints to start from at a bend: see `started`; or ``hem``, which pushes a hem or a plate away.

    Parameters
    ----------
    joint, degrees
        Without its side, and where it is bent to.
    how
        Which.
    name
        Of the remedy, without its side.
    """

    joint: str
    degrees: float
    how: str
    name: str

    def __call__(self, character: Character, side: str) -> Character:
        if side == SIDES[1]:
            return _twins(character, self.name)
        held = _held(character, side, self.joint, self.degrees)
        made = pushed(held) if self.how == "hem" else started(held, self.how)
        return _renamed(character, made, side, self.name)


@dataclass(frozen=True)
class Capped:
    """A helper joint at the outermost spot of a bend, which rounds it: a knee cap.

    Parameters
    ----------
    reach
        How far its weights go, metres.
    """

    joint: str
    degrees: float
    reach: float
    name: str

    def __call__(self, character: Character, side: str) -> Character:
        if side == SIDES[1]:
            return _twins(character, self.name)
        held = _held(character, side, self.joint, self.degrees)
        bend, rest = HeldBend.of(held), character.mesh.rest
        spot = int(np.argmin(np.linalg.norm(rest - bend.furthest(bend.outwards, bend.at), axis=1)))
        return _renamed(character, at_spot(held, spot, self.reach), side, self.name)


def mended(character: Character, mend: Mend, sides: tuple[str, ...]) -> Character:
    """The character with a mend on some sides."""
    for side in sides:
        character = mend(character, side)
    return character
