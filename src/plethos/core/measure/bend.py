"""What the bend strip draws: measures of a joint's region over the whole travel of one axis."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import ALL, NONE, Acting, Evaluator
from plethos.core.geometry import rotations
from plethos.core.measure.contact import intersecting_pairs, new_contacts
from plethos.core.measure.girth import Cuts, Slice, cut_slices
from plethos.core.measure.measured import Measured
from plethos.core.measure.outline_site import FlatSite
from plethos.core.measure.region import MARGIN, Region, encloses, joint_region, region_volume
from plethos.core.skeleton.clips import Clip
from plethos.core.skeleton.skeleton import Pose
from plethos.core.skin.mesh import Mesh


@dataclass(frozen=True, eq=False)
class BendSite:
    """A joint's region with its slices and their values at rest: what depends on mesh, skeleton and binding only."""

    region: Region
    slices: tuple[Slice, ...]
    volume: float | None
    cuts: Cuts

    @classmethod
    def of(cls, character: Character, joint: int) -> BendSite:
        """Find the region of a joint.

        Raises
        ------
        BadEditError
            When the joint bends no skin.
        """
        rest = character.mesh.rest
        region, slices = _sliced(character, joint, MARGIN)
        for wider in WIDER:
            if slices:
                break
            further = _sliced(character, joint, wider)
            region, slices = further if further[1] else (region, slices)
        points = rest[region.vertices]
        volume = region_volume(region, points) if encloses(region, points) else None
        return cls(region, slices, volume, Cuts.of(slices, points))

    @property
    def vertices(self) -> NDArray[np.int32]:
        """The vertices ``(N,)`` of its region."""
        return self.region.vertices

    def measured(self, points: NDArray[np.floating]) -> Measured:
        """Measures of posed points ``(N, 3)`` of the region's vertices."""
        girth = self.cuts.areas(points) / self.cuts.at_rest
        return Measured(
            None if self.volume is None else 100 * region_volume(self.region, points) / self.volume,
            100 * float(girth.min()) if len(girth) else None,
            most_girth=100 * float(girth.max()) if len(girth) else None,
        )

    @property
    def why(self) -> tuple[str, ...]:
        """What cannot be measured, and why: a sentence for each."""
        out = []
        if self.volume is None:
            out.append("The skin here is an open sheet: it goes round no volume that could be kept.")
        if not self.slices:
            out.append("No closed slice of the skin goes round the bone here, so it has no girth.")
        return tuple(out)


# Skin of few vertices may bend along a single ring of edges: then the region goes this much further (of its radius).
WIDER = (0.8, 1.6)
REMEMBERED = 2  # how many counts of contacts: of a figure without remedies and with them


def _sliced(character: Character, joint: int, margin: float) -> tuple[Region, tuple[Slice, ...]]:
    rest = character.mesh.rest
    region = joint_region(character, joint, rest, margin)
    return region, tuple(cut_slices(character.skeleton, joint, region, rest[region.vertices]))


@dataclass(frozen=True, eq=False)
class BendMeasure:
    """The measures of one joint, made ready for a version of the character.

    Parameters
    ----------
    joint
        Whose bend.
    site
        Its region.
    evaluator
        Of the region's vertices.
    """

    joint: int
    site: BendSite | FlatSite
    evaluator: Evaluator

    @property
    def skin(self) -> BendSite:
        """Its region of triangles.

        Raises
        ------
        BadEditError
            When the character is a drawing.
        """
        if isinstance(self.site, FlatSite):
            raise BadEditError("This is a drawing: it has outlines, and no skin of triangles round a volume.")
        return self.site

    @classmethod
    def of(cls, character: Character, joint: int, before: BendMeasure | None = None) -> BendMeasure:
        """The measures of a joint.

        Parameters
        ----------
        before
            Those of another version on the same mesh, skeleton and binding: its region is taken over.

        Raises
        ------
        BadEditError
            When the joint bends no skin.
        """
        kind = FlatSite if character.mesh.is_flat else BendSite
        site = kind.of(character, joint) if before is None else before.site
        known = None if before is None else before.evaluator
        return cls(joint, site, Evaluator.of(character, known, site.vertices))

    def of_points(self, points: NDArray[np.floating]) -> Measured:
        """Measures of posed points ``(N, 3)`` of the region's vertices."""
        return self.site.measured(points)

    def at(self, pose: Pose, acting: Acting = ALL) -> Measured:
        """Measures in any pose."""
        return self.of_points(self.evaluator.pose(pose, acting).points)


def bent(pose: Pose, joint: int, axis: Sequence[float], angle: float) -> Pose:
    """`pose` with the joint's twist about `axis` (unit, rest frame) set to `angle`; its swing stays."""
    level = straight(pose, joint, axis)
    turn = rotations.from_axis_angle(axis, angle)
    return pose.with_rotation(joint, rotations.multiply(level.rotations[joint], turn))


def straight(pose: Pose, joint: int, axis: Sequence[float]) -> Pose:
    """`pose` with the joint at rest about `axis` (unit, rest frame); its swing stays."""
    swing, _ = rotations.swing_twist(pose.rotations[joint], axis)
    return pose.with_rotation(joint, swing)


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
    evaluator = measure.evaluator
    acting = bool(evaluator.character.rules.on)
    for angle in angles:
        at = bent(pose, measure.joint, axis, angle)
        posed = evaluator.pose(at)
        without = measure.at(at, NONE)
        with_ = measure.of_points(posed.points) if acting else without
        yield BendStep(angle, at, without, with_, evaluator.program.activations(posed.moment))


@dataclass(frozen=True)
class ClipStep:
    """One moment (seconds) of a clip: measures of a joint's region without and with, and activations."""

    time: float
    without: Measured
    with_: Measured
    activations: dict[str, float]


def clip_steps(measure: BendMeasure, clip: Clip, times: Sequence[float]) -> Iterator[ClipStep]:
    """Walk through a clip."""
    evaluator = measure.evaluator
    acting = bool(evaluator.character.rules.on)
    for time in times:
        pose = clip.pose_at(evaluator.character.skeleton, time)
        posed = evaluator.pose(pose)
        without = measure.at(pose, NONE)
        with_ = measure.of_points(posed.points) if acting else without
        yield ClipStep(time, without, with_, evaluator.program.activations(posed.moment))


@dataclass(eq=False)
class ContactCounter:
    """Counts triangles of the whole character that cross others and did not at rest.

    What was counted last is remembered: while one edits in a pose, the figure without remedies stays as it is.
    """

    mesh: Mesh
    _last: tuple[tuple[NDArray[np.floating], int], ...] = ()

    @cached_property
    def _at_rest(self) -> NDArray[np.int32]:
        return intersecting_pairs(self.mesh.rest, self.mesh.topology.triangles)

    def count(self, points: NDArray[np.floating]) -> int:
        """Number of triangles in new contacts for posed points ``(V, 3)``."""
        known = next((k for k in self._last if np.array_equal(k[0], points)), None)
        if known is None:
            held = points.copy()  # whoever gave them may go on moving them
            known = (held, len(new_contacts(held, self.mesh.topology.triangles, self._at_rest)))
        others = [k for k in self._last if k is not known]
        self._last = (known, *others[: REMEMBERED - 1])
        return known[1]


def degrees_between(start: float, end: float, steps: int) -> list[float]:
    """`steps` angles from start to end (degrees), as radians."""
    return [math.radians(a) for a in np.linspace(start, end, steps).tolist()]
