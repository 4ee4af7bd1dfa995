"""Speed of a sweep, as a ratio to a peer in the same run."""

from __future__ import annotations

import time

from plethos.core.character import Character
from plethos.core.evaluate import NONE, Evaluator
from plethos.core.measure.contact import intersecting_pairs
from plethos.core.sweep.plan import Scope
from plethos.core.sweep.sweep import walked, ways_of
from plethos.core.sweep.sweeper import Sweeper

WANTED = 120.0  # seconds of one core: a minute on two
ALL = 1300  # poses that it is wanted for


def sweeping(character: Character) -> tuple[str, str, str, str]:
    """The finished lock keeper: his joints and pairs, bare and with remedies, contacts and clipping with them."""
    sweeper = Sweeper.of(character)
    ways = list(ways_of(character, {}, Scope(kept_poses=False, clips=())))
    walked(sweeper, ways[0])  # what is found once for all poses
    started = time.perf_counter()
    poses = sum(len(walked(sweeper, way).samples) for way in ways)
    ours = time.perf_counter() - started
    evaluator, triangles = Evaluator.of(character), character.mesh.topology.triangles
    held = [way.stops[-1].pose for way in ways[::20]]
    started = time.perf_counter()
    for pose in held:
        intersecting_pairs(evaluator.pose(pose, NONE).points, triangles)
    whole = 2 * (time.perf_counter() - started) / len(held)
    return (
        f"Sweep of the finished keeper, {poses} poses of joints and pairs, bare and with remedies",
        f"{ours:.0f} s of one core, {1000 * ours / poses:.0f} ms a pose",
        f"counting all that crosses, bare and with: {1000 * whole:.0f} ms a pose; {1000 * WANTED / ALL:.0f} ms wanted",
        f"{ours / poses / whole:.2f} (at most 1), {ours / poses / (WANTED / ALL):.2f} (at most 1)",
    )
