"""Trouble spots: where on a way a character is worst, from which angle on, in what, and by how much."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from plethos.core.evaluate import ALL, NONE
from plethos.core.geometry import rotations
from plethos.core.measure.badness import AT_REST, SHADE, Badness, Bounds, Measure, badness
from plethos.core.measure.outline_site import FlatSite
from plethos.core.skeleton.pose import Pose
from plethos.core.sweep.bounds import SHIPPED, SweepBounds
from plethos.core.sweep.plan import Way
from plethos.core.sweep.sweeper import Points, Sample, Sweeper, Values

FAMILIES: Mapping[Measure, str] = {
    "volume_loss": "loss", "girth_loss": "loss", "area_loss": "loss", "width_loss": "loss",
    "volume_gain": "swelling", "girth_gain": "swelling", "area_gain": "swelling",
    "stretch": "skin", "fold": "skin", "contacts": "contact", "clipping": "contact", "open_fill": "contact",
}  # fmt: skip

SHARED = 0.3  # of the smaller region: spots in one pose whose regions share so much are told once


@dataclass(frozen=True, eq=False)
class Spot:
    """Where a character is out of bounds.

    Parameters
    ----------
    way
        On which.
    joint
        Round which.
    at
        Of the worst pose: radians, or seconds of a clip.
    pose
        That pose.
    onset
        Where it begins, as `at`; None for a kept pose.
    measure
        What it is worst in there.
    family
        Of what it is worst in without remedies, if it is bad without: by that it is known again, whatever mends it.
    bare, mended
        What was measured there, without and with remedies.
    bare_badness, mended_badness
        The worst of the whole way, percent. The pose is the worst with remedies; where they leave nothing, the worst
        without.
    shade
        All measures there against what ruins them, added up: what tells two apart that are equally bad.
    curve
        ``(S, 3)``: along the way `at`, and the badness without and with.
    vertex, place
        Where in that pose it is worst, and where that lies ``(3,)``.
    """

    way: Way
    joint: int
    at: float
    pose: Pose
    onset: float | None
    measure: Measure
    family: str
    bare: Values
    mended: Values
    bare_badness: float
    mended_badness: float
    shade: float
    curve: tuple[tuple[float, float, float], ...]
    vertex: int = -1
    place: tuple[float, float, float] = (0.0, 0.0, 0.0)

    @property
    def rank(self) -> tuple[float, float]:
        """By which the worse of two of one way is told."""
        return (self.mended_badness, self.bare_badness + SHADE * self.shade)


def spots_of(sweeper: Sweeper, way: Way, samples: Sequence[Sample], bounds: SweepBounds = SHIPPED) -> list[Spot]:
    """The spots of a way: one round each of its joints that is out of bounds; of a pair the worse of the two only."""
    joints = sweeper.measurable(way) if samples else ()
    found = [s for j in joints if (s := _spot(sweeper, way, j, samples, bounds)) is not None]
    if way.kind == "pair":
        found = sorted(found, key=lambda s: s.rank, reverse=True)[:1]
    return _owned(sweeper, found)


def _spot(sweeper: Sweeper, way: Way, joint: int, samples: Sequence[Sample], bounds: SweepBounds) -> Spot | None:
    own = bounds.of(sweeper.character.skeleton.names[joint])
    bare = [badness(s.bare[joint], own) for s in samples]
    mended = [badness(s.mended[joint], own) for s in samples]
    most_bare, most_mended = max(b.percent for b in bare), max(b.percent for b in mended)
    now = mended if most_mended > 0 else bare
    if max(most_bare, most_mended) <= 0:
        return None
    k = max(range(len(now)), key=lambda i: now[i].rank)
    measure = now[k].measure
    first = max(bare if most_bare > 0 else mended, key=lambda b: b.rank).measure
    assert measure != ""
    assert first != ""
    return Spot(
        way, joint, samples[k].stop.at, samples[k].stop.pose,
        _onset(way, samples, joint, now, own, most_mended > 0), measure, FAMILIES[first],
        samples[k].bare[joint], samples[k].mended[joint], most_bare, most_mended, now[k].shade,
        tuple((s.stop.at, b.percent, m.percent) for s, b, m in zip(samples, bare, mended, strict=True)),
    )  # fmt: skip


def _onset(
    way: Way, samples: Sequence[Sample], joint: int, found: Sequence[Badness], bounds: Bounds, mended: bool
) -> float | None:
    """Where a bound is passed first, between two poses as straight as the measure goes there."""
    if way.kind in ("kept_pose", "pair"):
        return None
    k = next(i for i, bad in enumerate(found) if bad.percent > 0)
    at, measure = samples[k].stop.at, found[k].measure
    assert measure != ""
    if k == 0 and way.kind == "clip":
        return at
    was = samples[max(k - 1, 0)]
    before = AT_REST.get(measure, 0.0) if k == 0 else (was.mended if mended else was.bare)[joint][measure]
    share = (bounds[measure][0] - before) / (found[k].value - before)
    start = 0.0 if k == 0 else samples[k - 1].stop.at
    return start + min(max(share, 0.0), 1.0) * (at - start)


def _owned(sweeper: Sweeper, spots: list[Spot]) -> list[Spot]:
    """Of spots in the same pose whose regions share their skin only that of the joint which turns most there."""
    kept: list[Spot] = []
    for spot in sorted(spots, key=lambda s: float(rotations.angle(s.pose.rotations[s.joint])), reverse=True):
        own = sweeper.place(spot.joint).site.vertices
        if not any(_shared(own, sweeper.place(k.joint).site.vertices) > SHARED for k in kept):
            kept.append(spot)
    return kept


def _shared(one: NDArray[np.int32], other: NDArray[np.int32]) -> float:
    return len(np.intersect1d(one, other)) / max(min(len(one), len(other)), 1)


def placed(sweeper: Sweeper, spot: Spot) -> Spot:
    """A spot with the vertex where it is worst."""
    acting = ALL if spot.mended_badness > 0 else NONE
    posed = sweeper.evaluator.pose(spot.pose, acting)
    vertex = _worst_vertex(sweeper, spot, posed.points, posed.world)
    x, y, z = posed.points[vertex].tolist()
    return replace(spot, vertex=vertex, place=(x, y, z))


def _worst_vertex(sweeper: Sweeper, spot: Spot, points: Points, world: Points) -> int:
    place, vertices = sweeper.place(spot.joint), sweeper.place(spot.joint).site.vertices
    if isinstance(place.site, FlatSite):
        return _nearest(vertices, points, world[spot.joint, :3, 3])
    if spot.measure in ("stretch", "fold"):
        return int(vertices[place.site.strain.worst(points[vertices], spot.measure)])
    crossing = sweeper.crossing(sweeper.measurable(spot.way), points) if FAMILIES[spot.measure] == "contact" else None
    if crossing is not None and spot.measure == "clipping":
        clipped = crossing.clipped(spot.joint)
        if clipped is not None:
            return clipped.vertex
    if crossing is not None and spot.measure == "contacts":
        crossed = np.unique(sweeper.character.mesh.topology.triangles[crossing.of_region(place)])
        own = np.intersect1d(crossed, vertices)
        if len(own):
            return _nearest(own, points, points[own].mean(axis=0))
    depth = sweeper.depth.change(points, np.array(world[:, :3, 3], np.float64))[vertices]
    return int(vertices[(np.argmax if FAMILIES[spot.measure] == "swelling" else np.argmin)(depth)])


def _nearest(vertices: NDArray[np.int32], points: Points, place: Points) -> int:
    """Of some vertices the one that is nearest to a place ``(3,)``."""
    return int(vertices[np.argmin(np.linalg.norm(points[vertices] - place, axis=1))])
