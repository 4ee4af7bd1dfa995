"""Push apart: move skin that has gone into other skin, or into itself, back out of it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import Topology
from plethos.core.sculpt.push_room import PushRoom
from plethos.core.sculpt.session import Dab, SculptSurface

ROUNDS, TOUCHES = 150, 4  # at most, for one click and for one touch of the brush
PATIENCE = 40  # rounds in which nothing gets better, after which nothing will
STEPS = (0.5, 0.1)  # of an edge: how far skin goes in a round, at first and once little is left
CALM = 0.5  # the slope under which a vertex goes less far than that
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
    room = PushRoom.of(surface.topology, surface.points, surface.rest, shares)
    *_, last = pushing_in(room, surface.points, give_back=False, rounds=TOUCHES)
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


def pushing_apart(topology: Topology, points: Array, rest: NDArray[np.floating], shares: Array) -> Iterator[Pushed]:
    """Bring what has gone into other skin out of it again, round by round, until nothing crosses.

    Parameters
    ----------
    points, rest
        ``(V, 3)`` as they are, and at rest: what crossed there already is left alone.
    shares
        ``(V,)`` how far each vertex may move: 0 not at all, 1 all the way.

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
    yield from pushing_in(PushRoom.of(topology, points, rest, shares), points, give_back=True)


def pushed_in(room: PushRoom, points: Array, give_back: bool, rounds: int = ROUNDS) -> Pushed:
    """The round after which least crosses, in a room that is known: see `pushing_in`."""
    return min(pushing_in(room, points, give_back, rounds), key=lambda p: (p.left, -p.rounds))


def pushing_in(room: PushRoom, points: Array, give_back: bool, rounds: int = ROUNDS) -> Iterator[Pushed]:
    """What `pushing_apart` yields, in a room that is known.

    Parameters
    ----------
    give_back
        Whether what went further than it had to comes back in the end.
    rounds
        At most.
    """
    before = points[room.local]
    now, most, least, least_at = before.copy(), 1, 10**9, 0

    def whole(moved: Array) -> Array:
        out = points.copy()
        out[room.local] = moved
        return out

    for made in range(rounds + 1):
        pairs = room.pairs(now)
        most = max(most, len(pairs))
        yield Pushed(whole(now), len(pairs), made)
        if len(pairs) == 0:
            if made and give_back:
                yield Pushed(whole(_back(room, before, now)), 0, made + 1)
            return
        few, stuck = len(pairs) <= most / 20, len(pairs) >= least
        if len(pairs) < least:
            least, least_at = len(pairs), made
        elif made - least_at >= PATIENCE:
            return
        step = STEPS[1] if few else STEPS[0]
        slope = _slope(now, room.near, pairs)
        length = np.linalg.norm(slope, axis=1)[:, None]
        way = step * room.edge * slope / np.sqrt(length**2 + CALM**2)
        now = now + room.free[:, None] * room.spread(way)
        if few or stuck:
            # What is left then is crumpled, folded over within an edge or two: no curve tells its way out.
            uneven = EVEN * room.free * room.crossing(pairs, CRUMPLED)
            now = now + uneven[:, None] * (room.beside @ now - now)


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


def _back(room: PushRoom, before: Array, now: Array) -> Array:
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
