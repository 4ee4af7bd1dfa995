"""What passes through what in a pose and did not at rest: contacts within a part, clipping of one part in another."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from plethos.core.geometry.topology import extent, outward_normals
from plethos.core.measure.contact import intersecting_pairs, not_among, triangle_boxes
from plethos.core.measure.signed_distance import PosedShell, Shell
from plethos.core.skin.mesh import Mesh

Places = NDArray[np.floating]
Pairs = NDArray[np.int32]
STILL = 1e-6  # of the height: what moved less than that did not move


@dataclass(frozen=True, eq=False)
class Clipped:
    """Where a part lies in another: the deepest vertex, and how much deeper than at rest, metres."""

    vertex: int
    depth: float


@dataclass(eq=False)
class Crossings:
    """The triangles of a mesh, made ready to be held against each other in one pose after the other.

    Parameters
    ----------
    mesh
        Of triangles.
    """

    mesh: Mesh
    _shells: dict[int, Shell] = field(default_factory=dict)
    _at_rest: dict[int, PosedShell] = field(default_factory=dict)
    _lay: dict[int, NDArray[np.float64]] = field(default_factory=dict)

    @cached_property
    def at_rest(self) -> Pairs:
        """Pairs ``(P, 2)`` of triangles that cross at rest."""
        return intersecting_pairs(self.mesh.rest, self.mesh.topology.triangles)

    @cached_property
    def part(self) -> NDArray[np.int32]:
        """The part ``(T,)`` that each triangle belongs to."""
        return self.mesh.part_numbers[self.mesh.topology.triangles[:, 0]]

    def posed(self, points: Places) -> PosedCrossings:
        """What crosses for posed points ``(V, 3)``.

        What did not move against rest, and what nothing that moved comes near, is not looked at.

        Raises
        ------
        BadPoseError
            When the pose is so torn that it cannot be counted.
        """
        return PosedCrossings(self, points, self._fresh(points))

    def _fresh(self, points: Places) -> Pairs:
        t = self.mesh.topology.triangles
        away = np.abs(points - self.mesh.rest).max(axis=1) > STILL * extent(self.mesh.rest)
        moved = away[t].any(axis=1)
        if not moved.any():
            return np.zeros((0, 2), np.int32)
        low, high = triangle_boxes(np.ascontiguousarray(points, np.float64), t)
        reach = [(low[k][moved].min(), high[k][moved].max()) for k in range(3)]
        near = np.logical_and.reduce([(high[k] >= a) & (low[k] <= b) for k, (a, b) in enumerate(reach)])
        kept = np.flatnonzero(near).astype(np.int32)
        now = kept[intersecting_pairs(points, t[kept])].reshape(-1, 2)
        return not_among(now, self.at_rest, len(t))

    def shell(self, part: int) -> Shell:
        """The surface of a part."""
        if part not in self._shells:
            self._shells[part] = Shell.of(self.wound[self.part == part])
        return self._shells[part]

    def lay_outside(self, part: int, vertices: NDArray[np.int32]) -> NDArray[np.float64]:
        """How far vertices lay outside a part at rest ``(N,)``, below 0 inside; worked out once for each."""
        known = self._lay.setdefault(part, np.full(len(self.mesh), np.nan))
        fresh = vertices[np.isnan(known[vertices])]
        if len(fresh):
            if part not in self._at_rest:
                self._at_rest[part] = self.shell(part).posed(self.mesh.rest)
            known[fresh] = self._at_rest[part].distances(self.mesh.rest[fresh])
        return known[vertices]

    def touched(self, part: int) -> NDArray[np.bool_]:
        """Which vertices ``(V,)`` are corners of a triangle that crosses one of a part at rest."""
        out = np.zeros(len(self.mesh), bool)
        for column in (0, 1):
            met = self.at_rest[self.part[self.at_rest[:, column]] == part, 1 - column]
            out[self.mesh.topology.triangles[met]] = True
        return out

    @cached_property
    def wound(self) -> NDArray[np.int32]:
        """The triangles ``(T, 3)`` as they are seen from outside: a piece may be wound inside out."""
        mesh, t = self.mesh, self.mesh.topology.triangles
        rest = mesh.rest.astype(np.float64)
        face = np.cross(rest[t[:, 1]] - rest[t[:, 0]], rest[t[:, 2]] - rest[t[:, 0]])
        with_normals = np.einsum("ti,ti->t", face, outward_normals(rest, mesh.topology)[t].sum(axis=1))
        piece = mesh.topology.pieces[t[:, 0]]
        inside_out = np.bincount(piece, weights=with_normals) < 0
        return np.where(inside_out[piece][:, None], t[:, [0, 2, 1]], t).astype(np.int32)


@dataclass(eq=False)
class PosedCrossings:
    """What crosses in one pose and did not at rest.

    Parameters
    ----------
    points
        ``(V, 3)``.
    fresh
        Pairs ``(P, 2)`` of triangles.
    """

    crossings: Crossings
    points: Places
    fresh: Pairs
    _shells: dict[int, PosedShell] = field(default_factory=dict)
    _away: dict[int, NDArray[np.float64]] = field(default_factory=dict)

    @cached_property
    def within_a_part(self) -> NDArray[np.bool_]:
        """Which of the pairs ``(P,)`` are of one part."""
        part = self.crossings.part[self.fresh]
        return np.asarray(part[:, 0] == part[:, 1])

    def deepest(self, pairs: Pairs, near: NDArray[np.bool_] | None = None) -> Clipped | None:
        """The deepest that one part lies in another; None where it is nowhere deeper than at rest: see `depths`.

        Parameters
        ----------
        near
            Vertices ``(V,)`` that count; None = all.
        """
        depths = self.depths(pairs)
        if near is not None:
            depths[~near] = 0.0
        vertex = int(np.argmax(depths))
        return Clipped(vertex, float(depths[vertex])) if depths[vertex] > 0 else None

    def depths(self, pairs: Pairs) -> NDArray[np.float64]:
        """How much deeper than at rest each vertex ``(V,)`` lies in another part.

        Looked for from where skin of the two crosses over what lies inside. What lay inside at rest without touching
        (a leg in its trousers) is where it belongs.

        Parameters
        ----------
        pairs
            Of `fresh` those ``(P, 2)`` of two parts that are looked at.
        """
        out = np.zeros(len(self.points))
        part, wound = self.crossings.part, self.crossings.wound
        for one, other in np.unique(part[pairs], axis=0).tolist():
            own = pairs[(part[pairs] == (one, other)).all(axis=1)]
            for column, into in ((0, other), (1, one)):
                begin, on = np.unique(wound[own[:, column]]), np.unique(wound[own[:, 1 - column]])
                self._sink(out, begin, on, into)
        return out

    def _sink(self, out: NDArray[np.float64], front: NDArray[np.int32], on: NDArray[np.int32], into: int) -> None:
        """Add the depths in one part of what hangs together with some vertices inside it."""
        mesh, touched = self.crossings.mesh, self.crossings.touched(into)
        seen = np.zeros(len(mesh), bool)
        while len(front):
            seen[front] = True
            depth = -self._outside(into, front, on)
            front, depth = front[depth > 0], depth[depth > 0]
            lay = self.crossings.lay_outside(into, front)
            own = (lay >= 0) | touched[front]
            front, more = front[own], (depth + np.minimum(lay, 0.0))[own]
            out[front] = np.maximum(out[front], more)
            beside = np.unique(mesh.topology.adjacency[front].indices)
            front = beside[~seen[beside]]

    def _outside(self, part: int, vertices: NDArray[np.int32], on: NDArray[np.int32]) -> NDArray[np.float64]:
        """How far vertices lie outside a part ``(N,)``, below 0 inside; worked out once for each.

        Parameters
        ----------
        on
            Vertices of the part where the two cross: nothing that is led into lies further inside than from those.
        """
        known = self._away.setdefault(part, np.full(len(self.points), np.nan))
        fresh = vertices[np.isnan(known[vertices])]
        if len(fresh):
            if part not in self._shells:
                self._shells[part] = self.crossings.shell(part).posed(self.points)
            known[fresh] = self._shells[part].distances_near(self.points[fresh], self.points[on])
        return known[vertices]
