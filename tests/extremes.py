"""Every compiled kernel on finite numbers as extreme as they come, with numba's bounds check on.

Run by `tests.core.test_extremes` as ``python -m tests.extremes SEED ...`` with ``NUMBA_BOUNDSCHECK=1``: an index that
leaves its array is an error then, where else it would kill the process or write over something. What is refused in a
sentence is fine; nothing else is. Prints which modules of kernels were run.
"""

from __future__ import annotations

import contextlib
import sys
from dataclasses import replace

import numpy as np

from plethos.core.errors import PlethosError
from plethos.core.evaluate import ALL, NONE, Evaluator
from plethos.core.geometry.topology import Topology, distance_over_surface
from plethos.core.measure import kernels as measures
from plethos.core.measure.contact import intersecting_pairs
from plethos.core.sculpt import BRUSHES
from plethos.core.sculpt import kernels as sculpt_kernels
from plethos.core.sculpt.session import Dab, SculptSurface
from plethos.core.skeleton.pose_files import pose_from_document, pose_to_json
from plethos.core.skeleton.reach import reached
from plethos.core.weights.bind import bound_automatically
from plethos.core.weights.fit import fitted
from plethos.core.weights.limit import limit_influences
from tests.making import any_pose, everything

EXTREMES = np.array([0.0, -0.0, 1e-300, 1e-38, 1e-9, 1.0, 1e6, 1e9, 1e18, 3e37])
refused = contextlib.suppress(PlethosError)


def extreme(generator: np.random.Generator, shape, ordinary=None, share: float = 0.3) -> np.ndarray:
    """Numbers of any size and sign, among ordinary ones."""
    out = generator.normal(0, 1, shape) if ordinary is None else np.array(ordinary, np.float64)
    wild = generator.random(out.shape) < share
    out[wild] = generator.choice(EXTREMES, int(wild.sum())) * generator.choice([-1.0, 1.0], int(wild.sum()))
    return out


def posing(generator: np.random.Generator) -> None:
    character = everything(generator)
    skeleton = character.skeleton
    evaluator = Evaluator.of(character)
    pose = any_pose(generator, skeleton)
    large = generator.choice([0.0, 1e3, 1e8, 1e30])
    pose = replace(
        pose,
        translations=generator.normal(0, 1, (len(skeleton), 3)) * large,
        scales=extreme(generator, (len(skeleton), 3)) if generator.random() < 0.5 else None,
        shape_weights={0: float(extreme(generator, 1)[0])},
        dials={"Wet": float(extreme(generator, 1)[0])},
    )
    with refused:
        pose_from_document(skeleton, pose_to_json(skeleton, pose))
    for acting in (ALL, NONE):
        with refused:
            posed = evaluator.pose(pose, acting)
            evaluator.program.activations(posed.moment)
            intersecting_pairs(posed.points, character.mesh.topology.triangles)
    with refused:
        reached(skeleton, pose, len(skeleton) - 1, extreme(generator, 3))
    fitted(character, 1)


def measuring(generator: np.random.Generator, points: np.ndarray, triangles: np.ndarray) -> None:
    start = generator.integers(0, len(points), 6).astype(np.int32)
    end, number = start[::-1].copy(), np.repeat(np.arange(2, dtype=np.int32), 3)
    segments = measures.bone_segments(start, points)
    for kind in (np.float32, np.float64):
        given = points.astype(kind)
        measures.signed_volume(given, triangles, start, end, number, 2)
        measures.loop_areas(given, np.array([0, 3, 6]), start, end, generator.random(6))
        bones = measures.nearest_bones(given, segments, np.arange(6, dtype=np.int32), 3)
        squared = measures.squared_depths(given, bones, segments)
        measures.depth_change(given, bones, segments, 1e-6, squared)
    with refused:
        intersecting_pairs(points, triangles)


def sculpting(generator: np.random.Generator, points: np.ndarray, topology: Topology) -> None:
    ordinary = generator.random() < 0.5
    for brush in BRUSHES.values():
        rest = generator.normal(0, 1, points.shape)
        surface = SculptSurface(topology, (rest if ordinary else points).copy(), rest)
        for _ in range(2):
            x, y, z, radius, strength, a, b, c = extreme(generator, 8).tolist()
            with refused:
                triangle = int(generator.choice([0, -1, 5, 2**31, -(2**40)]))
                brush(surface, Dab(triangle, (x, y, z), abs(radius), strength, (a, b, c), 0.5))
    distance_over_surface(topology, points, points[:, 0] > 0, 1.0)
    topology.patches(points[:, 1] > 0)
    linear, rest = (extreme(generator, (len(points), 3, 3)) for _ in range(2))
    out, sigma, error = np.empty_like(points), np.empty(len(points)), np.empty(len(points))
    sculpt_kernels.turned_back(linear, rest, extreme(generator, points.shape), 1.0, out, sigma, error)


def weighing(generator: np.random.Generator) -> None:
    character = everything(generator)
    with refused:
        bound_automatically(character, 4)
    limit_influences(np.abs(extreme(generator, (20, 6))), int(generator.integers(1, 6)))


def main(seeds: list[int]) -> None:
    np.seterr(all="ignore")
    for seed in seeds:
        generator = np.random.default_rng(seed)
        count = int(generator.integers(6, 40))
        triangles = np.array([generator.choice(count, 3, replace=False) for _ in range(3 * count)], np.int32)
        topology = Topology(count, triangles)
        points = extreme(generator, (count, 3), share=generator.choice([0.0, 0.05, 0.5]))
        posing(generator)
        measuring(generator, points, triangles)
        sculpting(generator, points, topology)
        weighing(generator)


if __name__ == "__main__":
    main([int(seed) for seed in sys.argv[1:]])
