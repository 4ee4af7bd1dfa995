"""Push apart: move skin that has gone into other skin, or into itself, back out of it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import Topology
from plethos.core.measure.contact import fresh_pairs, intersecting_pairs
from plethos.core.sculpt.session import Dab, SculptSurface

ROUNDS, TOUCHES = 150, 4  # at most, for one click and for one touch of the brush
STEPS = (0.5, 0.1)  # of an edge: how far skin goes in a round, at first and once little is left
CALM = 0.5  # the slope under which a vertex goes less far than that
SPREAD = 5  # rings of neighbours that go along, so that the skin stays smooth
BACK, BACKS, TRIES = 0.2, 15, 3  # of the way back, how often, and how often it is tried with less
EVEN, CRUMPLED = 0.5, 2  # of the way to the middle of its neighbours, for what is crumpled and so many rings round
FLAT = 0.1  # sine under which an edge counts as lying in the triangle that it crosses


def push_apart(surface: SculptSurface, dab: Dab) -> NDArray[np.int32]:
    """Push apart what crosses under the brush, a little with each touch. Returns the vertices that moved."""
    touched = surface.touch(dab)
    shares = np.zeros(surface.topology.count)
    shares[touched.vertices] = np.minimum(4 * touched.shares, 1)
    if not len(touched.vertices):
        return touched.vertices
    room = _Room.of(surface.topology, surface.points, surface.rest, shares)
    *_, last = _rounds(room, surface.points, TOUCHES)
    # A few touches hardly lower the count of crossings yet, however far they got on the way: what comes last counts.
    moved = np.flatnonzero((last.points != surface.points).any(axis=1))
    surface.points[moved] = last.points[moved]
    return np.asarray(moved, np.int32)


@dataclass(frozen=True, eq=False)
class Pushed:
    """How far pushing apart has got.

    Parameters
    ----------
    points
        ``(V, 3)``.
    left
        How many pairs of triangles still cross, of those where something may move.
    rounds
        That were made.
    """

    points: Array
    left: int
    rounds: int


def pushed_apart(topology: Topology, points: Array, rest: NDArray[np.floating], shares: Array) -> Pushed:
    """The round after which least crosses, of all that `pushing_apart` makes."""
    return min(pushing_apart(topology, points, rest, shares), key=lambda p: (p.left, -p.rounds))


def pushing_apart(
    topology: Topology, points: Array, rest: NDArray[np.floating], shares: Array, rounds: int = ROUNDS
) -> Iterator[Pushed]:
    """Bring what has gone into other skin out of it again, round by round, until nothing crosses.

    Parameters
    ----------
    points, rest
        ``(V, 3)`` as they are, and at rest: what crossed there already is left alone.
    shares
        ``(V,)`` how far each vertex may move: 0 not at all, 1 all the way.
    rounds
        At most.

    Yields
    ------
    Pushed
        What there was before the first round, and after each.

    Notes
    -----
    Volino and Magnenat-Thalmann, "Resolving surface collisions through intersection contour minimization", 2006 (from
    memory): skin moves so that the curve along which it crosses grows shorter, until there is none. No vertex has to
    be told which side is its own. Neighbours going along, the smaller steps at the end, and evening out what is
    crumpled then, are ours.
    """
    if not (shares > 0).any():
        yield Pushed(points.copy(), 0, 0)
        return
    yield from _rounds(_Room.of(topology, points, rest, shares), points, rounds)


def _rounds(room: _Room, points: Array, rounds: int) -> Iterator[Pushed]:
    """What `pushing_apart` yields, in a room that is known."""
    before = points[room.local]
    now, most, least = before.copy(), 1, 10**9

    def whole(moved: Array) -> Array:
        out = points.copy()
        out[room.local] = moved
        return out

    for made in range(rounds + 1):
        pairs = room.pairs(now)
        most = max(most, len(pairs))
        yield Pushed(whole(now), len(pairs), made)
        if len(pairs) == 0:
            if made and rounds == ROUNDS:
                yield Pushed(whole(_back(room, before, now)), 0, made + 1)
            return
        few, stuck = len(pairs) <= most / 20, len(pairs) >= least
        least = min(least, len(pairs))
        step = STEPS[1] if few else STEPS[0]
        slope = _slope(now, room.near, pairs)
        length = np.linalg.norm(slope, axis=1)[:, None]
        way = step * room.edge * slope / np.sqrt(length**2 + CALM**2)
        now = now + room.free[:, None] * room.spread(way)
        if few or stuck:
            # What is left then is crumpled, folded over within an edge or two: no curve tells its way out.
            uneven = EVEN * room.free * room.crossing(pairs, CRUMPLED)
            now = now + uneven[:, None] * (room.beside @ now - now)


@dataclass(frozen=True, eq=False)
class _Room:
    """What is near to what may move; all of it counted among its own vertices.

    Parameters
    ----------
    local
        ``(N,)`` which vertices it has: those of the triangles in the bounding box of what moves and of some rings more.
    shares
        ``(N,)`` how far each may move.
    near
        ``(T, 3)`` the triangles in the box; crossings are sought among them.
    at_rest
        The pairs of them that cross at rest.
    beside
        ``(N, N)`` sparse: the mean of the neighbours of each.
    edge
        Median length of an edge, metres.
    """

    local: NDArray[np.intp]
    shares: Array
    near: NDArray[np.int32]
    at_rest: NDArray[np.int32]
    beside: sparse.csr_matrix
    edge: float

    @classmethod
    def of(cls, topology: Topology, points: Array, rest: NDArray[np.floating], shares: Array) -> _Room:
        moving = np.flatnonzero(topology.grow(shares > 0, SPREAD))
        low, high = points[moving].min(axis=0), points[moving].max(axis=0)
        within = ((points >= low) & (points <= high)).all(axis=1)
        # A triangle that only crosses the box without a corner in it is longer than the box is wide: there is none.
        near = topology.triangles[within[topology.triangles].any(axis=1)]
        local = np.union1d(near.reshape(-1), moving)
        number = np.full(topology.count, -1, np.int32)
        number[local] = np.arange(len(local), dtype=np.int32)
        near = np.ascontiguousarray(number[near])
        corners = points[local][near]
        edge = float(np.median(np.linalg.norm(corners[:, 0] - corners[:, 1], axis=1))) if len(near) else 1.0
        rows = topology.adjacency[local][:, local].astype(np.float64)
        counts = np.maximum(np.asarray(rows.sum(axis=1)).ravel(), 1)
        beside = sparse.csr_matrix(sparse.diags(1 / counts) @ rows)
        then = np.asarray(rest[local], np.float64)
        return cls(local, np.asarray(shares, np.float64)[local], near, intersecting_pairs(then, near), beside, edge)

    def pairs(self, points: Array) -> NDArray[np.int32]:
        """The pairs ``(P, 2)`` of triangles that cross and did not at rest, where a corner may move."""
        found = fresh_pairs(points, self.near, self.at_rest)
        return found[(self.shares > 0)[self.near[found]].any(axis=(1, 2))]

    @cached_property
    def free(self) -> Array:
        """How far each vertex ``(N,)`` may go of what all go, 0 to 1."""
        return np.clip(self.shares, 0, 1)

    def crossing(self, pairs: NDArray[np.int32], rings: int) -> NDArray[np.bool_]:
        """The vertices ``(N,)`` of triangles that cross, and so many rings round them."""
        caught = np.zeros(len(self.local), bool)
        caught[np.unique(self.near[pairs])] = True
        for _ in range(rings):
            caught = self.around(caught)
        return caught

    def around(self, mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """A mask widened by one ring."""
        return np.asarray(mask | (self.beside @ mask.astype(np.float64) > 0))

    def spread(self, way: Array) -> Array:
        """The ways ``(N, 3)`` with neighbours going along."""
        must = (way != 0).any(axis=1)[:, None]
        out = way
        for _ in range(SPREAD):
            out = 0.5 * (np.where(must, way, out) + self.beside @ out)
        return np.asarray(out)


def _slope(points: Array, triangles: NDArray[np.int32], pairs: NDArray[np.int32]) -> Array:
    """The way ``(V, 3)`` in which each vertex shortens the curve of crossing most, by metre of it."""
    edges, others = _edges_through(points, triangles, pairs)
    start, end, beside, along, u, v = edges
    edge = _unit(points[end] - points[start])
    a, b, c = (points[others[:, k]] for k in range(3))
    normal = _unit(np.cross(b - a, c - a))
    own = _unit(np.cross(points[end] - points[start], points[beside] - points[start]))
    # The curve runs on from the edge into the edge's own triangle, along the line where the two planes meet.
    curve = _unit(np.cross(normal, own))
    curve *= np.where(np.einsum("nc,nc->n", curve, np.cross(own, edge)) < 0, -1.0, 1.0)[:, None]
    across = np.einsum("nc,nc->n", edge, normal)
    across = np.where(np.abs(across) < FLAT, np.where(across < 0, -FLAT, FLAT), across)
    way = curve - 2 * (np.einsum("nc,nc->n", edge, curve) / across)[:, None] * normal
    out = np.zeros_like(points)
    np.add.at(out, start, (1 - along)[:, None] * way)
    np.add.at(out, end, along[:, None] * way)
    for k, share in enumerate((1 - u - v, u, v)):
        np.add.at(out, others[:, k], -share[:, None] * way)
    return out


def _edges_through(
    points: Array, triangles: NDArray[np.int32], pairs: NDArray[np.int32]
) -> tuple[list[Any], NDArray[np.int32]]:
    """Every edge of a triangle of each pair that goes through the other one.

    Returns
    -------
    edges
        Start, end and the third corner of the edge's triangle ``(N,)``; where along the edge, and the two coordinates
        in the other triangle.
    others
        ``(N, 3)`` corners of that one.
    """
    one, other = np.concatenate([pairs, pairs[:, ::-1]]).T
    found = []
    corners = triangles[other]
    first, second, third = (points[corners[:, k]] for k in range(3))
    for k in range(3):
        start, end, beside = (triangles[one, (k + turn) % 3] for turn in range(3))
        edge, e1, e2 = points[end] - points[start], second - first, third - first
        h, s = np.cross(edge, e2), points[start] - first
        q = np.cross(s, e1)
        with np.errstate(divide="ignore", invalid="ignore"):
            by = 1 / np.einsum("nc,nc->n", e1, h)
            u, v, along = (by * np.einsum("nc,nc->n", x, y) for x, y in ((s, h), (edge, q), (e2, q)))
            hit = (u >= 0) & (v >= 0) & (u + v <= 1) & (along >= 0) & (along <= 1)
        found.append([x[hit] for x in (start, end, beside, along, u, v, corners)])
    *edges, others = (np.concatenate(parts) for parts in zip(*found, strict=True))
    return edges, others


def _back(room: _Room, before: Array, now: Array) -> Array:
    """The points ``(N, 3)`` with each brought back to where it was, as far as nothing crosses again.

    Shortening the curve takes more flesh away than it has to: this gives it back.
    """
    free = room.shares > 0
    for _ in range(BACKS):
        wish = now + BACK * np.where(free[:, None], before - now, 0.0)
        for _ in range(TRIES):
            pairs = room.pairs(wish)
            if len(pairs) == 0:
                now = wish
                break
            free &= ~room.crossing(pairs, 0)
            caught = room.crossing(pairs, 1)
            wish[caught] = now[caught]
    return now


def _unit(vectors: Array) -> Array:
    return np.asarray(vectors / np.maximum(np.linalg.norm(vectors, axis=1), 1e-30)[:, None])
