"""Helper joints to start from: made at a bend, with soft weights of the skin there and rules that are tried out."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.geometry.falloff import falloff_from_seed
from plethos.core.geometry.rotations import Array
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.girth import bone_directions
from plethos.core.measure.region import Region, joint_region
from plethos.core.propose.held import Held
from plethos.core.propose.made_helpers import Place, Ruled, rank_on_the_way, slide_to, with_joints, with_rules
from plethos.core.rules.remedies import HelperRule, Share
from plethos.core.skeleton.mapping import vector
from plethos.core.skeleton.names import free_name
from plethos.core.skin.mask import Mask

REACH = 1.1  # of the region's radius: how far over the skin a helper's weights go
PAIR_REACH = 0.7  # the same for two that lie beside each other
APART = 0.6  # of the radius: how far apart they lie
SECOND = 0.53  # of what the lower of a pair takes, the upper's part: common practice, no source
PAIR_PARTS = (1.0, 0.5)  # of the bend: practice has all of it; softer weights want less
PAIR_SLIDES = (0.0, 0.2, 0.35, 0.5, 0.7)  # of the radius
FURTHEST = 0.3  # of the radius: the greatest slide that is tried
TRIED = 7
FOLDED = 0.2  # a bone that went less far only rolled, of its length
BESIDE = 0.3  # of the radius: what lies at the joint
SUNK = 0.6  # how near to the skin a helper joint lies, of the way from the joint to it


@dataclass(frozen=True, eq=False)
class HeldBend:
    """The held bend, as those who put helpers there see it.

    Parameters
    ----------
    parent
        The joint that the helpers stay with.
    region
        The skin that bends, of `radius` round `at` ``(3,)``.
    outwards, along
        Unit ways at rest in the world: to the outside of the bend, and along the bones ``(3,)``.
    """

    held: Held
    parent: int
    region: Region
    at: Array
    outwards: Array
    along: Array

    @classmethod
    def of(cls, held: Held) -> HeldBend:
        """What is held.

        Raises
        ------
        BadEditError
            When the joint does not bend, or hangs on nothing.
        """
        character, skeleton, joint = held.character, held.character.skeleton, held.joint
        parent = skeleton.joint_parents[joint]
        if parent < 0:
            raise BadEditError(
                f"“{skeleton.names[joint]}” hangs on nothing: a helper joint beside it would have nothing to stay with."
            )
        region = joint_region(character, joint, character.mesh.rest, 0.1)
        at = skeleton.rest_global[joint, :3, 3]
        return cls(held, parent, region, at, _outwards(held, parent), _along(held))

    @property
    def points(self) -> Array:
        """The region's points ``(N, 3)`` at rest."""
        return self.held.character.mesh.rest[self.region.vertices].astype(np.float64)

    def beside(self, at: Array, along: Array | None = None) -> NDArray[np.bool_]:
        """``(N,)`` which of them lie at that place along the bones, or along another way; all where none does."""
        found = np.abs((self.points - at) @ (self.along if along is None else along)) < BESIDE * self.region.radius
        return found if found.any() else ~found

    def furthest(self, way: Array, at: Array, along: Array | None = None) -> Array:
        """The skin that lies furthest in a direction, beside a place ``(3,)``."""
        near = self.points[self.beside(at, along)]
        return np.asarray(near[int(np.argmax((near - at) @ way))])

    def place(self, how: str, at: Array, seed: NDArray[np.bool_], reach: float) -> Place:
        """A place for a helper: the skin of the seed ``(N,)``, skin and the cloth over it, fading out round it."""
        mesh, skeleton = self.held.character.mesh, self.held.character.skeleton
        whole = np.zeros(len(mesh), bool)
        whole[self.region.vertices[seed]] = True
        label = free_name(f"{skeleton.names[self.held.joint]}_{how}", set(skeleton.names))
        return Place(label, at, Mask.of(falloff_from_seed(mesh.topology, mesh.rest, whole, reach * self.region.radius)))

    def on_the_skin(self, how: str, spot: Array, reach: float) -> Place:
        """A place just under a spot on the skin."""
        seed = np.linalg.norm(self.points - spot, axis=1) < BESIDE * self.region.radius
        return self.place(how, self.at + SUNK * (spot - self.at), seed, reach)


def _half(bend: HeldBend) -> Iterable[Ruled]:
    place = bend.place("half", bend.at, bend.beside(bend.at), REACH)
    yield [(place, [_share(bend, 0.5, "all")])]


def _outside(bend: HeldBend) -> Iterable[Ruled]:
    place = bend.on_the_skin("outside", bend.furthest(bend.outwards, bend.at), REACH)
    for far in _distances(bend):
        yield [(place, [_share(bend, 0.5, "all"), *_slides(bend, bend.outwards, far)])]


def _inside(bend: HeldBend) -> Iterable[Ruled]:
    place = bend.on_the_skin("inside", bend.furthest(-bend.outwards, bend.at), REACH)
    for far in _distances(bend):
        yield [(place, _slides(bend, -bend.outwards, far) or [_share(bend, 0.0, "all")])]


def _front_pair(bend: HeldBend) -> Iterable[Ruled]:
    _, after = bone_directions(bend.held.character.skeleton, bend.held.joint)
    fold = -bend.outwards + (bend.outwards @ after) * after
    above = bend.at - APART * bend.region.radius * after
    lower, upper = (
        bend.on_the_skin(f"front_{k}", bend.furthest(fold, at, after), PAIR_REACH)
        for k, at in ((2, bend.at), (1, above))
    )
    for part in PAIR_PARTS:
        for far in PAIR_SLIDES:
            slides = _slides(bend, -bend.outwards, far * bend.region.radius)
            yield [
                (upper, [_share(bend, SECOND * part, "swing")]),
                (lower, [_share(bend, part, "swing"), *slides]),
            ]


STARTS: dict[str, Callable[[HeldBend], Iterable[Ruled]]] = {
    "half": _half,
    "outside": _outside,
    "inside": _inside,
    "front_pair": _front_pair,
}


def started(held: Held, how: str) -> Character:
    """The character with one helper joint or two at the held bend.

    Parameters
    ----------
    how
        ``half``: takes half of the turn, all round the joint. ``outside``: over the outside of the bend (a knee cap,
        the tip of an elbow, the seat), half of the turn and out of the skin. ``inside``: in the fold (the front of the
        hip, the belly), out of the skin. ``front_pair``: two in the fold, one above the other; the lower takes all of
        the bend or half of it, the upper 0.53 of that, neither any of the roll, and the lower slides out of the skin.
        What they take and how far they slide is tried out: whatever keeps most volume and girth on the way.

    Raises
    ------
    BadEditError
        When the joint does not bend, or hangs on nothing.
    """
    if how not in STARTS:
        raise BadEditError(f"There is no helper joint to start from called “{how}”; there are {', '.join(STARTS)}.")
    bend = HeldBend.of(held)
    return best_of(held, bend.parent, list(STARTS[how](bend)))


def at_spot(held: Held, vertex: int, reach: float) -> Character:
    """The character with a helper joint just under a vertex, with the skin round it.

    It takes half of the held turn, and slides out of the skin there as far as helps.

    Parameters
    ----------
    reach
        How far over the skin its weights go, metres.
    """
    bend, mesh = HeldBend.of(held), held.character.mesh
    skeleton, spot = held.character.skeleton, mesh.rest[vertex].astype(np.float64)
    seed = np.zeros(len(mesh), bool)
    seed[vertex] = True
    label = free_name(f"{skeleton.names[held.joint]}_spot", set(skeleton.names))
    mask = Mask.of(falloff_from_seed(mesh.topology, mesh.rest, seed, reach))
    bone = (bend.at - spot) @ bend.along * bend.along + spot - bend.at
    out = bone / np.linalg.norm(bone) if np.linalg.norm(bone) > 1e-9 else bend.outwards
    place = Place(label, bend.at + SUNK * (spot - bend.at), mask)
    found = [[(place, [_share(bend, 0.5, "all"), *_slides(bend, out, far)])] for far in _distances(bend)]
    return best_of(held, bend.parent, found)


def best_of(held: Held, parent: int, found: Sequence[Ruled]) -> Character:
    """The helpers that keep most volume and girth on the way, of several with rules that differ."""
    made = with_joints(held.character, parent, [place for place, _ in found[0]])
    if len(found) == 1:
        return with_rules(made, found[0])
    tried = [with_rules(made, ruled) for ruled in found]
    measure, lost = BendMeasure.of(tried[0], held.joint), []
    for character in tried:
        # Only the rules differ: what was laid out for one is used for all.
        measure = BendMeasure.of(character, held.joint, measure)
        lost.append(rank_on_the_way(measure, held))
    return tried[int(np.argmin(np.round(lost, 9)))]


def _share(bend: HeldBend, share: float, part: str) -> Share:
    held, skeleton = bend.held, bend.held.character.skeleton
    if part == "all":
        return Share(held.joint, share, part, held.trigger.axis)
    # A swing is all but what turns about the bone.
    _, after = bone_directions(skeleton, held.joint)
    bone = np.linalg.solve(skeleton.pose_frame(held.joint), after)
    return Share(held.joint, share, part, vector(bone / np.linalg.norm(bone)))


def _slides(bend: HeldBend, way: Array, far: float) -> list[HelperRule]:
    return [slide_to(bend.held, bend.parent, way, [(0.0, 0.0), (bend.held.angle, far)])] if far > 0 else []


def _distances(bend: HeldBend) -> list[float]:
    return [float(far) for far in np.linspace(0, FURTHEST, TRIED) * bend.region.radius]


def _along(held: Held) -> Array:
    before, after = bone_directions(held.character.skeleton, held.joint)
    across = before + after
    return across / np.linalg.norm(across) if np.linalg.norm(across) > 1e-6 else after


def _outwards(held: Held, parent: int) -> Array:
    """The unit way to the outside of the bend, at rest in the world."""
    skeleton = held.character.skeleton
    _, after = bone_directions(skeleton, held.joint)
    posed = Evaluator.of(held.character).pose(held.at(1.0))
    up, down = ((posed.world[j] @ np.linalg.inv(skeleton.rest_global[j]))[:3, :3] for j in (parent, held.joint))
    # Where the bone went, seen from the one above: to the inside of the bend.
    fold = np.linalg.solve(up, down @ after) - after
    if np.linalg.norm(fold) < FOLDED:
        raise BadEditError("The joint only rolls here, so there is no outside of a bend: use twist joints.")
    # Across the bone at rest: what points along it is no outside.
    bone = _along(held)
    fold = fold - (fold @ bone) * bone
    if np.linalg.norm(fold) < 1e-6:
        raise BadEditError("The joint folds straight back here: bend it less.")
    return np.asarray(-fold / np.linalg.norm(fold))
