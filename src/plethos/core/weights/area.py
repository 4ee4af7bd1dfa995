"""Automatic weights of a drawing: heat from the bones over the area that each thing in it fills."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.spatial import Delaunay, cKDTree
from shapely.geometry.base import BaseGeometry

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.geometry.laplacian import SurfaceLaplacian
from plethos.core.geometry.outlines import Drawn, Outlines, flattened
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import Topology, extent
from plethos.core.measure.open_fill import painted
from plethos.core.weights.bones import Segment, segments_of
from plethos.core.weights.heated import heated
from plethos.core.weights.layers import bones_of

ACROSS = 60  # triangles across the longer side of an area
ON_IT = 0.6  # of a thing that lies on another
LINE = 0.01  # of the drawing's height: half of how wide a line counts that fills nothing


def area_weights(character: Character, progress: Callable[[float], None] = lambda share: None) -> NDArray[np.float64]:
    """Weights ``(V, J)`` that sum to 1; a handle has those of its control point.

    Raises
    ------
    BadEditError
        When there is no joint to follow.
    """
    mesh, skeleton = character.mesh, character.skeleton
    bones = segments_of(skeleton)
    if not bones:
        raise BadEditError("The character has no joints that its skin could follow: lay a skeleton first.")
    weights = np.zeros((len(mesh), len(skeleton)))
    line = LINE * extent(mesh.rest)
    for k, (part, surface) in enumerate(mesh.outlines()):
        own = slice(*part.vertices)
        points = mesh.rest[own].astype(np.float64)
        covered = [_area(thing, surface, points, line) for thing in surface.drawn]
        largest = max((area for area, _ in covered), key=lambda a: float(a.area), default=None)
        for thing, (area, heads) in zip(surface.drawn, covered, strict=True):
            # What lies on the largest thing of its part (a stripe on a jersey) goes with that.
            shown = largest if largest is not None and largest.intersection(area).area > ON_IT * area.area else area
            found = bones_of(shown, bones, skeleton, f"{part.name} {thing.name}")
            weights[part.vertices[0] + heads] = _over(area, points, heads, found, len(skeleton))
        progress((k + 1) / len(mesh.parts))
    return mesh.of_controls(weights)


def rigid(weights: NDArray[np.floating]) -> NDArray[np.float64]:
    """Weights ``(V, J)`` with each vertex wholly given to the joint that holds most of it."""
    out = np.zeros(weights.shape)
    out[np.arange(len(weights)), weights.argmax(axis=1)] = 1.0
    return out


def _over(
    area: BaseGeometry, points: Array, heads: NDArray[np.intp], bones: list[Segment], joints: int
) -> NDArray[np.float64]:
    """Weights ``(C, J)`` of the control points whose first vertices ``(C,)`` are given."""
    places, triangles = _triangulated(area, points[heads, :2])
    solid = np.column_stack([places, np.zeros(len(places))])
    surface = SurfaceLaplacian.of(Topology(len(solid), triangles), solid)
    found = heated(surface, np.zeros_like(solid), bones, joints, lambda share: None).toarray()
    # A point that lies in no triangle takes what the nearest has.
    inside = np.unique(triangles)
    if len(inside) == 0:
        return found[: len(heads)]
    return found[inside[cKDTree(places[inside]).query(points[heads, :2])[1]]]


def _area(thing: Drawn, surface: Outlines, points: Array, line: float) -> tuple[BaseGeometry, NDArray[np.intp]]:
    """What a thing covers, and the first vertices of its control points."""
    covered: BaseGeometry = painted(thing, surface, points) if thing.fill is not None else shapely.Polygon()
    if covered.area < 1e-9:
        lines = [shapely.LineString(flattened(surface.segments(c, points), False)) for n in thing.curves
                 for c in [surface.curves[n]] if c.count > 1]  # fmt: skip
        covered = shapely.union_all(lines).buffer(line)
    return covered, 3 * surface.controls(thing)


def _triangulated(area: BaseGeometry, controls: Array) -> tuple[Array, NDArray[np.int32]]:
    """An area cut into triangles of about one size: places ``(P, 2)``, the control points first, and corners."""
    low_x, low_y, high_x, high_y = area.bounds
    step = max(high_x - low_x, high_y - low_y) / ACROSS
    rings = [r for g in getattr(area, "geoms", [area]) for r in (g.exterior, *g.interiors)]
    border = np.concatenate([np.array(shapely.segmentize(r, step).coords)[:-1] for r in rings])
    # Rows that are shifted by half: triangles of about equal sides.
    rows = np.arange(low_y, high_y, step * np.sqrt(3) / 2)
    row = np.arange(low_x, high_x, step)
    inner = np.concatenate([np.column_stack([row + (k % 2) * step / 2, np.full(len(row), y)])
                            for k, y in enumerate(rows)])  # fmt: skip
    shapely.prepare(area)
    inside = shapely.contains_xy(area, inner)
    inner = inner[inside]
    if len(inner):
        off = cKDTree(border).query(inner)[0]
        inner = inner[off > 0.5 * step]
    every = np.concatenate([controls, border, inner])
    # Points that lie together are one, or the triangles between them have no area.
    keep = _apart(every, 1e-3 * step, len(controls))
    places = every[keep]
    try:
        corners = Delaunay(places).simplices
    except (ValueError, RuntimeError):
        return places, np.zeros((0, 3), np.int32)
    middle = places[corners].mean(axis=1)
    return places, np.ascontiguousarray(corners[shapely.contains_xy(area, middle)], np.int32)


def _apart(places: Array, least: float, first: int) -> NDArray[np.intp]:
    """Which places to keep: the first ones, and all that are not on an earlier one."""
    dropped = np.zeros(len(places), bool)
    for _, b in cKDTree(places).query_pairs(least, output_type="ndarray").tolist():
        if b >= first:
            dropped[b] = True
    return np.flatnonzero(~dropped)
