"""How normals and tangents turn with a morph target, so that a delivered shape is shaded as it lies."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.formats.gltf_build import GltfBuilder
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_layout import PrimitiveRun
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import vertex_normals
from plethos.core.skin.shape import Shape

LEAST = 1e-4  # of a unit normal: less is not seen
SHADED = ("NORMAL", "TANGENT")


@dataclass(frozen=True, eq=False)
class Turning:
    """How the surface turns under one shape: its normals before and after ``(V, 3)``, hard edges smoothed over."""

    before: Array
    after: Array

    @classmethod
    def of(cls, character: Character, shape: Shape) -> Turning:
        """The turning of a shape that is fully on, in the space of the morph targets."""
        points, triangles = character.mesh.points.astype(np.float64), character.mesh.topology.triangles
        shaped = points.copy()
        shaped[shape.vertices] += shape.deltas
        return cls(vertex_normals(points, triangles), vertex_normals(shaped, triangles))

    def applied(self, vertices: NDArray[np.int32], directions: Array) -> Array:
        """Directions ``(N, 3)`` at some vertices ``(N,)``, turned as the surface is there.

        What the file says of a vertex (a hard edge, a bent normal) is kept: it is turned by the shortest way that takes
        the surface's own normal along.
        """
        a, b = self.before[vertices], self.after[vertices]
        axis, along = np.cross(a, b), (a * b).sum(axis=1, keepdims=True)
        # Rodrigues' formula; a normal that is turned over, or none, says no way.
        sideways = axis * (axis * directions).sum(axis=1, keepdims=True) / np.maximum(1 + along, 1e-6)
        turned = directions * along + np.cross(axis, directions) + sideways
        sure = (np.abs(a).max(axis=1) > 0) & (np.abs(b).max(axis=1) > 0) & (along[:, 0] > -1 + 1e-6)
        return np.asarray(np.where(sure[:, None], turned, directions))


def shaded_target(
    builder: GltfBuilder,
    source: GltfFile,
    character: Character,
    run: PrimitiveRun,
    attributes: dict[str, int],
    turning: Turning,
) -> dict[str, int]:
    """The accessors of a target's normals and tangents, of those that the primitive has."""
    out = {}
    vertices = character.mesh.file_to_vertex[run.start : run.start + run.count]
    for name, kind in zip(SHADED, ("VEC3", "VEC4"), strict=True):
        if name not in attributes:
            continue
        own = source.accessor(attributes[name], f"the {name.lower()}s", kind, run.count)[:, :3].astype(np.float64)
        offsets = turning.applied(vertices, own) - own
        rows = np.flatnonzero(np.abs(offsets).max(axis=1) > LEAST)
        out[name] = builder.offsets(rows, offsets[rows].astype(np.float32), run.count)
    return out


def with_still_normals(builder: GltfBuilder, primitive: dict[str, Any], count: int) -> dict[str, Any]:
    """A primitive whose targets of the file say something of normals too, where ours do: that they stay."""
    wanted = [name for name in SHADED if name in primitive.get("attributes", {})]
    targets = primitive.get("targets", [])
    if not wanted or all(name in t for t in targets for name in wanted):
        return primitive
    still = {name: builder.offsets(np.zeros(0, np.int64), np.zeros((0, 3), np.float32), count) for name in wanted}
    return {**primitive, "targets": [{**still, **t} for t in targets]}
