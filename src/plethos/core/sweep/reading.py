"""What the measures of a way depend on: with nothing of that changed they need not be taken again."""

from __future__ import annotations

import numpy as np

from plethos.core.rules.remedies import Remedy
from plethos.core.sweep.plan import Way
from plethos.core.sweep.sweeper import STILL, Sweeper


def turned_joints(way: Way) -> frozenset[int]:
    """The joints that turn, move or grow in any pose of a way."""
    out: set[int] = set()
    for stop in way.stops:
        pose = stop.pose
        moved = np.abs(pose.rotations[:, :3]).max(axis=1) > STILL
        if pose.translations is not None:
            moved |= np.abs(pose.translations).max(axis=1) > STILL
        if pose.scales is not None:
            moved |= np.isfinite(pose.scales).any(axis=1)
        out |= set(np.flatnonzero(moved).tolist())
    return frozenset(out)


def acting_on(sweeper: Sweeper, way: Way) -> tuple[Remedy, ...]:
    """The remedies that may do something on a way: those that read what turns, and those that do something at rest.

    What a helper joint does may be read by others.
    """
    rules = sweeper.character.rules
    turned = set(turned_joints(way))
    found = set(sweeper.acting_at_rest)
    sets_values = any(s.pose.dials or s.pose.shape_weights for s in way.stops)
    while True:
        more = {r.id for r in rules.on if sets_values or rules.joints_read(r) & turned} - found
        helped = {j for r in rules.on if r.id in found | more for j in r.body.writes() if isinstance(j, int)} - turned
        if not more and not helped:
            return tuple(r for r in rules.on if r.id in found)
        found |= more
        turned |= helped
