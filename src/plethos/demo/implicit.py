"""Implicit surfaces: negative inside, positive outside, roughly a distance in centimetres."""

from __future__ import annotations

from collections.abc import Sequence
from copy import copy

import numba as nb
import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.interpolate import PchipInterpolator
from scipy.spatial.transform import Rotation

Points = NDArray[np.float64]
Field = NDArray[np.float64]

FAR = 60.0  # what a primitive answers well outside of its box


def smooth_min(a: Field, b: Field, reach: float) -> Field:
    """Union of two solids with a fillet of about `reach`: quadratic polynomial smooth minimum."""
    h = np.maximum(reach - np.abs(a - b), 0) / reach
    return np.minimum(a, b) - h * h * reach * 0.25


def smooth_max(a: Field, b: Field, reach: float) -> Field:
    """Intersection of two solids with a rounded edge."""
    return -smooth_min(-a, -b, reach)


def turned(axis: ArrayLike, degrees: float) -> NDArray[np.float64]:
    """A rotation matrix."""
    return np.asarray(Rotation.from_rotvec(np.radians(degrees) * np.asarray(axis, float)).as_matrix())


class Solid:
    """A primitive with a box outside of which it is not worked out."""

    low: Points
    high: Points
    margin = 4.5

    def thicker(self, factor: float) -> Solid:
        """The same solid with its girth multiplied, its place and length kept."""
        raise NotImplementedError

    def moved(self, aside: float) -> Solid:
        """The same solid further from the middle, centimetres."""
        raise NotImplementedError

    def near(self, points: Points) -> NDArray[np.int64]:
        """The points that are near enough to be worked out."""
        return np.asarray(_inside(points, self.low - self.margin, self.high + self.margin))

    def __call__(self, points: Points) -> Field:
        near = self.near(points)
        out = np.full(len(points), FAR)
        if len(near):
            out[near] = self.distance(points[near])
        return out

    def distance(self, points: Points) -> Field:
        raise NotImplementedError


@nb.njit(cache=True, nogil=True)
def _inside(points, low, high):  # type: ignore[no-untyped-def]
    """The points that lie in a box."""
    found = np.empty(len(points), np.int64)
    count = 0
    for n in range(len(points)):
        x, y, z = points[n]
        if low[0] <= x <= high[0] and low[1] <= y <= high[1] and low[2] <= z <= high[2]:
            found[count] = n
            count += 1
    return found[:count]


class Muscle(Solid):
    """A chain of tapered capsules along a smooth curve through (place, radius) nodes.

    Parameters
    ----------
    nodes
        ``(place, radius)`` pairs.
    flat
        ``(axis, factor)``: squashed along the axis by the factor.
    samples
        Pieces a stretch between two nodes.
    """

    def __init__(
        self, *nodes: tuple[ArrayLike, float], flat: tuple[ArrayLike, float] | None = None, samples: int = 5
    ) -> None:
        chain = np.array([[*np.asarray(place, float), radius] for place, radius in nodes])
        self.chain = _catmull_rom(chain, samples)
        self.flat_axis, self.flat_factor = None, 1.0
        if flat is not None:
            axis = np.asarray(flat[0], float)
            self.flat_axis, self.flat_factor = axis / np.linalg.norm(axis), flat[1]
        self._bound()

    def _bound(self) -> None:
        widest = self.chain[:, 3].max()
        self.low, self.high = self.chain[:, :3].min(0) - widest, self.chain[:, :3].max(0) + widest

    def thicker(self, factor: float) -> Muscle:
        other = copy(self)
        other.chain = self.chain * [1, 1, 1, factor]
        other._bound()
        return other

    def moved(self, aside: float) -> Muscle:
        other = copy(self)
        other.chain = self.chain + np.array([aside, 0, 0, 0])
        other._bound()
        return other

    def distance(self, points: Points) -> Field:
        axis = np.zeros(3) if self.flat_axis is None else self.flat_axis
        return np.asarray(_chain_distance(np.ascontiguousarray(points), self.chain, axis, self.flat_factor))


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _chain_distance(points, chain, axis, factor):  # type: ignore[no-untyped-def]
    """Distance to tapered capsules, squashed along `axis` by `factor`."""
    out = np.empty(len(points))
    for n in range(len(points)):
        nearest = np.inf
        for k in range(len(chain) - 1):
            ax, ay, az = chain[k + 1, 0] - chain[k, 0], chain[k + 1, 1] - chain[k, 1], chain[k + 1, 2] - chain[k, 2]
            px, py, pz = points[n, 0] - chain[k, 0], points[n, 1] - chain[k, 1], points[n, 2] - chain[k, 2]
            t = min(max((px * ax + py * ay + pz * az) / max(ax * ax + ay * ay + az * az, 1e-9), 0.0), 1.0)
            px, py, pz = px - t * ax, py - t * ay, pz - t * az
            across = px * axis[0] + py * axis[1] + pz * axis[2]
            squared = px * px + py * py + pz * pz + (factor * factor - 1) * across * across
            nearest = min(nearest, np.sqrt(squared) - (chain[k, 3] + (chain[k + 1, 3] - chain[k, 3]) * t))
        out[n] = nearest / np.sqrt(factor)
    return out


class Ellipsoid(Solid):
    """An ellipsoid with radii along the rows of `frame`."""

    def __init__(self, centre: ArrayLike, radii: ArrayLike, frame: NDArray[np.float64] | None = None) -> None:
        self.centre, self.radii = np.array(centre, float), np.array(radii, float)
        self.frame = np.eye(3) if frame is None else frame
        self._bound()

    def _bound(self) -> None:
        self.low, self.high = self.centre - self.radii.max(), self.centre + self.radii.max()

    def thicker(self, factor: float) -> Ellipsoid:
        return Ellipsoid(self.centre, self.radii * factor, self.frame)

    def moved(self, aside: float) -> Ellipsoid:
        return Ellipsoid(self.centre + np.array([aside, 0, 0]), self.radii, self.frame)

    def distance(self, points: Points) -> Field:
        q = (points - self.centre) @ self.frame.T
        k = np.sqrt(((q / self.radii) ** 2).sum(1))
        slope = np.sqrt(((q / self.radii**2) ** 2).sum(1))
        return np.asarray(k * (k - 1) / np.maximum(slope, 1e-6))


Group = list[tuple[Solid, float]]  # a solid and the reach of its fillet with those before it


def union(group: Group, points: Points) -> Field:
    """The solids of a group joined one after the other, each with its own fillet."""
    out = np.full(len(points), FAR)
    for solid, fillet in group:
        near = solid.near(points)
        if len(near) == 0:
            continue
        value, before = solid.distance(points[near]), out[near]
        out[near] = smooth_min(before, value, fillet) if fillet else np.minimum(before, value)
    return out


class Loft(Solid):
    """A stack of superellipses.

    Parameters
    ----------
    rows
        ``(height, half width, front depth, back depth, centre z, exponent)``, ascending in height.
    """

    def __init__(self, rows: Sequence[Sequence[float]]) -> None:
        table = np.array(rows, float)
        self.bottom, self.top = table[0, 0], table[-1, 0]
        self.profile = PchipInterpolator(table[:, 0], table[:, 1:], axis=0)
        width, front, back = table[:, 1].max(), table[:, 2].max(), table[:, 3].max()
        self.low = np.array([-width, self.bottom, -back - 4])
        self.high = np.array([width, self.top, front + 4])

    def distance(self, points: Points) -> Field:
        width, front, back, centre, power = self.profile(np.clip(points[:, 1], self.bottom, self.top)).T
        z = points[:, 2] - centre
        depth = np.where(z > 0, front, back)
        u, v = np.abs(points[:, 0]) / width, np.abs(z) / depth
        k = (u**power + v**power + 1e-12) ** (1 / power)
        slope = np.sqrt((u ** (power - 1) / width) ** 2 + (v ** (power - 1) / depth) ** 2 + 1e-12) * k ** (1 - power)
        side = (k - 1) / np.maximum(slope, 1e-3)
        side = np.where(k < 0.3, -np.minimum(width, depth) * 0.7, side)
        ends = np.maximum(self.bottom - points[:, 1], points[:, 1] - self.top)
        return smooth_max(side, ends, 3.0)


def _catmull_rom(nodes: NDArray[np.float64], samples: int) -> NDArray[np.float64]:
    if len(nodes) == 2:
        return nodes
    padded = np.vstack([2 * nodes[0] - nodes[1], nodes, 2 * nodes[-1] - nodes[-2]])
    rows = []
    for i in range(1, len(padded) - 2):
        a, b, c, d = padded[i - 1 : i + 3]
        for t in np.linspace(0, 1, samples, endpoint=False):
            cubic = (3 * b - a - 3 * c + d) * t**3 + (2 * a - 5 * b + 4 * c - d) * t * t + (c - a) * t + 2 * b
            rows.append(0.5 * cubic)
    return np.array([*rows, nodes[-1]])


_TETRAHEDRON = np.array([[1, -1, -1], [-1, -1, 1], [-1, 1, -1], [1, 1, 1]], float)


def value_and_gradient(field, points: Points, step: float = 0.06) -> tuple[Field, Points]:  # type: ignore[no-untyped-def]
    """The field and its gradient from four samples round each point."""
    samples = [field(points + step * corner) for corner in _TETRAHEDRON]
    gradient = sum(corner * s[:, None] for corner, s in zip(_TETRAHEDRON, samples, strict=True)) / (4 * step)
    return sum(samples) / 4, gradient
