"""Where a joint bends a drawing: the area inside its outlines there, the width across its bones, fills that open."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.geometry.outlines import AFTER, BEFORE, POINT, Drawn, Outlines, area_under, bernstein, crossed
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import distance_over_surface
from plethos.core.measure.measured import Measured
from plethos.core.measure.open_fill import open_area, rings_of
from plethos.core.measure.region import shared_with
from plethos.core.skin.mesh import Part

MARGIN = 0.35  # how much further along the outline, of the region's radius, as for a solid
STATIONS = 13


@dataclass(frozen=True, eq=False)
class Stretch:
    """The segments of one closed curve that lie in the region; what lies outside is cut off by straight chords.

    Parameters
    ----------
    vertices
        ``(S, 4)`` the points and handles of each segment; a chord names its ends twice.
    sign
        1 or -1, so that what it goes round counts above 0 at rest and a hole below.
    """

    vertices: NDArray[np.int32]
    sign: float

    def area(self, points: Array) -> float:
        """What it goes round, square units."""
        return self.sign * area_under(points[self.vertices, :2])


@dataclass(frozen=True, eq=False)
class Widths:
    """Pairs of places on the outlines that lie across a bone from each other at rest.

    Parameters
    ----------
    vertices, basis
        ``(W, 2, 4)``: the points and handles of the two segments, and how much of each makes the place.
    """

    vertices: NDArray[np.int32]
    basis: Array

    def at(self, points: Array) -> Array:
        """The widths ``(W,)``."""
        ends = np.einsum("wek,wekc->wec", self.basis, points[self.vertices, :2])
        return np.asarray(np.linalg.norm(ends[:, 0] - ends[:, 1], axis=1))


@dataclass(frozen=True, eq=False)
class FlatSite:
    """A joint's region of a drawing, with its values at rest.

    Parameters
    ----------
    vertices
        ``(N,)`` of the things that the joint bends, ascending; what follows counts among these.
    stretches
        Their outlines near the joint.
    widths
        Across its bones.
    fills
        The fills that may open, with where their part's vertices begin among `vertices`, and what of each is open as
        it was drawn.
    volume
        The area at rest, square units; None where nothing is filled.
    """

    vertices: NDArray[np.int32]
    stretches: tuple[Stretch, ...]
    widths: Widths
    fills: tuple[tuple[Drawn, Outlines, int, float], ...]
    volume: float | None
    at_rest: Array

    @classmethod
    def of(cls, character: Character, joint: int) -> FlatSite:
        """Find the region of a joint.

        Raises
        ------
        BadEditError
            When the joint bends no outline.
        """
        mesh = character.mesh
        rest = mesh.rest.astype(np.float64)
        near = near_joint(character, joint)
        parts = [(p, s) for p, s in mesh.outlines() if near[slice(*p.vertices)].any()]
        vertices = np.concatenate([np.arange(*p.vertices, dtype=np.int32) for p, _ in parts])
        place = np.full(len(mesh), -1, np.int32)
        place[vertices] = np.arange(len(vertices), dtype=np.int32)
        own, points = near[vertices], rest[vertices]
        stretches: list[Stretch] = []
        fills: list[tuple[Drawn, Outlines, int, float]] = []
        edges: list[tuple[int, NDArray[np.int32]]] = []  # of each drawn thing the segments that may be cut
        things = 0  # so far, over all parts
        for part, surface in parts:
            start = int(place[part.vertices[0]])
            for thing in surface.drawn:
                stretches += _stretches(thing, surface, part, start, own, points)
                edges += [(things, e) for e in _segments(thing, surface, start, own)]
                things += 1
                if thing.fill is not None and thing.fill.rule == "evenodd":
                    fills.append((thing, surface, start, open_area(thing, surface, points[start:])))
        widths = _widths(character, joint, edges, points)
        area = sum(s.area(points) for s in stretches)
        return cls(vertices, tuple(stretches), widths, tuple(fills), area if area > 0 else None, widths.at(points))

    @property
    def why(self) -> tuple[str, ...]:
        """What cannot be measured, and why: a sentence for each."""
        out = []
        if self.volume is None:
            out.append("Nothing is filled here, so there is no area that could be kept.")
        if len(self.at_rest) == 0:
            out.append("No outline lies on both sides of the bone here, so it has no width.")
        return tuple(out)

    def measured(self, points: NDArray[np.floating]) -> Measured:
        """Measures of posed points ``(N, 3)`` of its vertices."""
        p = np.asarray(points, np.float64)
        area = None if self.volume is None else 100 * sum(s.area(p) for s in self.stretches) / self.volume
        widths = self.widths.at(p) / self.at_rest
        opened = sum(max(0.0, open_area(d, s, p[start:]) - drawn) for d, s, start, drawn in self.fills)
        open_percent = None if not self.volume else 100 * float(opened) / self.volume
        return Measured(area, 100 * float(widths.min()) if len(widths) else None, float(opened), open_percent)

    def with_skin(self, points: NDArray[np.floating]) -> Measured:
        """The same: outlines have no skin that could be stretched."""
        return self.measured(points)


def bends_outlines(character: Character, joint: int) -> bool:
    """Whether turning a joint bends any outline."""
    try:
        return bool(near_joint(character, joint).any())
    except BadEditError:
        return False


def near_joint(character: Character, joint: int) -> NDArray[np.bool_]:
    """The vertices ``(V,)`` of control points that lie where the joint bends an outline, with a margin along it.

    Raises
    ------
    BadEditError
        When it bends none.
    """
    mesh, skeleton = character.mesh, character.skeleton
    shared = shared_with(character, joint)
    if not shared.any():
        raise BadEditError(
            f"Turning “{skeleton.names[joint]}” bends no outline, so there is nothing to measure."
        )  # fmt: skip
    at = skeleton.rest_global[joint, :3, 3]
    distance = np.linalg.norm(mesh.rest - at, axis=1)
    shared &= distance <= 2.5 * float(np.median(distance[shared]))
    radius = float(np.sqrt(np.mean(distance[shared] ** 2)))
    within = np.isfinite(distance_over_surface(mesh.topology, mesh.rest, shared, MARGIN * radius))
    # One point further each way, so that the segments that lead out of the bend are whole.
    return np.asarray(mesh.of_controls(mesh.topology.grow(within, 1)), np.bool_)


def _segments(thing: Drawn, surface: Outlines, start: int, own: NDArray[np.bool_]) -> list[NDArray[np.int32]]:
    """The segments ``(4,)`` of a drawn thing whose two ends lie in the region."""
    out = []
    for number in thing.curves:
        curve = surface.curves[number]
        heads = start + 3 * np.array(curve.controls, np.int32)
        for k in range(curve.count if curve.closed else curve.count - 1):
            a, b = int(heads[k]), int(heads[(k + 1) % curve.count])
            if own[a] and own[b]:
                out.append(np.array([a + POINT, a + AFTER, b + BEFORE, b + POINT], np.int32))
    return out


def _stretches(
    thing: Drawn, surface: Outlines, part: Part, start: int, own: NDArray[np.bool_], points: Array
) -> list[Stretch]:
    """The filled outlines of a thing within the region."""
    if thing.fill is None:
        return []
    rings = [shapely.Polygon(r) for r in rings_of(thing, surface, points[start:])]
    out = []
    for number in thing.curves:
        curve = surface.curves[number]
        heads = start + 3 * np.array(curve.controls, np.int32)
        inside = np.flatnonzero(own[heads])
        if len(inside) < 2:
            continue
        rows = []
        for k, following in zip(inside.tolist(), np.roll(inside, -1).tolist(), strict=True):
            a, b = int(heads[k]), int(heads[following])
            joined = following == (k + 1) % curve.count and (curve.closed or following > k)
            rows.append([a, a + AFTER, b + BEFORE, b] if joined else [a, a, b, b])
        vertices = np.array(rows, np.int32)
        signed = area_under(points[vertices, :2])
        around = sum(r.is_valid and r.contains(shapely.Point(points[heads[0], :2])) for r in rings)
        sign = -1.0 if thing.fill.rule == "evenodd" and around % 2 == 1 else 1.0
        if thing.fill.rule == "nonzero" and around and np.sign(signed) != np.sign(_outer(rings, points[heads[0], :2])):
            sign = -1.0
        out.append(Stretch(vertices, sign * (float(np.sign(signed)) or 1.0)))
    return out


def _outer(rings: list[shapely.Polygon], place: Array) -> float:
    """1 or -1: how the largest ring round a place goes round."""
    around = [r for r in rings if r.is_valid and r.contains(shapely.Point(place))]
    return 1.0 if shapely.is_ccw(max(around, key=lambda r: r.area).exterior) else -1.0


def _widths(character: Character, joint: int, edges: list[tuple[int, NDArray[np.int32]]], points: Array) -> Widths:
    """Across the bones on either side of a joint, as far as the region goes."""
    skeleton = character.skeleton
    at = skeleton.rest_global[:, :2, 3]
    ways = []
    below, parent = skeleton.main_child(joint), skeleton.joint_parents[joint]
    if below is not None:
        ways.append(at[below] - at[joint])
    if parent >= 0:
        ways.append(at[parent] - at[joint])
    if not ways and edges:
        ways.append(points[edges[0][1][0], :2] - at[joint])
    places: list[NDArray[np.int32]] = []
    shares: list[Array] = []
    stations = np.linspace(0, 1, STATIONS // 2 + 1)
    for number, way in enumerate(ways):
        length = float(np.linalg.norm(way))
        if length < 1e-12:
            continue
        along = way / length
        reach = min(length, max((float((points[e[0], :2] - at[joint]) @ along) for _, e in edges), default=0.0))
        for s in stations[1:] if number else stations:  # the joint itself is a station once
            place = at[joint] + s * reach * along
            found = _across(place, along, edges, points)
            if found is not None:
                places.append(found[0])
                shares.append(found[1])
    if not places:
        return Widths(np.zeros((0, 2, 4), np.int32), np.zeros((0, 2, 4)))
    return Widths(np.stack(places), np.stack(shares))


def _across(
    place: Array, along: Array, edges: list[tuple[int, NDArray[np.int32]]], points: Array
) -> tuple[NDArray[np.int32], Array] | None:
    """The nearest places on either side of a bone where one thing's outline crosses the line through `place`."""
    best: dict[int, dict[bool, tuple[float, NDArray[np.int32], Array]]] = {}
    for number, edge in edges:
        for t, off in crossed(points[edge, :2], place, along):
            known, up = best.setdefault(number, {}), off > 0
            if up not in known or abs(off) < known[up][0]:
                known[up] = (abs(off), edge, bernstein(t))
    pairs = [k for k in best.values() if len(k) == 2]
    if not pairs:
        return None
    one, other = min(pairs, key=lambda k: k[True][0] + k[False][0]).values()
    return np.stack([one[1], other[1]]), np.stack([one[2], other[2]])
