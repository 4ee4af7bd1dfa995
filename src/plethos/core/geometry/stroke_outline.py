"""Strokes whose width varies, as areas: SVG has one width for a line."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import shapely
from numpy.typing import NDArray

from plethos.core.geometry.outlines import AFTER, BEFORE, POINT, Drawn, Outlines, Stroke, is_straight, points_on
from plethos.core.geometry.rotations import Array

STEPS = 10  # of a curved segment


def stroke_polygon(drawn: Drawn, surface: Outlines, points: Array, widths: NDArray[np.floating]) -> list[Array]:
    """The rings ``(N, 2)``, y up, of the area that a line covers whose width goes evenly from point to point.

    Parameters
    ----------
    points, widths
        ``(N, 3)`` and ``(N,)`` of the part's vertices; a control point's width stands at its first vertex.

    Notes
    -----
    Discs along the line, each pair of neighbours under one hull: round joins and ends.
    """
    hulls = []
    for number in drawn.curves:
        for run in _runs(drawn, surface, number):
            bezier, radii = _line(run, points, widths)
            for k, straight in enumerate(is_straight(bezier).tolist()):
                t = np.linspace(0, 1, 2 if straight else STEPS + 1)
                places = points_on(bezier[k : k + 1], t)[0]
                wide = np.maximum((1 - t) * radii[k] + t * radii[k + 1], 0)
                discs = [shapely.Point(p).buffer(max(r, 1e-9), quad_segs=8) for p, r in zip(places, wide, strict=True)]
                hulls += [shapely.union(a, b).convex_hull for a, b in pairwise(discs)]
    whole = shapely.union_all(hulls)
    polygons = [g for g in getattr(whole, "geoms", [whole]) if isinstance(g, shapely.Polygon) and not g.is_empty]
    rings = []
    for polygon in polygons:
        oriented = shapely.orient_polygons(polygon)
        rings += [np.array(r.coords)[:-1] for r in (oriented.exterior, *oriented.interiors)]
    return rings


def ribbon(drawn: Drawn, surface: Outlines, points: Array, widths: NDArray[np.floating]) -> list[Array]:
    """The same as rings ``(N, 2)``, y up, whose number of points does not depend on the pose: for animations.

    Notes
    -----
    The line's two sides, half of its width off along its normals; square ends. A closed line is two rings, one within
    the other and the other way round.
    """
    rings = []
    for number in drawn.curves:
        curve = surface.curves[number]
        for run in _runs(drawn, surface, number):
            bezier, radii = _line(run, points, widths)
            t = np.arange(STEPS) / STEPS
            line = points_on(bezier, t).reshape(-1, 2)
            wide = ((1 - t) * radii[:-1, None] + t * radii[1:, None]).ravel()
            round_it = curve.closed and len(run) > curve.count
            if not round_it:
                line, wide = np.concatenate([line, bezier[-1:, 3]]), np.append(wide, radii[-1])
            rings += _sides(line, np.maximum(wide, 0), round_it)
    return rings


def _runs(drawn: Drawn, surface: Outlines, number: int) -> list[list[int]]:
    """The runs of control points of one of its curves that are joined by a line."""
    return (drawn.stroke or Stroke("")).runs(surface.curves[number])


def _line(run: list[int], points: Array, widths: NDArray[np.floating]) -> tuple[Array, Array]:
    """The segments ``(S, 4, 2)`` of a run, and half of the width at its control points ``(S + 1,)``."""
    heads = 3 * np.array(run)
    rows = [heads[:-1] + POINT, heads[:-1] + AFTER, heads[1:] + BEFORE, heads[1:] + POINT]
    bezier = np.stack([points[r, :2] for r in rows], axis=1)
    return bezier, 0.5 * np.asarray(widths[heads], np.float64)


def _sides(line: Array, wide: Array, closed: bool) -> list[Array]:
    """What lies on either side of a line, as one ring, or two round a closed one."""
    along = np.roll(line, -1, axis=0) - np.roll(line, 1, axis=0)
    if not closed:
        along[0], along[-1] = line[1] - line[0], line[-1] - line[-2]
    along = along / np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-12)
    off = np.stack([-along[:, 1], along[:, 0]], axis=1) * wide[:, None]
    left, right = line + off, (line - off)[::-1]
    return [left, right] if closed else [np.concatenate([left, right])]
