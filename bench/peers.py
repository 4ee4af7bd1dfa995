"""What a row is measured beside: peers in the same run, meshes that are grown for them."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from plethos.core.character import Character
from plethos.core.rules.remedies import Corrective, Remedy
from plethos.core.rules.response import Response
from plethos.core.rules.rules import Rules
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.skin.binding import Binding
from plethos.core.skin.mesh import Mesh, Part, Triangles
from plethos.core.skin.shape import Shape


def median_ms(run: Callable[[], object], rounds: int = 60) -> float:
    """Median time of a call, after two to warm up."""
    for _ in range(2):
        run()
    times = []
    for _ in range(rounds):
        start = time.perf_counter()
        run()
        times.append(time.perf_counter() - start)
    return float(np.median(times) * 1e3)


def beside(ours: Callable[[], object], peer: Callable[[], object], rounds: int = 120) -> tuple[float, float, float]:
    """Median times (ms) of two calls made in turn, and the median of their ratios: the machine's moods hit both."""
    times = []
    for call in (ours, peer):
        call()
    for _ in range(rounds):
        pair = []
        for call in (ours, peer):
            start = time.perf_counter()
            call()
            pair.append((time.perf_counter() - start) * 1e3)
        times.append(pair)
    both = np.array(times)
    mine, theirs = np.median(both, axis=0).tolist()
    return mine, theirs, float(np.median(both[:, 0] / both[:, 1]))


def grown(
    character: Character, vertices: int, shapes: int = 20, blend: float = 0.5, tied: int | None = None
) -> Character:
    """The demo's vertices repeated to a given number, with made-up shapes of 5 % and a skin blend of 50 %.

    Parameters
    ----------
    tied
        How many of the shapes are tied to the bend that is measured, the others to one that stays at rest; None = all.
    """
    generator = np.random.default_rng(4)
    rows = np.resize(np.arange(len(character.mesh)), vertices)
    mask = np.zeros(vertices, np.float32)
    mask[generator.choice(vertices, int(blend * vertices), replace=False)] = 1.0
    response = Response((0.0, 1.0), (0.0, 1.0))
    remedies, triggers = [], []
    for k in range(shapes):
        moved = np.sort(generator.choice(vertices, vertices // 20, replace=False)).astype(np.int32)
        deltas = generator.normal(0, 0.01, (len(moved), 3)).astype(np.float32)
        joint = "left_forearm" if tied is None or k < tied else "right_forearm"
        triggers.append(HingeTrigger(character.skeleton.find(joint), (0.0, 0.0, 1.0), response, id=f"t{k}"))
        remedies.append(Remedy(Corrective.of(Shape(f"s{k}", moved, deltas)), f"s{k}", by=f"t{k}", id=str(k)))
    whole = (0, vertices)
    part = Part("all", whole, whole, Triangles(np.zeros((0, 3), np.int32)))
    mesh = Mesh((part,), character.mesh.points[rows], character.mesh.rest[rows], np.arange(vertices, dtype=np.int32))
    own = character.binding
    binding = Binding(own.bones, own.influences[rows], own.weights[rows], own.joints, mask)
    return replace(
        character,
        mesh=mesh,
        binding=binding,
        rules=Rules(triggers=tuple(triggers), remedies=tuple(remedies)),
        regions=(),
    )


def usd_linear(character: Character, matrices: np.ndarray) -> Callable[[], object]:
    """The peer: usd-core's linear skinning of the same vertices, without shapes and without blend."""
    from pxr import Gf, UsdSkel, Vt

    transforms = Vt.Matrix4dArray([Gf.Matrix4d(*m.T.ravel().tolist()) for m in matrices])
    indices = Vt.IntArray.FromNumpy(character.binding.influences.ravel().copy())
    weights = Vt.FloatArray.FromNumpy(character.binding.weights.ravel().copy())
    points = Vt.Vec3fArray.FromNumpy(character.mesh.points.copy())
    identity, linear = Gf.Matrix4d(1), UsdSkel.Tokens.classicLinear
    return lambda: UsdSkel.SkinPoints(linear, identity, transforms, indices, weights, 4, points, True)
