"""Outlines: the surface of a flat part, made of cubic curves.

A control point is three vertices that follow each other: the point, the handle before it and the handle after it.
So skin, weights and shapes treat outlines as they treat triangles; only what is measured on them differs.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal, TypeVar

import numpy as np
from numpy.typing import NDArray

from plethos.core.geometry.rotations import Array

T = TypeVar("T")

POINT, BEFORE, AFTER = 0, 1, 2  # where a control point and its handles lie among its three vertices


@dataclass(frozen=True)
class Curve:
    """A run of control points.

    Parameters
    ----------
    first, count
        Its control points, counted from the part's first.
    closed
        Whether the last is joined to the first.
    """

    first: int
    count: int
    closed: bool = True

    @property
    def controls(self) -> range:
        """Its control points, counted from the part's first."""
        return range(self.first, self.first + self.count)


@dataclass(frozen=True)
class Fill:
    """How the inside of closed curves is painted; `colour` as a drawing says it: ``#rrggbb``."""

    colour: str
    opacity: float = 1.0
    rule: Literal["nonzero", "evenodd"] = "nonzero"


@dataclass(frozen=True)
class Stroke:
    """How curves are painted as lines; how wide is a channel of each control point.

    Parameters
    ----------
    colour
        ``#rrggbb``.
    cap, join, miter, dashes
        As SVG has them.
    hidden
        The control points, counted from the part's first, whose edge to the next has no stroke.
    """

    colour: str
    opacity: float = 1.0
    cap: str = "butt"
    join: str = "miter"
    miter: float = 4.0
    dashes: str = ""
    hidden: tuple[int, ...] = ()

    def runs(self, curve: Curve) -> list[list[int]]:
        """The runs of control points of a curve that are joined by a line: hidden edges are where one ends."""
        controls = list(curve.controls)
        out: list[list[int]] = []
        for one, other in zip(controls, controls[1:] + controls[:1] * curve.closed, strict=False):
            if one in self.hidden:
                continue
            if out and out[-1][-1] == one:
                out[-1].append(other)
            else:
                out.append([one, other])
        return out


@dataclass(frozen=True)
class Drawn:
    """One thing that is painted: its inside first, then its line.

    Parameters
    ----------
    name
        As the drawing calls it.
    curves
        By their numbers.
    told
        Its path as its file says it, to be written so again where no point has moved: the same numbers are rounded
        alike wherever it is shown. Empty = it is to be worked out.
    """

    name: str
    curves: tuple[int, ...]
    fill: Fill | None = None
    stroke: Stroke | None = None
    told: str = ""


@dataclass(frozen=True)
class Outlines:
    """Cubic curves as SVG writes them.

    Parameters
    ----------
    curves
        Of the part's control points.
    drawn
        What is painted, in the order of painting.
    """

    curves: tuple[Curve, ...]
    drawn: tuple[Drawn, ...] = ()

    @cached_property
    def edges(self) -> NDArray[np.int32]:
        """``(E, 2)`` vertices, counted from the part's first, that are next to each other: points along their curve,
        and handles beside their point."""
        rows = []
        for curve in self.curves:
            own = np.arange(curve.first, curve.first + curve.count, dtype=np.int32) * 3
            after = np.roll(own, -1) if curve.closed else own[1:]
            rows.append(np.stack([own[: len(after)], after], axis=1))
            rows += [np.stack([own, own + k], axis=1) for k in (BEFORE, AFTER)]
        return np.concatenate([np.zeros((0, 2), np.int32), *rows]).astype(np.int32)

    def controls(self, drawn: Drawn) -> NDArray[np.intp]:
        """The control points of a drawn thing, counted from the part's first."""
        return np.concatenate([np.array(self.curves[n].controls, np.intp) for n in drawn.curves])

    def segments(self, curve: Curve, points: NDArray[np.floating]) -> Array:
        """The Bezier points ``(S, 4, 2)`` of a curve's segments; `points` ``(N, 3)`` are those of the part."""
        own = points[3 * curve.first : 3 * (curve.first + curve.count), :2].astype(np.float64).reshape(-1, 3, 2)
        after = np.roll(own, -1, axis=0)
        bezier = np.stack([own[:, POINT], own[:, AFTER], after[:, BEFORE], after[:, POINT]], axis=1)
        return bezier if curve.closed else bezier[:-1]

    def area(self, curve: Curve, points: NDArray[np.floating]) -> float:
        """Signed area inside a closed curve, square units, counter-clockwise above 0."""
        return area_under(self.segments(curve, points))


def area_under(bezier: Array) -> float:
    """Signed area inside a closed run of cubic curves ``(S, 4, 2)``, counter-clockwise above 0.

    Notes
    -----
    Green's theorem, exact for cubic curves: ``half the integral of x dy - y dx`` over each segment.
    """
    b = bezier

    def cross(i: int, j: int) -> Array:
        return np.asarray(b[:, i, 0] * b[:, j, 1] - b[:, i, 1] * b[:, j, 0])

    terms = 6 * cross(0, 1) + 3 * cross(0, 2) + cross(0, 3) + 3 * cross(1, 2) + 3 * cross(1, 3) + 6 * cross(2, 3)
    return float(terms.sum() / 20)


def points_on(bezier: Array, at: NDArray[np.floating]) -> Array:
    """Points ``(S, N, 2)`` of cubic curves ``(S, 4, 2)`` at parameters ``(N,)`` between 0 and 1."""
    return np.asarray(np.einsum("kn,skc->snc", bernstein(at), bezier))


def bernstein(at: float | NDArray[np.floating]) -> Array:
    """How much of its four points a cubic curve takes at parameters ``(N,)``: ``(4, N)``; of one parameter ``(4,)``."""
    t = np.asarray(at, np.float64)
    return np.stack([(1 - t) ** 3, 3 * t * (1 - t) ** 2, 3 * t**2 * (1 - t), t**3])


def crossed(bezier: Array, place: Array, along: Array) -> list[tuple[float, float]]:
    """Where a cubic curve ``(4, 2)`` crosses the line that goes through a place, at right angles to a way.

    Returns
    -------
    list
        For each crossing its parameter, 0 to 1, and how far it lies from the place, to the left of the way above 0.
    """
    a, b, c, d = (bezier - place) @ along
    left = (bezier - place) @ np.array([-along[1], along[0]])
    found = []
    for root in np.roots([d - 3 * c + 3 * b - a, 3 * (c - 2 * b + a), 3 * (b - a), a]):
        if abs(root.imag) <= 1e-9 and -1e-9 <= root.real <= 1 + 1e-9:
            t = min(max(float(root.real), 0.0), 1.0)
            found.append((t, float(bernstein(t) @ left)))
    return found


def flattened(bezier: Array, closed: bool, steps: int = 12) -> Array:
    """A run of cubic curves ``(S, 4, 2)`` as a polygon ``(N, 2)``; straight segments stay one edge each."""
    if len(bezier) == 0:
        return np.zeros((0, 2))
    straight = is_straight(bezier)
    inner = points_on(bezier, np.arange(steps) / steps)
    rows = [p[:1] if s else p for p, s in zip(inner, straight.tolist(), strict=True)]
    return np.concatenate(rows if closed else [*rows, bezier[-1:, 3]])


def is_straight(bezier: Array) -> NDArray[np.bool_]:
    """Which segments ``(S,)`` are straight: both handles lie in their points."""
    return np.asarray(
        (bezier[:, 0] == bezier[:, 1]).all(axis=1) & (bezier[:, 2] == bezier[:, 3]).all(axis=1), dtype=np.bool_
    )


def cut(points: Sequence[T], at: float, mix: Callable[[T, T, float], T]) -> tuple[list[T], list[T]]:
    """The four points of a cubic curve as those of the two on either side of a parameter, by de Casteljau's scheme.

    Parameters
    ----------
    mix
        What lies so far on the way from one point to another, whatever points are.
    """
    a, b, c, d = points
    ab, bc, cd = mix(a, b, at), mix(b, c, at), mix(c, d, at)
    abc, bcd = mix(ab, bc, at), mix(bc, cd, at)
    middle = mix(abc, bcd, at)
    return [a, ab, abc, middle], [middle, bcd, cd, d]
