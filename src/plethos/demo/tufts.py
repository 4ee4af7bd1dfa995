"""Moustache and brows: tapered tufts along a curve drawn onto the face."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.interpolate import CubicSpline
from scipy.spatial import cKDTree

from plethos.demo.cage import Cage
from plethos.demo.implicit import Field, Points, value_and_gradient
from plethos.demo.pieces import Colour, Piece, plain, swept

ROUND = np.linspace(0, 2 * np.pi, 10, endpoint=False)


def tuft(
    name: str, cage: Cage, field: Callable[[Points], Field], curve: ArrayLike, widths: ArrayLike, colour: Colour
) -> Piece:
    """A closed tube of quads that lies on the face, flat towards it; it moves with the skin under it.

    Parameters
    ----------
    curve
        ``(K, 3)`` places it runs through, ends included; drawn onto the face from in front.
    widths
        ``(K,)`` half its width at each, centimetres.
    """
    curve, widths = np.asarray(curve, float), np.asarray(widths, float)
    t = np.linspace(0, 1, len(curve))
    fine = np.linspace(0, 1, 8 * len(curve) + 1)
    middle, width = CubicSpline(t, curve)(fine), np.maximum(CubicSpline(t, widths)(fine), 0.06)
    middle = _onto(middle, field)
    _, out = value_and_gradient(field, middle)
    for _ in range(20):  # the tuft turns more slowly than the skin under it
        out[1:-1] = (out[:-2] + out[1:-1] + out[2:]) / 3
    out /= np.linalg.norm(out, axis=1, keepdims=True)
    along = np.gradient(middle, axis=0)
    up = np.cross(out, along)
    up /= np.linalg.norm(up, axis=1, keepdims=True)
    rise = np.where(np.sin(ROUND) > 0, 0.62, 0.22) * np.sin(ROUND)
    rings = (
        middle[:, None]
        + width[:, None, None] * (np.cos(ROUND)[:, None] * up[:, None] + rise[:, None] * out[:, None])
        + (0.22 * width + 0.06)[:, None, None] * out[:, None]
    )
    points, quads = swept(rings)
    points = _clear_of(points, field)
    _, body = cKDTree(cage.points).query(points)
    return Piece(name, points, quads, plain(len(points), colour), None, body)


def _onto(points: Points, field: Callable[[Points], Field]) -> Points:
    """Points moved along z onto the skin."""
    points = points.copy()
    for _ in range(25):
        value, gradient = value_and_gradient(field, points)
        points[:, 2] -= np.clip(value / np.maximum(gradient[:, 2], 0.3), -1, 1)
    return points


def _clear_of(points: Points, field: Callable[[Points], Field], gap: float = 0.07) -> NDArray[np.float64]:
    """Points at least `gap` off the skin."""
    for _ in range(6):
        value, gradient = value_and_gradient(field, points)
        short = np.clip(gap - value, 0, 1)
        points = points + gradient / np.maximum(np.linalg.norm(gradient, axis=1), 0.3)[:, None] * short[:, None]
    return points
