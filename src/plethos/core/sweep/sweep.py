"""The whole sweep of a character in this process, way by way."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from plethos.core.character import Character
from plethos.core.measure.region import shared_with
from plethos.core.skeleton.hinge import Hinge
from plethos.core.sweep.bounds import SHIPPED, SweepBounds
from plethos.core.sweep.plan import (
    SAME_SKIN,
    Scope,
    Way,
    clip_stops,
    clip_ways,
    joint_ways,
    kept_pose_ways,
    pair_ways,
    swept_joints,
)  # fmt: skip
from plethos.core.sweep.spots import Spot, spots_of
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


def pairs_of(character: Character, swept: Sequence[int], scope: Scope) -> list[tuple[int, int]]:
    """Joints that bend the same skin as their parents."""
    skeleton, found = character.skeleton, []
    shared = {j: shared_with(character, j) for j in swept}
    for j in swept:
        parent = skeleton.joint_parents[j]
        if parent in shared and (scope.has(j) or scope.has(parent)):
            both = int((shared[j] & shared[parent]).sum())
            if both >= SAME_SKIN * min(shared[j].sum(), shared[parent].sum()):
                found.append((parent, j))
    return found


def walked(sweeper: Sweeper, way: Way, bounds: SweepBounds = SHIPPED) -> Walked:
    """Walk a way; of a clip, look closer where it is worst."""
    samples = list(sweeper.samples(way))
    spots = spots_of(sweeper, way, samples, bounds)
    if way.kind == "clip" and spots:
        clip = next(c for c in sweeper.character.all_clips if c.name == way.name)
        step = way.stops[1].at - way.stops[0].at if len(way.stops) > 1 else 0.0
        known = {s.stop.at for s in samples}
        times = {
            round(t, 6)
            for spot in sorted(spots, key=lambda s: s.rank, reverse=True)[:CLOSER]
            for t in (spot.at + np.arange(-step + FINE, step - FINE / 2, FINE)).tolist()
            if 0 <= t <= clip.duration
        }
        finer = clip_stops(sweeper.character, clip, sorted(times - known))
        samples = sorted([*samples, *(sweeper.sample(way, s) for s in finer)], key=lambda s: s.stop.at)
        spots = spots_of(sweeper, way, samples, bounds)
    return Walked(way, tuple(samples), tuple(spots))


def sweep(
    character: Character, proposed: Mapping[int, Hinge], scope: Scope | None = None, bounds: SweepBounds = SHIPPED
) -> Iterator[Walked]:
    """Walk all ways of a character."""
    sweeper = Sweeper.of(character)
    for way in ways_of(character, proposed, scope or Scope()):
        yield walked(sweeper, way, bounds)
