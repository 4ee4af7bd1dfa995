"""The mesh of a character: its parts, their points and surfaces, and the shapes that came with the file."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadEditError
from plethos.core.geometry.borders import border_vertices
from plethos.core.geometry.laplacian import SurfaceLaplacian
from plethos.core.geometry.outlines import Outlines
from plethos.core.geometry.topology import Topology, outward_normals
from plethos.core.skeleton.symmetry import outline_mirror, vertex_mirror
from plethos.core.skin.shape import Shape


@dataclass(frozen=True, eq=False)
class Triangles:
    """A surface of triangles.

    Parameters
    ----------
    corners
        ``(T, 3)`` file vertices, counted from the first of the part: what is written.
    mirrored
        Whether the part lies mirrored in the world at rest, so that its triangles are seen the other way round.
    """

    corners: NDArray[np.int32]
    mirrored: bool = False

    @property
    def wound(self) -> NDArray[np.int32]:
        """The corners ``(T, 3)`` in the order in which they are seen from outside in the world."""
        return self.corners[:, [0, 2, 1]] if self.mirrored else self.corners


Surface = Triangles | Outlines


@dataclass(frozen=True, eq=False)
class Part:
    """One mesh, or one drawing of outlines, of the character.

    Parameters
    ----------
    name
        Unique among the parts.
    vertices
        Its range ``(start, stop)`` among the character's vertices.
    file_vertices
        Its range ``(start, stop)`` among the vertices as the file counts them.
    surface
        What joins its vertices.
    """

    name: str
    vertices: tuple[int, int]
    file_vertices: tuple[int, int]
    surface: Surface


@dataclass(frozen=True, eq=False)
class Mesh:
    """All parts together.

    Parameters
    ----------
    parts
        In the order of their vertices.
    points
        Rest points ``(V, 3)`` float32 in the space of their own part, as the file has them; vertices that the file
        splits along texture seams are one vertex here.
    rest
        ``(V, 3)`` float32, the same in the world, as they were read. Edits of joints and weights leave the skin there.
    file_to_vertex
        ``(F,)`` the vertex that each file vertex is a copy of. Found once, stored with the character: shapes, weights
        and regions count the vertices that it makes.
    shapes
        Shapes that came with the file, at their own constant weight.
    colours
        ``(V, 3)`` linear RGB for the screen, NaN where the file says none; None = nowhere.
    mirror_x
        Where the plane between the two sides lies, metres in the world at rest.
    channels
        ``(V, C)`` float32 numbers of a vertex that no skin moves but shapes may change: a stroke's width.
    """

    parts: tuple[Part, ...]
    points: NDArray[np.float32]
    rest: NDArray[np.float32]
    file_to_vertex: NDArray[np.int32]
    shapes: tuple[Shape, ...] = ()
    colours: NDArray[np.float32] | None = None
    mirror_x: float = 0.0
    channels: NDArray[np.float32] | None = None

    def __len__(self) -> int:
        return len(self.points)

    @cached_property
    def widths(self) -> NDArray[np.float32] | None:
        """How wide the stroke is at rest at each control point ``(V / 3,)`` of a drawing; None for a solid."""
        return None if self.channels is None else widths_of(self.channels)

    @cached_property
    def topology(self) -> Topology:
        """Neighbours over the joined-up vertices; triangles that have no area by construction are left out."""
        t = self.file_to_vertex[self._all_corners(wound=True)]
        proper = (t[:, 0] != t[:, 1]) & (t[:, 1] != t[:, 2]) & (t[:, 2] != t[:, 0])
        drawn = [p.surface.edges + np.int32(p.vertices[0]) for p in self.parts if isinstance(p.surface, Outlines)]
        lines = np.concatenate(drawn).astype(np.int32) if drawn else None
        return Topology(len(self.points), np.ascontiguousarray(t[proper]), lines)

    @cached_property
    def is_flat(self) -> bool:
        """Whether it is a drawing: outlines, and no triangles."""
        return all(isinstance(p.surface, Outlines) for p in self.parts)

    def outlines(self) -> Iterator[tuple[Part, Outlines]]:
        """The parts that are drawn, with their outlines."""
        for part in self.parts:
            if isinstance(part.surface, Outlines):
                yield part, part.surface

    def of_controls(self, values: NDArray[Any]) -> NDArray[Any]:
        """Values ``(V, ...)`` with those of a control point given to its handles too: what binds it binds all three."""
        if not any(self.outlines()):
            return values
        out = values.copy()
        for part, _ in self.outlines():
            start, stop = part.vertices
            out[start + 1 : stop : 3] = out[start + 2 : stop : 3] = out[start:stop:3]
        return out

    def _all_corners(self, wound: bool) -> NDArray[np.int32]:
        corners = [
            (p.surface.wound if wound else p.surface.corners) + np.int32(p.file_vertices[0])
            for p in self.parts
            if isinstance(p.surface, Triangles)
        ]
        return np.concatenate([np.zeros((0, 3), np.int32), *corners]).astype(np.int32)

    @cached_property
    def file_triangles(self) -> NDArray[np.int32]:
        """``(T, 3)`` indices of *file* vertices: what is written."""
        return self._all_corners(wound=False)

    @cached_property
    def first_copies(self) -> NDArray[np.int64]:
        """The first file vertex ``(V,)`` that is a copy of each vertex: how written documents name vertices."""
        return np.asarray(np.unique(self.file_to_vertex, return_index=True)[1], np.int64)

    @cached_property
    def pairs(self) -> NDArray[np.int32]:
        """The mirror image of each vertex ``(V,)`` at rest, -1 for none."""
        if not self.is_flat:
            return vertex_mirror(self.rest, self.mirror_x)
        things = [p.vertices[0] + 3 * s.controls(d) for p, s in self.outlines() for d in s.drawn]
        return outline_mirror(self.rest, things, self.mirror_x)

    @cached_property
    def border(self) -> NDArray[np.bool_]:
        """Which vertices ``(V,)`` lie on an open border, or where another part's border touches them at rest."""
        return border_vertices(self.topology, self.rest)

    @cached_property
    def part_numbers(self) -> NDArray[np.int32]:
        """The part ``(V,)`` that each vertex belongs to."""
        sizes = [stop - start for start, stop in (p.vertices for p in self.parts)]
        return np.repeat(np.arange(len(sizes), dtype=np.int32), sizes)

    @cached_property
    def outward(self) -> NDArray[np.float64]:
        """Unit normals ``(V, 3)`` at rest that point out of each piece of skin: see `outward_normals`."""
        return np.asarray(outward_normals(self.rest.astype(np.float64), self.topology), np.float64)

    @cached_property
    def laplacian(self) -> SurfaceLaplacian:
        """Of the skin at rest."""
        return SurfaceLaplacian.of(self.topology, self.rest.astype(np.float64))

    @cached_property
    def areas(self) -> NDArray[np.float64]:
        """A third of the area of the triangles round each vertex ``(V,)`` at rest, square metres."""
        t, p = self.topology.triangles, self.rest.astype(np.float64)
        doubled = np.linalg.norm(np.cross(p[t[:, 1]] - p[t[:, 0]], p[t[:, 2]] - p[t[:, 0]]), axis=1)
        return np.asarray(np.bincount(t.ravel(), weights=np.repeat(doubled / 6, 3), minlength=len(p)))

    def part(self, name: str) -> Part:
        """The part of that name.

        Raises
        ------
        BadEditError
            When there is none.
        """
        for part in self.parts:
            if part.name == name:
                return part
        raise BadEditError(f"There is no part called “{name}” in this character.")

    def triangles_of(self, part: Part) -> NDArray[np.int32]:
        """A part's triangles ``(T, 3)``, counted from its first vertex."""
        t, (first, last) = self.topology.triangles, part.vertices
        return t[(t[:, 0] >= first) & (t[:, 0] < last)] - np.int32(first)


def widths_of(channels: NDArray[np.floating]) -> NDArray[np.float32]:
    """The widths ``(V / 3,)`` at control points among the channels ``(V, C)`` of a drawing."""
    return np.ascontiguousarray(channels[::3, 0], np.float32)
