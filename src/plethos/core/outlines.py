"""Outlines: the surface of a flat part, made of cubic curves.

A control point is three vertices that follow each other: the point, the handle before it and the handle after it.
So skin, weights and shapes treat outlines as they treat triangles; only what is measured on them differs.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from plethos.core.rotations import Array

BEFORE, AFTER = 1, 2  # where a control point's handles lie behind it


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


@dataclass(frozen=True)
class Fill:
    """Closed curves that are filled together, by their numbers; colour is linear RGB."""

    curves: tuple[int, ...]
    colour: tuple[float, float, float]
    rule: Literal["nonzero", "evenodd"] = "nonzero"


@dataclass(frozen=True)
class Outlines:
    """Cubic curves as SVG writes them, in the order of painting.

    Parameters
    ----------
    curves
        Of the part's control points.
    fills
        What is filled.
    strokes
        The curves that are drawn as lines, by their numbers.
    """

    curves: tuple[Curve, ...]
    fills: tuple[Fill, ...] = ()
    strokes: tuple[int, ...] = ()

    def segments(self, curve: Curve, points: NDArray[np.floating]) -> Array:
        """The Bezier points ``(S, 4, 2)`` of a curve's segments; `points` ``(N, 3)`` are those of the part."""
        own = points[3 * curve.first : 3 * (curve.first + curve.count), :2].astype(np.float64).reshape(-1, 3, 2)
        after = np.roll(own, -1, axis=0)
        bezier = np.stack([own[:, 0], own[:, AFTER], after[:, BEFORE], after[:, 0]], axis=1)
        return bezier if curve.closed else bezier[:-1]

    def area(self, curve: Curve, points: NDArray[np.floating]) -> float:
        """Signed area inside a closed curve, square metres, counter-clockwise above 0.

        Notes
        -----
        Green's theorem, exact for cubic curves: ``half the integral of x dy - y dx`` over each segment.
        """
        b = self.segments(curve, points)

        def cross(i: int, j: int) -> Array:
            return np.asarray(b[:, i, 0] * b[:, j, 1] - b[:, i, 1] * b[:, j, 0])

        terms = 6 * cross(0, 1) + 3 * cross(0, 2) + cross(0, 3) + 3 * cross(1, 2) + 3 * cross(1, 3) + 6 * cross(2, 3)
        return float(terms.sum() / 20)
