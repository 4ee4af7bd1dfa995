"""Which kind of remedy suits a bend: each is made, tried on the way to the pose, and measured.

Names of joints say nothing here: what counts is what the skin does.
"""

from __future__ import annotations

import contextlib
import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import ALL, Acting, Evaluator
from plethos.core.geometry import rotations
from plethos.core.geometry.falloff import seen
from plethos.core.geometry.topology import extent
from plethos.core.measure.badness import badness, badness_of
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.measured import Measured
from plethos.core.propose.apart import pushed_apart_at
from plethos.core.propose.beside import Beside
from plethos.core.propose.blend import blend_mask, full_mask
from plethos.core.propose.first_mend import GIVE_BACK
from plethos.core.propose.held import WAY, Held
from plethos.core.propose.helpers import started
from plethos.core.propose.hem import NoSlideError, pushed
from plethos.core.propose.made_helpers import measured_on_the_way, pose_with_added_joints
from plethos.core.propose.roll import Limb, with_twists
from plethos.core.propose.soft import soft_region
from plethos.core.propose.solved import Solved, solved
from plethos.core.rules.remedies import Relaxer, Remedy, SkinBlend, VolumeKeeper
from plethos.core.rules.remedies.body import Stage
from plethos.core.skeleton.pose import Pose
from plethos.core.skin.mask import Mask

ROLLED = math.radians(8)  # less roll than this needs no twist joints
ENOUGH = 97.0  # percent of volume: a corrective that reaches less is tried short of the pose as well
SHORT = 6 / 7  # of the way
LEAST_WORTH = 1.5  # by how much less bad the next kind has to be than one that is simpler


@dataclass(frozen=True, eq=False)
class Tried:
    """A kind of remedy, made and measured.

    Parameters
    ----------
    kind
        One of `TRIALS`.
    character
        With it.
    made
        The ids of the remedies that it brings.
    measured, contacts
        In the held pose.
    badness_percent
        Of the joint, over the way, contacts too: the mean of `Badness.percent`.
    rank
        By which the better is told: the mean of `Badness.rank`, and that of the contacts added.
    """

    kind: str
    character: Character
    made: tuple[str, ...]
    measured: Measured
    contacts: int
    badness_percent: float
    rank: float


def _twist(held: Held) -> Character:
    limb = Limb.of(held.character, held.joint, bare=True)
    roll = float(rotations.twist_angle(held.at(1.0).rotations[held.joint], limb.axis, 0.0))
    if abs(roll) < ROLLED:
        raise BadEditError("The joint hardly rolls about its bone: twist joints would have nothing to share.")
    return with_twists(held.character, held.joint)


def _blend(held: Held) -> Character:
    """Where it helps, slab by slab, or on all the skin of the joint: whichever keeps more."""
    masks = [blend_mask(held.character, held.joint, held.pose, held.trigger.axis, held.angle)]
    masks.append(full_mask(held.character, held.joint))
    name = held.named(f"{_joint(held)}: skin blend")
    return _least_off(held, [held.character.with_remedy(Remedy(SkinBlend(mask), name)) for mask in masks])


def _corrective(held: Held) -> Character:
    """Solved in the held pose; where the fold leaves no room for all of it, short of there, and held on from there."""
    name = held.named(f"{_joint(held)} at {math.degrees(held.angle):.0f}°")
    made = solved(held, name)
    found = [_with(held, made, name)]
    if made.mend.contacts or made.mend.given_back < GIVE_BACK or made.mend.volume < ENOUGH:
        with contextlib.suppress(BadEditError):
            short = held.short(SHORT)
            found.append(_with(held, solved(short, name), name))
    return _least_off(held, found)


def _both(held: Held) -> Character:
    """A skin blend, and a corrective for what it leaves."""
    blended = _blend(held)
    return _corrective(replace(held, character=blended))


def _with(held: Held, made: Solved, name: str) -> Character:
    trigger = made.fitted.trigger
    return held.character.with_remedy(Remedy(made.body, name, by=trigger.id), trigger)


def _least_off(held: Held, found: Sequence[Character]) -> Character:
    """The one that keeps most on the way, contacts counted too; the first of equals."""
    if len(found) == 1:
        return found[0]
    judge = Judge.of(held)
    return min(found, key=lambda character: judge.tried("", character).rank)


def _soft(held: Held) -> Mask:
    return Mask.of(seen(soft_region(held.character, held.joint)))


def _helper(held: Held) -> Character:
    return _least_off(held, [started(held, how) for how in ("half", "outside", "inside")])


def _hem(held: Held) -> Character:
    """A helper joint that slides it clear; where it lies over a fold, a corrective."""
    try:
        return pushed(held)
    except NoSlideError:
        return pushed_apart_at(held)


def _keeper(held: Held) -> Character:
    body = VolumeKeeper(_soft(held), most=0.03 * extent(held.character.mesh.rest))
    if body.ready(held.character.mesh).target == 0:
        raise BadEditError("The skin here encloses no volume that could be kept.")
    return held.character.with_remedy(Remedy(body, held.named(f"{_joint(held)}: volume keeper")))


def _relaxer(held: Held) -> Character:
    return held.character.with_remedy(Remedy(Relaxer(_soft(held), 10), held.named(f"{_joint(held)}: relaxer")))


def _joint(held: Held) -> str:
    return held.character.skeleton.names[held.joint]


# Simplest first: the next has to be clearly better. What is lower in the list takes more looking after.
TRIALS: dict[str, Callable[[Held], Character]] = {
    "twist": _twist,
    "skin_blend": _blend,
    "corrective": _corrective,
    "helper": _helper,
    "hem": _hem,
    "volume_keeper": _keeper,
    "relaxer": _relaxer,
    "blend_and_corrective": _both,
}
# What takes seconds to make.
DEAR = ("hem", "blend_and_corrective")
# Two remedies in place of one have to be worth it.
WORTH = {"blend_and_corrective": 5.0}


@dataclass(frozen=True, eq=False)
class Judge:
    """Measures what is tried at a joint."""

    held: Held
    measure: BendMeasure

    @classmethod
    def of(cls, held: Held) -> Judge:
        return cls(held, BendMeasure.of(held.character, held.joint))

    def of_trial(self, kind: str) -> Tried:
        """Make one kind and measure it.

        Raises
        ------
        BadEditError
            When it cannot be made here, with the reason.
        """
        if kind not in TRIALS:
            raise BadEditError(f"There is no kind of remedy called “{kind}”; there are {', '.join(TRIALS)}.")
        character = TRIALS[kind](self.held)
        known = {r.id for r in self.held.character.rules.remedies}
        return self.tried(kind, character, tuple(r.id for r in character.rules.remedies if r.id not in known))

    def of_trials(self) -> Iterator[tuple[str, Tried | str]]:
        """Each kind, simplest first: as it was tried, or why it was not.

        What takes long is left out once it could not be proposed any more, however good it were.
        """
        least = math.inf
        for kind in TRIALS:
            if kind in DEAR and least <= WORTH.get(kind, LEAST_WORTH):
                yield kind, "Not tried: what is simpler leaves hardly anything for it to better."
                continue
            try:
                tried = self.of_trial(kind)
            except BadEditError as error:
                yield kind, error.sentence
                continue
            least = min(least, tried.rank)
            yield kind, tried

    def tried(self, kind: str, character: Character, made: tuple[str, ...] = ()) -> Tried:
        """What a character comes to on the way to the held pose."""
        measure = BendMeasure.of(character, self.held.joint, self.measure)
        steps = measured_on_the_way(measure, self.held)
        contacts = self.contacts(character)
        mille = 1000 * contacts / max(1, len(self.measure.skin.region.triangles))
        found = [badness_of(step) for step in steps]
        held = badness_of(steps[-1], mille)
        percent = float(np.mean([b.percent for b in (*found[:-1], held)]))
        # Contacts beside the others: where they are as bad as can be, what else is better has to tell.
        rank = float(np.mean([b.rank for b in found])) + badness({"contacts": mille}).rank / len(WAY)
        return Tried(kind, character, made, steps[-1], contacts, percent, rank)

    def contacts(self, character: Character, acting: Acting = ALL) -> int:
        """Triangles round the joint that cross others in the held pose and did not at rest."""
        points = Evaluator.of(character).pose(pose_with_added_joints(self.held.at(1.0), character), acting).points
        return len(np.unique(self._beside.crossing(points)))

    @cached_property
    def _beside(self) -> Beside:
        return Beside.of(self.held.character, self.held.joint, self.measure.skin.region)


def proposed(found: Sequence[Tried], now: Tried) -> Tried | None:
    """The kind that suits, of those that were tried, simplest first; None where nothing betters what is there."""
    best: Tried | None = None
    for trial in found:
        worth = WORTH.get(trial.kind, LEAST_WORTH)
        if trial.rank < now.rank - worth and (best is None or trial.rank < best.rank - worth):
            best = trial
    return best


def reason(best: Tried, now: Tried) -> str:
    """Why, in one line."""
    slid = any(r.id in best.made for r, _ in best.character.rules.helpers)
    what = {
        "twist": "The joint rolls: its twist joints share the roll out along the limb",
        "skin_blend": "Dual quaternion skinning keeps what linear skinning loses here",
        "blend_and_corrective": "Dual quaternion skinning keeps the most of it, a corrective the rest",
        "helper": "The skin bends round too tight a corner: a helper joint of its own carries it over",
        "hem": "A garment's hem goes into what lies beside it: "
        + ("a helper joint pushes it out of the way" if slid else "no slide frees it, a corrective pushes it clear"),
        "corrective": "The skin creases: a corrective opens the fold and fills it",
        "volume_keeper": "Volume is lost evenly: the keeper holds it in every frame",
        "relaxer": "The skin is uneven rather than thin: the relaxer evens it out",
    }[best.kind]
    told = []
    if now.measured.volume is not None and best.measured.volume is not None:
        told.append(f"volume {now.measured.volume:.1f} → {best.measured.volume:.1f} %")
    if now.measured.girth is not None and best.measured.girth is not None:
        told.append(f"least girth {now.measured.girth:.1f} → {best.measured.girth:.1f} %")
    if now.contacts or best.contacts:
        told.append(f"contacts {now.contacts} → {best.contacts}")
    return f"{what}: {', '.join(told)}." if told else f"{what}."


def waterfall(character: Character, joint: int, pose: Pose) -> list[tuple[str, float]]:
    """What each remedy that is on gives back of the joint's volume, percent of rest, in the order in which
    they are built on each other.

    One after the other is switched on: the bars add up to with minus without.
    """
    measure = BendMeasure.of(character, joint)
    # What only changes the order of painting gives nothing back.
    moving = [r for r in character.rules.on if r.body.stage < Stage.DRAWING]
    on = sorted(moving, key=lambda r: r.body.stage)
    bars, acting = [], list[str]()
    before = measure.at(pose, Acting.these()).volume
    for remedy in on:
        acting.append(remedy.id)
        volume = measure.at(pose, Acting.these(*acting)).volume
        if volume is not None and before is not None:
            bars.append((remedy.id, volume - before))
            before = volume
    return bars
