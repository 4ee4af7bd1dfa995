"""Paths as svgelements reads them, made into runs of control points of cubic curves."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from typing import Any

import numpy as np


def runs_of(segments: Iterable[Any]) -> Iterator[tuple[list[list[Any]], bool]]:
    """The runs of a path's segments as control points ``[point, before, after]``, and whether each is closed."""
    run: list[list[Any]] = []
    closed = False
    last: tuple[str, Any] = ("", None)
    for segment in segments:
        kind = type(segment).__name__
        if kind == "Move":
            if run:
                yield run, closed
            run, closed, last = [_corner(segment.end)], False, ("", None)
            continue
        if closed:  # goes on after a closing: from where that run began
            yield run, True
            run, closed = [_corner(run[0][0])], False
        if kind == "Close":
            closed = True
            # A last point that lies on the first one is that one.
            if len(run) > 2 and np.hypot(*(np.array(run[-1][0]) - run[0][0])) <= 1e-6 * _size(run):
                run[0][1] = run[-1][1]
                run.pop()
            continue
        if not run:
            run = [_corner(segment.start)]
        first = _first_control(segment, kind, last)
        last = (kind, _last_control(segment, kind, first))
        for one, two, end in _cubics(segment, kind, first):
            run[-1][2] = one
            run.append([end, two, end])
    if run:
        yield run, closed


def _first_control(segment: Any, kind: str, last: tuple[str, Any]) -> Any:
    """The first control point of a curve; None for what is no curve.

    Of a curve that goes on smoothly it is the last one before it, seen through its start, but only after a curve of the
    same kind (SVG 1.1, 8.3.6 and 8.3.7): the package takes that of any curve.
    """
    if kind not in ("CubicBezier", "QuadraticBezier"):
        return None
    told = _pair(segment.control1 if kind == "CubicBezier" else segment.control)
    if not segment.smooth:
        return told
    x, y = _pair(segment.start)
    return (2 * x - last[1][0], 2 * y - last[1][1]) if last[0] == kind else (x, y)


def _last_control(segment: Any, kind: str, first: Any) -> Any:
    return _pair(segment.control2) if kind == "CubicBezier" else first


def _cubics(segment: Any, kind: str, first: Any) -> Iterator[tuple[Any, Any, Any]]:
    """A segment as cubic curves: two handles and the end of each. An arc is one for every quarter that it spans."""
    if kind == "Arc":
        quarters = max(1, math.ceil(abs(float(segment.sweep)) / (math.pi / 2) - 1e-9))
        # The package's handles touch the arc's curvature; these keep its radius to 2.8e-4 of a quarter's.
        turn = abs(float(segment.sweep)) / quarters
        theirs = math.sin(turn) * (math.sqrt(4 + 3 * math.tan(turn / 2) ** 2) - 1) / 3
        longer = 4 / 3 * math.tan(turn / 4) / theirs if theirs > 1e-12 else 1.0
        for curve in segment.as_cubic_curves(quarters):
            ends = (curve.start, curve.control1, curve.control2, curve.end)
            a, one, two, d = (np.array(_pair(p)) for p in ends)
            yield tuple((a + longer * (one - a)).tolist()), tuple((d + longer * (two - d)).tolist()), tuple(d.tolist())
        return
    start, end = _pair(segment.start), _pair(segment.end)
    if kind == "CubicBezier":
        yield first, _pair(segment.control2), end
    elif kind == "QuadraticBezier":
        before, after = ([p + 2 / 3 * (m - p) for p, m in zip(at, first, strict=True)] for at in (start, end))
        yield tuple(before), tuple(after), end
    else:
        yield start, end, end


def _corner(point: Any) -> list[Any]:
    at = point if isinstance(point, tuple) else _pair(point)
    return [at, at, at]


def _pair(point: Any) -> tuple[float, float]:
    return (float(point.x), float(point.y))


def _size(run: list[list[Any]]) -> float:
    places = np.array([c[0] for c in run])
    return max(float(np.abs(places - places[0]).max()), 1e-12)
