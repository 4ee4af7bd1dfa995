"""Measuring a character on the ways of its plan: each pose once, bare and with all that mends it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.evaluate import ALL, NONE, Evaluator
from plethos.core.geometry.topology import extent
from plethos.core.measure.badness import Measure, values_of
from plethos.core.measure.clipping import Clipped, Crossings
from plethos.core.measure.outline_site import FlatSite
from plethos.core.measure.site import BendSite
from plethos.core.skeleton.pose import Pose
from plethos.core.sweep.plan import Stop, Way

Values = Mapping[Measure, float]
Points = NDArray[np.floating]
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
    """

    evaluator: Evaluator
    crossings: Crossings | None
    places: dict[int, Place]

    @classmethod
    def of(cls, character: Character, evaluator: Evaluator | None = None) -> Sweeper:
        """Of a character."""
        crossings = None if character.mesh.is_flat else Crossings(character.mesh)
        return cls(evaluator or Evaluator.of(character), crossings, {})

    @property
    def character(self) -> Character:
        return self.evaluator.character

    @cached_property
    def height(self) -> float:
        """What depths are a share of, metres."""
        return extent(self.character.mesh.rest)

    def place(self, joint: int) -> Place:
        """Where a joint bends skin."""
        if joint not in self.places:
            self.places[joint] = Place.of(self.character, joint)
        return self.places[joint]

    def samples(self, way: Way) -> Iterator[Sample]:
        """Walk a way."""
        for stop in way.stops:
            yield self.sample(way, stop)

    def sample(self, way: Way, stop: Stop) -> Sample:
        """Measure one pose of a way, or another that belongs to it.

        Raises
        ------
        BadPoseError
            When the pose is so torn that what crosses cannot be counted.
        """
        bare = self.measured(way.joints, self.evaluator.pose(stop.pose, NONE).points)
        if not self.character.rules.on:
            return Sample(stop, bare, bare)
        return Sample(stop, bare, self.measured(way.joints, self.evaluator.pose(stop.pose, ALL).points))

    def measured(self, joints: tuple[int, ...], points: Points) -> dict[int, Values]:
        """What there is round joints for posed points ``(V, 3)``."""
        out: dict[int, Values] = {}
        crossing = self.crossing(joints, points)
        for j in joints:
            place = self.place(j)
            values = dict(values_of(place.site.measured(points[place.site.vertices])))
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
        fresh = self.crossings.fresh(points)
        return Crossing(self.crossings, points, fresh, {j: self.place(j) for j in joints})


@dataclass(frozen=True, eq=False)
class Crossing:
    """What crosses in a pose and did not at rest.

    Parameters
    ----------
    fresh
        Pairs ``(P, 2)`` of triangles.
    places
        Of the joints that are measured.
    """

    crossings: Crossings
    points: Points
    fresh: NDArray[np.int32]
    places: Mapping[int, Place]

    def of_region(self, place: Place) -> NDArray[np.int32]:
        """The pairs within a part of which one at least lies in a region."""
        own = self.crossings.within_a_part(self.fresh) & place.triangles[self.fresh].any(axis=1)
        return self.fresh[own]

    def contacts(self, place: Place) -> float:
        """Pairs of a region for each thousand of its triangles."""
        return 1000 * len(self.of_region(place)) / max(int(place.triangles.sum()), 1)

    def of_joint(self, joint: int) -> NDArray[np.int32]:
        """The pairs of two parts that one joint more than the others has brought together, near to it."""
        apart = [np.abs(p.carried[self.fresh[:, 0]] - p.carried[self.fresh[:, 1]]) for p in self.places.values()]
        most = list(self.places).index(joint) == np.argmax(apart, axis=0)
        corners = self.crossings.mesh.topology.triangles[self.fresh].reshape(-1, 6)
        close = self.places[joint].near[corners]
        near = close[:, :3].any(axis=1) & close[:, 3:].any(axis=1)
        own: NDArray[np.int32] = self.fresh[~self.crossings.within_a_part(self.fresh) & most & near]
        return own

    def clipped(self, joint: int) -> Clipped | None:
        """How deep one part lies in another there."""
        pairs = self.of_joint(joint)
        return self.crossings.deepest(self.points, pairs, self.places[joint].near) if len(pairs) else None


def turned_at(pose: Pose, joint: int) -> float:
    """How far a joint is turned from rest, radians."""
    return float(2 * np.arccos(min(abs(float(pose.rotations[joint, 3])), 1.0)))
