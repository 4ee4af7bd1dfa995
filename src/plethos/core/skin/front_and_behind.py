"""The other side of a figure that is drawn from the side: what is in front is the twin of what is behind."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plethos.core.geometry.rotations import Array
from plethos.core.skeleton.mapping import SidesMap, Vector
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skin.mesh import Mesh

DEPTHS = (("front", "back"), ("near", "far"), ("fore", "hind"))


def behind_name(name: str) -> str | None:
    """What the same is called on the other side: ``front_shin`` and ``back_shin``; None when a name tells no side."""
    for a, b in DEPTHS:
        for one, other in ((a, b), (b, a)):
            for form in (str.lower, str.capitalize):
                found = re.sub(rf"(?<![a-z]){form(one)}(?![a-z])", form(other), name)
                if found != name:
                    return found
    return None


def depth_joints(skeleton: Skeleton) -> NDArray[np.int32]:
    """The joint ``(J,)`` on the other side of each; its own where there is none."""
    out = np.arange(len(skeleton), dtype=np.int32)
    for j, name in enumerate(skeleton.names):
        other = skeleton.index_of.get(behind_name(name) or "")
        if other is not None:
            out[j] = other
    return out


def depth_vertices(mesh: Mesh) -> NDArray[np.int32]:
    """The vertex ``(V,)`` on the other side of each, -1 for none: things of twin names with as many control points.

    What tells no side is its own twin.
    """
    out = np.arange(len(mesh), dtype=np.int32)
    ranges = {}
    for part, surface in mesh.outlines():
        for thing in surface.drawn:
            curves = [surface.curves[n] for n in thing.curves]
            rows = np.concatenate([part.vertices[0] + 3 * c.first + np.arange(3 * c.count) for c in curves])
            ranges[part.name, thing.name] = (rows, [(c.count, c.closed) for c in curves])
    for (part_name, name), (rows, shape) in ranges.items():
        there = (behind_name(part_name) or part_name, behind_name(name) or name)
        if there == (part_name, name):
            continue
        found = ranges.get(there)
        out[rows] = found[0] if found is not None and found[1] == shape else -1
    return out


@dataclass(frozen=True, eq=False)
class DepthMap(SidesMap):
    """From what is in front to what is behind, and back, as `depth_joints` has them; nothing is mirrored."""

    def rotation(self, j: int, q: Array) -> Array:
        return np.asarray(q, np.float64)

    def axis(self, j: int, a: Vector) -> Vector:
        return a

    def offset(self, j: int, v: Vector) -> Vector:
        return v

    def stretch(self, j: int, s: Vector) -> Vector | None:
        return s
