"""The parts of a file put together: one mesh, in which the copies of a vertex along seams are one."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from plethos.core.formats.gltf_parts import RawPart
from plethos.core.formats.weld import weld
from plethos.core.skin.binding import Binding, Bones
from plethos.core.skin.mesh import Mesh, Part, Triangles
from plethos.core.skin.shape import Shape


@dataclass
class JoinedParts:
    """What has been put together so far.

    Parameters
    ----------
    most
        Influences of a vertex.
    near
        Metres within which vertices are one.
    cells_only
        Weld as it was before the weld was stored: see `weld`.
    """

    most: int
    near: float
    cells_only: bool
    first_shape: dict[int, int] = field(default_factory=dict)
    """The number of the first shape of each node's part."""
    _parts: list[Part] = field(default_factory=list)
    _points: list[NDArray[np.float64]] = field(default_factory=list)
    _to_vertex: list[NDArray[np.int64]] = field(default_factory=list)
    _influences: list[NDArray[np.int32]] = field(default_factory=list)
    _weights: list[NDArray[np.float64]] = field(default_factory=list)
    _colours: list[NDArray[np.float32]] = field(default_factory=list)
    _shapes: list[Shape] = field(default_factory=list)
    _vertex: int = 0
    _file_vertex: int = 0

    def add(self, raw: RawPart, welded: NDArray[np.int32] | None) -> int:
        """Put a part behind the others; how many of its vertices were copies.

        Parameters
        ----------
        welded
            ``(F,)`` the vertex that each file vertex of the whole is a copy of, where that is known.
        """
        count, first = len(raw.points), self._vertex
        slots, shares = np.zeros((count, self.most), np.int32), np.zeros((count, self.most))
        slots[:, : raw.joints.shape[1]] = raw.joints + raw.bone_start
        shares[:, : raw.weights.shape[1]] = raw.weights
        if welded is None:
            copies, kept = weld(raw.points, slots, shares, raw.shapes, self.near, self.cells_only)
        else:
            copies = welded[self._file_vertex : self._file_vertex + count].astype(np.int64) - first
            kept = np.unique(copies, return_index=True)[1]
        ends = (first, first + len(kept)), (self._file_vertex, self._file_vertex + count)
        self._parts.append(Part(raw.name, *ends, Triangles(raw.triangles)))
        self._points.append(raw.points[kept])
        self._to_vertex.append(copies + first)
        self._influences.append(slots[kept])
        self._weights.append(shares[kept])
        self._colours.append(raw.colours[kept])
        self.first_shape[raw.layout.node] = len(self._shapes)
        stands = np.zeros(count, bool)
        stands[kept] = True
        for shape in raw.shapes:
            own = stands[shape.vertices]
            moved = (copies[shape.vertices[own]] + first).astype(np.int32)
            self._shapes.append(Shape(shape.name, moved, shape.deltas[own], shape.weight))
        self._vertex, self._file_vertex = ends[0][1], ends[1][1]
        return count - len(kept)

    def mesh(self) -> Mesh:
        """All of it; where it lies at rest is for the skeleton to say."""
        return Mesh(
            parts=tuple(self._parts),
            points=np.ascontiguousarray(np.concatenate(self._points), dtype=np.float32),
            rest=np.zeros((self._vertex, 3), np.float32),
            file_to_vertex=np.concatenate(self._to_vertex).astype(np.int32),
            shapes=tuple(self._shapes),
            colours=np.concatenate(self._colours),
        )

    def binding(self, bones: Bones, joints: int) -> Binding:
        """What it follows, of so many joints."""
        return Binding(
            bones,
            np.ascontiguousarray(np.concatenate(self._influences), dtype=np.int32),
            np.ascontiguousarray(np.concatenate(self._weights), dtype=np.float32),
            joints,
        )
