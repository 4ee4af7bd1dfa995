"""A first corrective, solved for a held pose: each slab of the joint gets back what it has lost, as smoothly as can be,
and skin that has gone through itself comes out of the fold.

First what crosses is pushed apart, whichever way is shortest: that says on which side of each other skin has to lie.
Then the offset of least bending energy is solved under which every slab has the volume asked for and no skin passes the
planes between it and what it lies over; on what still crosses after that, once more with more planes. What little is
left is pushed apart for good, and edges that were drawn out too long are shortened.

References
----------
Botsch and Kobbelt, "An intuitive framework for real-time freeform modeling", SIGGRAPH 2004; Rohmer, Hahmann, Cani,
"Exact volume preserving skinning with shape control", SCA 2009; Vaillant and others, "Implicit skinning: real-time skin
deformation with contact modeling", SIGGRAPH 2013, for skin that slides along where it meets (titles from memory).
"""

from __future__ import annotations

from collections.abc import Generator
from dataclasses import dataclass
from functools import cached_property, partial

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import Posed
from plethos.core.geometry.rotations import Array
from plethos.core.measure.contact import fresh_pairs, intersecting_pairs
from plethos.core.measure.region import joint_region
from plethos.core.propose.contact_planes import ContactPlanes
from plethos.core.propose.least_bending import least_bending
from plethos.core.propose.mend_room import MendRoom
from plethos.core.propose.steps import run_through, told_as
from plethos.core.sculpt.push_apart import pushed_in
from plethos.core.sculpt.push_room import PushRoom
from plethos.core.sculpt.strain_limit import strain_limited

ROUNDS = 3  # of solving, each with more planes
STEPS = ROUNDS + 2  # rounds, what is left pushed apart, and the end
WHOLE = 0.8  # of all the work is the first try, most often the only one
GUIDE = 40  # of pushing apart, where that only says on which side skin has to lie
FAR = 3.0  # of the region's radius: what crosses further from the joint is not of its bend
LOST = 0.005  # of the volume: less is none
EASED = 0.2  # by which share of what is too much the stretch has to go down with it
LESS = (0.6, 0.25)  # of what is asked for, where skin is stretched too far all the same
GIVE_BACK, MOST_STRETCH = 0.9, 1.4  # where nobody says otherwise


@dataclass(frozen=True, eq=False)
class Mended:
    """A first mend.

    Parameters
    ----------
    points
        ``(V, 3)`` the posed skin with it, metres.
    volume_before, volume
        Of the skin that it may move and what is round that, against rest, percent.
    stretch
        How much longer than before the mend, and than at rest, an edge gets at most.
    contacts_before, contacts
        Triangles there that cross others and did not at rest.
    given_back
        The share of the lost volume that was asked for: less than wanted where the stretch was capped.
    unevenness
        How far a vertex is moved otherwise than its neighbours on the mean, at most, in edges.
    """

    points: Array
    volume_before: float
    volume: float
    stretch: float
    contacts_before: int
    contacts: int
    given_back: float
    unevenness: float


@dataclass(frozen=True, eq=False)
class FirstMend:
    """A joint made ready to be mended in any pose."""

    character: Character
    joint: int

    @classmethod
    def of(cls, character: Character, joint: int) -> FirstMend:
        """Made ready for a joint.

        Raises
        ------
        BadEditError
            When it bends no skin, or the skin there encloses no volume.
        """
        made = cls(character, joint)
        _ = made.room
        return made

    @cached_property
    def room(self) -> MendRoom:
        """Its room where nothing crosses."""
        return MendRoom.of(self.character, self.joint, np.zeros(0, np.int32))

    def solved(self, posed: Posed, give_back: float = GIVE_BACK, most_stretch: float = MOST_STRETCH) -> Mended:
        """The mend of a pose.

        Parameters
        ----------
        posed
            What is on in it.
        give_back
            How much of the volume that each slab has lost, 0 to 1. Where other slabs have gained, less: all together
            never get more than they had.
        most_stretch
            See `Mended.stretch`; less is given back rather than going beyond.

        Raises
        ------
        BadEditError
            When nothing is lost in this pose, and nothing crosses.
        """
        return run_through(self.solving(posed, give_back, most_stretch))

    def solving(
        self, posed: Posed, give_back: float = GIVE_BACK, most_stretch: float = MOST_STRETCH
    ) -> Generator[float, None, Mended]:
        """The same step by step: gives how much of it is done, 0 to 1, and returns the mend."""
        fold = self._fold(posed.exact_points())
        lost = np.maximum(fold.room.slabs.at_rest - fold.before, 0)
        whole = float(fold.room.slabs.at_rest.sum())
        missing = (whole - float(fold.before.sum())) / whole
        if missing < LOST and not fold.crosses(fold.base):
            name = self.character.skeleton.names[self.joint]
            raise BadEditError(
                f"“{name}” loses no volume in this pose, and nothing crosses: bend it to where it looks bad first."
            )
        yield 0.0
        # Where the limb has swollen elsewhere, all that was lost would be too much.
        most = min(give_back, max(missing, 0.0) * whole / max(float(lost.sum()), 1e-12 * whole))
        best = yield from told_as(fold.mending(most * lost, give_back, most_stretch), lambda share: WHOLE * share)
        for number, less in enumerate(LESS if most > 0 else ()):
            if best.stretch <= most_stretch:
                break
            steps = fold.mending(less * most * lost, less * give_back, most_stretch)
            tried = yield from told_as(steps, partial(_after, number))
            if tried.stretch > best.stretch - EASED * (best.stretch - most_stretch):
                break  # it is not the volume that stretches it: less of it would be less for nothing
            best = tried
        return best

    def apart(self, points: Array) -> Generator[float, None, Mended]:
        """What crosses in posed skin ``(V, 3)`` brought out of it, each slab keeping the volume that it has; step by
        step as `solving`."""
        fold = self._fold(points)
        return (yield from fold.mending(np.zeros_like(fold.before), 0.0, MOST_STRETCH))

    def _fold(self, base: Array) -> _Fold:
        crossing, room = self._crossing(base), self.room
        if not np.isin(crossing, room.vertices).all():
            room = MendRoom.of(self.character, self.joint, crossing)
        mesh = self.character.mesh
        return _Fold(room, PushRoom.of(mesh.topology, base, mesh.rest, room.shares), base)

    def _crossing(self, points: Array) -> NDArray[np.int32]:
        """The vertices of triangles near the joint that cross and did not at rest: in its room, or what turns with it
        and what does not. What another joint folds nearby is not its own."""
        near, at_rest = self._near
        pairs = fresh_pairs(points, near, at_rest)
        turns = self.character.binding.subtree_weights(self.character.skeleton, self.joint)[near].mean(axis=1)[pairs]
        own = (turns > 0.5).any(axis=1) & (turns < 0.5).any(axis=1)
        return np.unique(near[pairs[own | np.isin(near[pairs], self.room.vertices).any(axis=(1, 2))]])

    @cached_property
    def _near(self) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        """The triangles near the joint, and which of them cross at rest."""
        mesh = self.character.mesh
        radius = joint_region(self.character, self.joint, mesh.rest).radius
        off = mesh.rest - self.character.skeleton.rest_global[self.joint, :3, 3]
        inside = np.linalg.norm(off, axis=1) < FAR * radius
        near = np.ascontiguousarray(mesh.topology.triangles[inside[mesh.topology.triangles].all(axis=1)])
        return near, intersecting_pairs(mesh.rest, near)


def _after(number: int, share: float) -> float:
    """How much of all the work a share of a further try is."""
    return WHOLE + (1 - WHOLE) * (number + share) / len(LESS)


@dataclass(frozen=True, eq=False)
class _Fold:
    """The skin of a bend in one pose, before it is mended.

    Parameters
    ----------
    room, push
        What may move: as it is solved, and as it is pushed apart.
    base
        ``(V, 3)`` as it stands.
    """

    room: MendRoom
    push: PushRoom
    base: Array

    @cached_property
    def before(self) -> Array:
        """The volume of each slab, cubic metres."""
        return self.room.volumes(self.base)

    def mending(self, given: Array, asked: float, most_stretch: float) -> Generator[float, None, Mended]:
        """It with so much volume ``(S,)`` for each slab, out of the fold, and stretched no further than it may be;
        gives how much of that is done."""
        target = self.before + given
        planes, found = self._planes, list[tuple[int, Array]]()
        for number in range(1, ROUNDS + 1):
            yield number / STEPS
            points = least_bending(self.room, self.base, target, planes)
            found.append((self.crosses(points), points))
            if not found[-1][0]:
                break
            planes = planes.joined(self._planes_of(points))
        left, points = min(found, key=lambda f: f[0])
        yield (ROUNDS + 1) / STEPS
        if left:
            points = pushed_in(self.push, points, give_back=True).points
        points = strain_limited(self.push, points, self._edges, most_stretch * self._lengths)
        return self._told(points, asked)

    @cached_property
    def _planes(self) -> ContactPlanes:
        return self._planes_of(self.base)

    def _planes_of(self, points: Array) -> ContactPlanes:
        """The planes between what lies on each other, once it is pushed apart."""
        return ContactPlanes.of(self.room, pushed_in(self.push, points, give_back=False, rounds=GUIDE).points)

    def crosses(self, points: Array) -> int:
        """How many pairs of triangles of such skin ``(V, 3)`` cross and did not at rest."""
        return len(self.push.pairs(points[self.push.local]))

    @cached_property
    def _edges(self) -> NDArray[np.int32]:
        return self.room.edges()

    @cached_property
    def _lengths(self) -> Array:
        """How long each edge was before, or is at rest, whichever is more ``(E,)``, metres."""
        rest = self.room.character.mesh.rest.astype(np.float64)
        return np.maximum(np.maximum(self._long(self.base), self._long(rest)), 1e-9)

    def _long(self, points: Array) -> Array:
        return np.asarray(np.linalg.norm(points[self._edges[:, 1]] - points[self._edges[:, 0]], axis=1))

    def _told(self, points: Array, asked: float) -> Mended:
        whole, own = float(self.room.slabs.at_rest.sum()), self.room.vertices
        offset = points - self.base
        uneven = offset[own] - self.room.character.mesh.topology.mean_beside(offset, own)
        before, after = (self.push.pairs(p[self.push.local]) for p in (self.base, points))
        return Mended(
            points=points,
            volume_before=100 * float(self.before.sum()) / whole,
            volume=100 * float(self.room.volumes(points).sum()) / whole,
            stretch=float((self._long(points) / self._lengths).max()),
            contacts_before=len(np.unique(before)),
            contacts=len(np.unique(after)),
            given_back=asked,
            unevenness=float(np.linalg.norm(uneven, axis=1).max()) / self.room.edge,
        )
