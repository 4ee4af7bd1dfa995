"""What a fill covers, and where it opens: an even-odd fill that overlaps itself is empty there."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from plethos.core.geometry.outlines import Drawn, Outlines, flattened
from plethos.core.geometry.rotations import Array

STEPS = 16  # of a curved segment: an arc of a quarter keeps its area to 1e-4


def rings_of(drawn: Drawn, surface: Outlines, points: NDArray[np.floating]) -> list[Array]:
    """The curves of a drawn thing as polygons ``(N, 2)``, closed whether their line is or not."""
    found = []
    for number in drawn.curves:
        curve = surface.curves[number]
        ring = flattened(surface.segments(curve, points), curve.closed, STEPS)
        if len(ring) > 2:
            found.append(ring)
    return found


def windings(rings: list[Array], places: Array) -> NDArray[np.int64]:
    """How often the rings go round each place ``(P, 2)``, counter-clockwise above 0."""
    total = np.zeros(len(places), np.int64)
    for ring in rings:
        a, b = ring, np.roll(ring, -1, axis=0)
        side = (b[:, 0] - a[:, 0]) * (places[:, None, 1] - a[:, 1]) - (places[:, None, 0] - a[:, 0]) * (
            b[:, 1] - a[:, 1]
        )
        up = (a[:, 1] <= places[:, None, 1]) & (b[:, 1] > places[:, None, 1]) & (side > 0)
        down = (a[:, 1] > places[:, None, 1]) & (b[:, 1] <= places[:, None, 1]) & (side < 0)
        total += up.sum(axis=1) - down.sum(axis=1)
    return total


def open_faces(drawn: Drawn, surface: Outlines, points: NDArray[np.floating]) -> list[shapely.Polygon]:
    """Where a fill is empty although its curves go round: every even number of times, by the even-odd rule."""
    if drawn.fill is None or drawn.fill.rule != "evenodd":
        return []
    rings = rings_of(drawn, surface, points)
    lines = [shapely.LinearRing(r) for r in rings]
    if not lines or (len(lines) == 1 and lines[0].is_simple):
        return []
    return _faces(rings, lines, lambda w: (w != 0) & (w % 2 == 0))


def open_area(drawn: Drawn, surface: Outlines, points: NDArray[np.floating]) -> float:
    """The area of `open_faces`, square units: what is drawn open at rest is to be taken off."""
    return float(sum(f.area for f in open_faces(drawn, surface, points)))


def painted(drawn: Drawn, surface: Outlines, points: NDArray[np.floating]) -> BaseGeometry:
    """The area that a fill covers; curves that are not filled count as if they were, by the nonzero rule."""
    rings = rings_of(drawn, surface, points)
    lines = [shapely.LinearRing(r) for r in rings]
    if not lines:
        return shapely.Polygon()
    if len(lines) == 1 and lines[0].is_simple:
        return shapely.Polygon(lines[0])
    odd = drawn.fill is not None and drawn.fill.rule == "evenodd"
    return shapely.union_all(_faces(rings, lines, lambda w: w % 2 != 0 if odd else w != 0))


def _faces(rings, lines, wanted) -> list[shapely.Polygon]:  # type: ignore[no-untyped-def]
    """The faces that the lines cut the plane into whose winding number is a wanted one."""
    cut = shapely.polygonize([shapely.union_all(lines)]).geoms
    faces = [f for f in cut if isinstance(f, shapely.Polygon)]
    if not faces:
        return []
    inner = np.array([[p.x, p.y] for p in (f.representative_point() for f in faces)])
    return [f for f, on in zip(faces, wanted(windings(rings, inner)).tolist(), strict=True) if on]
