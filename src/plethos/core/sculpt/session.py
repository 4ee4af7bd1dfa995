"""A sculpt session: the skin held in a pose while brushes work on it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from math import isfinite
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadEditError
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import Topology
from plethos.core.regions.loops import QuadEdges
from plethos.core.sculpt import kernels

MOST = 1e6  # metres


@dataclass(frozen=True)
class Dab:
    """One touch of a brush.

    Parameters
    ----------
    triangle, at
        Where on the surface the brush is: a triangle and a place ``(3,)`` on it, world metres.
    radius
        Metres over the surface.
    strength
        0 to 1, pen pressure already in it; negative turns the brush over (inflate lets air out).
    drag
        Metres ``(3,)`` that the pointer has gone since the stroke began, in the world; read by brushes that hold
        the skin (`sculpt.DRAGS`).
    falloff
        The share of the radius over which the brush fades: 1 from its middle on, 0 not at all.
    """

    triangle: int
    at: tuple[float, float, float]
    radius: float
    strength: float
    drag: tuple[float, float, float] = (0.0, 0.0, 0.0)
    falloff: float = 1.0


@dataclass(frozen=True)
class Touched:
    """The vertices under a brush ``(N,)`` and how strongly it holds each of them, 1 in the middle, 0 at the rim."""

    vertices: NDArray[np.int32]
    shares: Array


@dataclass(eq=False)
class Hold:
    """What a stroke took hold of at its first dab.

    Parameters
    ----------
    touched
        The vertices ``(N,)`` and how strongly each is held.
    origin, normals
        Where they were ``(N, 3)``, and their unit normals then.
    ground
        The triangles round them as they were ``(T, 3, 3)``, and a tree of their middles; made by who slides on them.
    loop
        A stretch of an edge loop, its shares, and whether it is closed; found by who evens it.
    """

    touched: Touched
    origin: Array
    normals: Array
    ground: tuple[Array, Any] | None = None
    loop: tuple[NDArray[np.int32], Array, bool] | None = None


@dataclass
class SculptSurface:
    """The posed skin under the brush, changed in place.

    Parameters
    ----------
    topology
        Of the whole character.
    points
        Posed points ``(V, 3)`` float64 in the world: what the brushes move.
    start
        What they were when the session began.
    within
        ``(V,)`` how much a brush does at each vertex; None = all of it everywhere.
    at_rest
        The points ``(V, 3)`` at rest, for brushes that ask what lay over what, or where quads were cut; None = `start`.
    through
        ``(V,)`` the joint that moves each vertex most: the brush takes along other pieces of skin that it reaches
        through the air and that the same joints move, a sleeve over an arm; None = it stays on its own piece.
    """

    topology: Topology
    points: Array
    start: Array
    within: NDArray[np.float32] | None = None
    at_rest: NDArray[np.floating] | None = None
    through: NDArray[np.integer] | None = None
    _held: Hold | None = None
    _distance: Array = field(init=False)
    _touched: NDArray[np.int32] = field(init=False)

    def __post_init__(self) -> None:
        self._distance = np.full(len(self.points), np.inf)
        self._touched = np.empty(len(self.points), dtype=np.int32)

    def check(self, dab: Dab) -> None:
        """Refuse a dab whose triangle or numbers are out of range.

        Raises
        ------
        BadEditError
            Before anything is moved.
        """
        numbers = (*dab.at, *dab.drag, dab.radius, dab.strength, dab.falloff)
        if not 0 <= dab.triangle < len(self.topology.triangles) or not all(map(isfinite, numbers)) or dab.radius <= 0:
            raise BadEditError("That touch of the brush lies outside of the surface.")
        if max(map(abs, numbers)) > MOST:
            raise BadEditError("That touch of the brush is too large to mean anything.")

    def touch(self, dab: Dab) -> Touched:
        """The vertices that a dab reaches over the surface, and how strongly.

        Raises
        ------
        BadEditError
            When the triangle or a number of the dab is out of range.
        """
        self.check(dab)
        offsets, around = self.topology.vertex_triangles
        count = kernels.surface_reach(
            self.points,
            self.topology.triangles,
            offsets,
            around,
            dab.triangle,
            np.array(dab.at, dtype=np.float64),
            float(dab.radius),
            self._distance,
            self._touched,
        )
        reached = self._touched[:count].copy()
        distance = self._distance[reached]
        self._distance[reached] = np.inf
        if self.through is not None:
            reached, distance = self._through(self.through, dab, reached, distance)
        inside = distance < dab.radius
        fade = min(max(dab.falloff, 1e-6), 1.0)
        out = np.maximum(distance[inside] / dab.radius - (1 - fade), 0) / fade  # 0 where held whole, 1 at the rim
        reached, shares = reached[inside], (1 - out**2) ** 2
        if self.within is not None:
            shares = shares * self.within[reached]
            reached, shares = reached[shares > 0], shares[shares > 0]
        return Touched(reached, shares)

    def _through(
        self, mover: NDArray[np.integer], dab: Dab, reached: NDArray[np.int32], distance: Array
    ) -> tuple[NDArray[np.int32], Array]:
        """With the vertices of other pieces within the brush, through the air, that the same joints move."""
        pieces = self.topology.pieces
        own = pieces[self.topology.triangles[dab.triangle, 0]]
        away = np.linalg.norm(self.points - np.array(dab.at), axis=1)
        shared = np.isin(mover, mover[reached])
        others = np.flatnonzero((away < dab.radius) & (pieces != own) & shared).astype(np.int32)
        return np.concatenate([reached, others]), np.concatenate([distance, away[others]])

    def held(self, dab: Dab) -> Hold:
        """What the stroke took hold of at its first dab, and where that was."""
        if self._held is None:
            touched = self.touch(dab)
            self._held = Hold(touched, self.points[touched.vertices].copy(), self.normals(touched.vertices))
        return self._held

    @property
    def rest(self) -> NDArray[np.floating]:
        """The points ``(V, 3)`` at rest."""
        return self.start if self.at_rest is None else self.at_rest

    @cached_property
    def quad_edges(self) -> QuadEdges:
        """The edges of the quads that the triangles were cut from."""
        return QuadEdges(self.topology, self.rest)

    def normals(self, vertices: NDArray[np.int32]) -> Array:
        """Unit normals ``(N, 3)`` of some vertices as they are now."""
        out = np.empty((len(vertices), 3))
        kernels.normals_at(self.points, self.topology.triangles, *self.topology.vertex_triangles, vertices, out)
        return out

    def averages(self, vertices: NDArray[np.int32]) -> Array:
        """Average place ``(N, 3)`` of each vertex's neighbours."""
        out = np.empty((len(vertices), 3))
        beside: Any = self.topology.adjacency
        kernels.averages_at(self.points, beside.indptr, beside.indices, vertices, out)
        return out


# A brush moves some vertices of the surface in place and says which.
Brush = Callable[[SculptSurface, Dab], NDArray[np.int32]]
