"""All ways of a character, and what is found on each."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from plethos.core.character import Character
from plethos.core.skeleton.hinge import Hinge
from plethos.core.sweep.bounds import SHIPPED, SweepBounds
from plethos.core.sweep.plan import (
    Scope,
    Way,
    clip_stops,
    clip_ways,
    joint_ways,
    kept_pose_ways,
    pair_ways,
    pairs_of,
    swept_joints,
)
from plethos.core.sweep.spots import Spot, placed, spots_of
from plethos.core.sweep.sweeper import Sample, Sweeper

FINE = 1 / 60  # seconds: how near to the worst moment of a clip is looked
CLOSER = 3  # spots of a clip are looked at so: the worst


@dataclass(frozen=True, eq=False)
class Walked:
    """A way that was walked, with its spots."""

    way: Way
    samples: tuple[Sample, ...]
    spots: tuple[Spot, ...]


def ways_of(character: Character, proposed: Mapping[int, Hinge], scope: Scope) -> Iterator[Way]:
    """All ways of a character: its joints from the root outwards, then pairs, kept poses and clips.

    Raises
    ------
    BadEditError
        When there is nothing to sweep.
    """
    swept = swept_joints(character)
    own = [j for j in swept if scope.has(j)]
    for joint in own:
        yield from joint_ways(character, joint, proposed, scope)
    if scope.pairs:
        yield from pair_ways(character, pairs_of(character, swept, scope), proposed, scope)
    if scope.kept_poses:
        yield from kept_pose_ways(character, own)
    yield from clip_ways(character, own, scope)


def walked(sweeper: Sweeper, way: Way, bounds: SweepBounds = SHIPPED) -> Walked:
    """Walk a way; of a clip, look closer where it is worst."""
    samples = list(sweeper.samples(way))
    spots = spots_of(sweeper, way, samples, bounds)
    if way.kind == "clip" and spots:
        samples = sorted([*samples, *_closer(sweeper, way, spots)], key=lambda s: s.stop.at)
        spots = spots_of(sweeper, way, samples, bounds)
    return Walked(way, tuple(samples), tuple(placed(sweeper, s) for s in spots))


def _closer(sweeper: Sweeper, way: Way, spots: Sequence[Spot]) -> Iterator[Sample]:
    """The moments of a clip round its worst spots that were not measured yet."""
    clip = next(c for c in sweeper.character.all_clips if c.name == way.name)
    step = way.stops[1].at - way.stops[0].at if len(way.stops) > 1 else 0.0
    times = {
        round(t, 6)
        for spot in sorted(spots, key=lambda s: s.rank, reverse=True)[:CLOSER]
        for t in (spot.at + np.arange(-step + FINE, step - FINE / 2, FINE)).tolist()
        if 0 <= t <= clip.duration
    }
    for stop in clip_stops(sweeper.character, clip, sorted(times - {s.at for s in way.stops})):
        yield sweeper.sample(way, stop)
