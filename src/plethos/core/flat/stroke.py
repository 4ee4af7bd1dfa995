"""Strokes whose width varies, as areas: SVG has one width for a line."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import shapely
from numpy.typing import NDArray

from plethos.core.outlines import AFTER, BEFORE, POINT, Drawn, Outlines, points_on
from plethos.core.rotations import Array

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
    hidden = set(drawn.stroke.hidden) if drawn.stroke else set()
    for number in drawn.curves:
        curve = surface.curves[number]
        own = points[3 * curve.first : 3 * (curve.first + curve.count), :2].reshape(-1, 3, 2)
        radii = 0.5 * np.asarray(widths[3 * curve.first : 3 * (curve.first + curve.count) : 3], np.float64)
        for k, control in enumerate(list(curve.controls)[: curve.count if curve.closed else curve.count - 1]):
            if control in hidden:
                continue
            after = (k + 1) % curve.count
            bezier = np.stack([own[k, POINT], own[k, AFTER], own[after, BEFORE], own[after, POINT]])
            straight = (bezier[0] == bezier[1]).all() and (bezier[2] == bezier[3]).all()
            t = np.linspace(0, 1, 2 if straight else STEPS + 1)
            places = points_on(bezier[None], t)[0]
            wide = np.maximum((1 - t) * radii[k] + t * radii[after], 0)
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
    hidden = set(drawn.stroke.hidden) if drawn.stroke else set()
    for number in drawn.curves:
        curve = surface.curves[number]
        own = points[3 * curve.first : 3 * (curve.first + curve.count), :2].reshape(-1, 3, 2)
        radii = 0.5 * np.asarray(widths[3 * curve.first : 3 * (curve.first + curve.count) : 3], np.float64)
        runs: list[list[int]] = []
        for k, control in enumerate(list(curve.controls)[: curve.count if curve.closed else curve.count - 1]):
            if control in hidden:
                continue
            if runs and runs[-1][-1] == k - 1:
                runs[-1].append(k)
            else:
                runs.append([k])
        t = np.arange(STEPS) / STEPS
        for run in runs:
            line, wide = [], []
            for k in run:
                after = (k + 1) % curve.count
                bezier = np.stack([own[k, POINT], own[k, AFTER], own[after, BEFORE], own[after, POINT]])
                line.append(points_on(bezier[None], t)[0])
                wide.append((1 - t) * radii[k] + t * radii[after])
            last = (run[-1] + 1) % curve.count
            round_it = len(run) == curve.count and curve.closed
            if not round_it:
                line.append(own[last, POINT][None])
                wide.append(radii[last][None])
            rings += _sides(np.concatenate(line), np.maximum(np.concatenate(wide), 0), round_it)
    return rings


def _sides(line: Array, wide: Array, closed: bool) -> list[Array]:
    """What lies on either side of a line, as one ring, or two round a closed one."""
    along = np.roll(line, -1, axis=0) - np.roll(line, 1, axis=0)
    if not closed:
        along[0], along[-1] = line[1] - line[0], line[-1] - line[-2]
    along = along / np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-12)
    off = np.stack([-along[:, 1], along[:, 0]], axis=1) * wide[:, None]
    left, right = line + off, (line - off)[::-1]
    return [left, right] if closed else [np.concatenate([left, right])]
