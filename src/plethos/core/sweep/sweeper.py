"""Measuring a character on the ways of its plan: each pose once, bare and with all that mends it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import ALL, NONE, Evaluator
from plethos.core.geometry.topology import extent
from plethos.core.measure.badness import Measure, values_of
from plethos.core.measure.clipping import Clipped, Crossings, PosedCrossings
from plethos.core.measure.depth import DepthField
from plethos.core.measure.outline_site import FlatSite
from plethos.core.measure.site import BendSite
from plethos.core.rules.remedies import Remedy
from plethos.core.sweep.plan import Stop, Way

Values = Mapping[Measure, float]
Points = NDArray[np.floating]
STILL = 1e-9  # what differs less from rest is at rest
NEAR = 2.0  # of the region's radius round the joint: what clips further away is another limb that gets in the way


@dataclass(frozen=True, eq=False)
class Place:
    """Where a joint bends skin, with what is measured there.

    Parameters
    ----------
    site
        Its region.
    triangles
        Which triangles ``(T,)`` of the character are the region's; none of a drawing.
    near
        Which vertices ``(V,)`` lie near the joint at rest; none of a drawing.
    carried
        How much each triangle ``(T,)`` follows the joint.
    """

    site: BendSite | FlatSite
    triangles: NDArray[np.bool_]
    near: NDArray[np.bool_]
    carried: NDArray[np.float64]

    @classmethod
    def of(cls, character: Character, joint: int) -> Place:
        """The place of a joint.

        Raises
        ------
        BadEditError
            When it bends no skin.
        """
        none = np.zeros(0)
        if character.mesh.is_flat:
            return cls(FlatSite.of(character, joint), none.astype(bool), none.astype(bool), none)
        site = BendSite.of(character, joint)
        t, rest = character.mesh.topology.triangles, character.mesh.rest
        inside = np.zeros(len(rest), bool)
        inside[site.vertices] = True
        away = np.linalg.norm(rest - character.skeleton.rest_global[joint, :3, 3], axis=1)
        carried = character.binding.subtree_weights(character.skeleton, joint)[t].mean(axis=1)
        within = np.asarray(inside[t].all(axis=1), np.bool_)
        return cls(site, within, away < NEAR * site.region.radius, carried.astype(np.float64))


@dataclass(frozen=True, eq=False)
class Sample:
    """One pose of a way, measured.

    Parameters
    ----------
    bare, mended
        What was measured round each joint of the way, without and with remedies.
    """

    stop: Stop
    bare: Mapping[int, Values]
    mended: Mapping[int, Values]


@dataclass(frozen=True, eq=False)
class Sweeper:
    """A character made ready to be swept.

    Parameters
    ----------
    evaluator
        Of the whole of it.
    crossings
        Its triangles; None of a drawing.
    places
        By joint, as far as they were asked for.
    placeless
        Joints that have none.
    """

    evaluator: Evaluator
    crossings: Crossings | None
    places: dict[int, Place]
    placeless: set[int]

    @classmethod
    def of(cls, character: Character, evaluator: Evaluator | None = None) -> Sweeper:
        """Of a character."""
        crossings = None if character.mesh.is_flat else Crossings(character.mesh)
        return cls(evaluator or Evaluator.of(character), crossings, {}, set())

    @property
    def character(self) -> Character:
        return self.evaluator.character

    @cached_property
    def height(self) -> float:
        """What depths are a share of, metres."""
        return extent(self.character.mesh.rest)

    @cached_property
    def depth(self) -> DepthField:
        """The bones under each vertex."""
        return DepthField.of(self.character, self.character.mesh.rest)

    @cached_property
    def acting_at_rest(self) -> frozenset[str]:
        """Ids of the remedies that are on at rest; of those that turn joints, where these are not as they rest."""
        character = self.character
        posed, rest = self.evaluator.pose(character.skeleton.rest_pose()), character.skeleton.rest_global

        def acts(remedy: Remedy) -> bool:
            if self.evaluator.program.effect(posed.moment, ALL, remedy.id) == 0.0:
                return False
            joints = [j for j in remedy.body.writes() if isinstance(j, int)]
            return not joints or bool(np.abs(posed.world[joints] - rest[joints]).max() > STILL)

        return frozenset(r.id for r in character.rules.on if acts(r))

    def place(self, joint: int) -> Place:
        """Where a joint bends skin."""
        if joint not in self.places:
            self.places[joint] = Place.of(self.character, joint)
        return self.places[joint]

    def measurable(self, way: Way) -> tuple[int, ...]:
        """The joints of a way that bend a region of skin: single vertices that no triangle joins are none."""
        for j in set(way.joints) - self.places.keys() - self.placeless:
            try:
                self.place(j)
            except BadEditError:
                self.placeless.add(j)
        return tuple(j for j in way.joints if j not in self.placeless)

    def samples(self, way: Way) -> Iterator[Sample]:
        """Walk a way; not at all where there is nothing to measure on it."""
        if self.measurable(way):
            for stop in way.stops:
                yield self.sample(way, stop)

    def sample(self, way: Way, stop: Stop) -> Sample:
        """Measure one pose of a way, or another that belongs to it.

        Raises
        ------
        BadPoseError
            When the pose is so torn that what crosses cannot be counted.
        """
        joints = self.measurable(way)
        bare = self.measured(joints, self.evaluator.pose(stop.pose, NONE).points)
        if not self.character.rules.on:
            return Sample(stop, bare, bare)
        return Sample(stop, bare, self.measured(joints, self.evaluator.pose(stop.pose, ALL).points))

    def measured(self, joints: tuple[int, ...], points: Points) -> dict[int, Values]:
        """What there is round joints for posed points ``(V, 3)``."""
        out: dict[int, Values] = {}
        crossing = self.crossing(joints, points)
        for j in joints:
            place = self.place(j)
            values = dict(values_of(place.site.with_skin(points[place.site.vertices])))
            if crossing is not None:
                values["contacts"] = crossing.contacts(place)
                clipped = crossing.clipped(j)
                values["clipping"] = 100 * (clipped.depth if clipped else 0.0) / self.height
            out[j] = values
        return out

    def crossing(self, joints: tuple[int, ...], points: Points) -> Crossing | None:
        """What crosses in a pose; None of a drawing."""
        if self.crossings is None:
            return None
        return Crossing(self.crossings.posed(points), {j: self.place(j) for j in joints})


@dataclass(frozen=True, eq=False)
class Crossing:
    """What crosses in a pose and did not at rest, joint by joint.

    Parameters
    ----------
    places
        Of the joints that are measured.
    """

    posed: PosedCrossings
    places: Mapping[int, Place]

    def of_region(self, place: Place) -> NDArray[np.int32]:
        """The pairs within a part of which one at least lies in a region."""
        fresh = self.posed.fresh
        return np.asarray(fresh[self.posed.within_a_part & place.triangles[fresh].any(axis=1)], np.int32)

    def contacts(self, place: Place) -> float:
        """Pairs of a region for each thousand of its triangles."""
        return 1000 * len(self.of_region(place)) / max(int(place.triangles.sum()), 1)

    @cached_property
    def _mixed(self) -> NDArray[np.int32]:
        return np.asarray(self.posed.fresh[~self.posed.within_a_part], np.int32)

    @cached_property
    def _brought(self) -> NDArray[np.intp]:
        """Which of the joints has more than the others brought each pair of two parts together."""
        pairs = self._mixed
        apart = [np.abs(p.carried[pairs[:, 0]] - p.carried[pairs[:, 1]]) for p in self.places.values()]
        return np.asarray(np.argmax(apart, axis=0), np.intp)

    def of_joint(self, joint: int) -> NDArray[np.int32]:
        """The pairs of two parts that a joint has brought together, near to it."""
        pairs = self._mixed[self._brought == list(self.places).index(joint)]
        corners = self.posed.crossings.mesh.topology.triangles[pairs].reshape(-1, 6)
        close = self.places[joint].near[corners]
        return np.asarray(pairs[close[:, :3].any(axis=1) & close[:, 3:].any(axis=1)], np.int32)

    def clipped(self, joint: int) -> Clipped | None:
        """How deep one part lies in another there."""
        pairs = self.of_joint(joint)
        return self.posed.deepest(pairs, self.places[joint].near) if len(pairs) else None
