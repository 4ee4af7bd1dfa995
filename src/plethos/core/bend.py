"""What the bend strip draws: measures of a joint's region over the whole travel of one axis."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from plethos.core import rotations
from plethos.core.character import Character
from plethos.core.evaluate import Evaluator
from plethos.core.measure.contact import intersecting_pairs, new_contacts
from plethos.core.measure.girth import Slice, cut_slices
from plethos.core.measure.region import Region, joint_region, region_volume
from plethos.core.skeleton import Pose


@dataclass(frozen=True)
class Measured:
    """A joint's region in one pose, against rest, in percent.

    Parameters
    ----------
    volume
        Region volume.
    girth
        Least girth over the stations; None where no closed slice goes round the limb.
    """

    volume: float
    girth: float | None


@dataclass(frozen=True)
class BendMeasure:
    """The measures of one joint, made ready once a version of the character.

    Parameters
    ----------
    character, joint
        Whose bend.
    rest
        Rest points ``(V, 3)`` in the world.

    Raises
    ------
    BadEditError
        On first use, when the joint bends no skin.
    """

    character: Character
    joint: int
    rest: NDArray[np.float32]

    @cached_property
    def region(self) -> Region:
        return joint_region(self.character, self.joint, self.rest)

    @cached_property
    def slices(self) -> list[Slice]:
        return cut_slices(self.character.skeleton, self.joint, self.region, self.rest[self.region.vertices])

    @cached_property
    def _rest_values(self) -> tuple[float, list[float]]:
        points = self.rest[self.region.vertices]
        return region_volume(self.region, points), [s.area(points) for s in self.slices]

    @cached_property
    def _evaluator(self) -> Evaluator:
        return Evaluator(self.character, self.region.vertices)

    def prepared(self) -> BendMeasure:
        """This measure with its region, slices and rest values found: `with_character` then measures in the same."""
        _ = self.slices, self._rest_values
        return self

    def with_character(self, character: Character) -> BendMeasure:
        """What is prepared here, measured on another version of the same mesh."""
        fresh = BendMeasure(character, self.joint, self.rest)
        for name in ("region", "slices", "_rest_values"):
            if name in self.__dict__:
                fresh.__dict__[name] = self.__dict__[name]
        return fresh

    def of_points(self, points: NDArray[np.floating]) -> Measured:
        """Measures of posed points ``(N, 3)`` of the region's vertices."""
        volume, areas = self._rest_values
        girth = [s.area(points) / a for s, a in zip(self.slices, areas, strict=True) if a > 0]
        return Measured(
            100 * region_volume(self.region, points) / volume if volume else 100.0,
            100 * min(girth) if girth else None,
        )

    def at(self, pose: Pose, remedies: bool = True) -> Measured:
        """Measures in any pose."""
        return self.of_points(self._evaluator.evaluate(pose, remedies))


def bent(pose: Pose, joint: int, axis: Sequence[float], angle: float) -> Pose:
    """`pose` with the joint's twist about `axis` (unit, rest frame) set to `angle`; its swing stays."""
    swing, _ = rotations.swing_twist(pose.rotations[joint], axis)
    turn = rotations.from_axis_angle(axis, angle)
    return pose.with_rotation(joint, rotations.multiply(swing, turn))


@dataclass(frozen=True)
class BendStep:
    """One angle (radians) of the strip, its pose, measures without and with, and the activation of each remedy."""

    angle: float
    pose: Pose
    without: Measured
    with_: Measured
    activations: dict[str, float]


def bend_steps(measure: BendMeasure, pose: Pose, axis: Sequence[float], angles: Sequence[float]) -> Iterator[BendStep]:
    """Walk a joint over its travel, everything else held as in `pose`."""
    character = measure.character
    acting = any(r.on and r.trigger for r in character.remedies)
    for angle in angles:
        at = bent(pose, measure.joint, axis, angle)
        without = measure.at(at, remedies=False)
        activations = {r.id: r.trigger.activation(at) for r in character.remedies if r.trigger}
        yield BendStep(angle, at, without, measure.at(at) if acting else without, activations)


@dataclass(frozen=True)
class ContactCounter:
    """Counts triangles of the whole character that cross others and did not at rest."""

    character: Character
    rest: NDArray[np.float32]

    @cached_property
    def _at_rest(self) -> NDArray[np.int32]:
        return intersecting_pairs(self.rest, self.character.topology.triangles)

    def count(self, points: NDArray[np.floating]) -> int:
        """Number of triangles in new contacts for posed points ``(V, 3)``."""
        return len(new_contacts(points, self.character.topology.triangles, self._at_rest))


def degrees_between(start: float, end: float, steps: int) -> list[float]:
    """`steps` angles from start to end (degrees), as radians."""
    return [math.radians(a) for a in np.linspace(start, end, steps).tolist()]
