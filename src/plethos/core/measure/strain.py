"""How much a region's skin is stretched, and how much of it is folded onto itself."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numba as nb
import numpy as np
from numpy.typing import NDArray

from plethos.core.geometry.rows import distinct_rows
from plethos.core.geometry.topology import triangle_edges

STRETCHED_MOST = 0.999  # of the edges' length at rest is stretched less than what is told: slivers say nothing of skin
# Cosines: an edge between triangles over 90 degrees apart that are under 30 now is folded.
OPEN, FOLDED = 0.0, math.cos(math.radians(30))


@dataclass(frozen=True, eq=False)
class Strain:
    """The edges of a region with their lengths and angles at rest.

    Parameters
    ----------
    edges
        ``(E, 2)`` vertices of the region; those without a length at rest are left out.
    at_rest
        ``(E,)`` their lengths, metres.
    wings
        ``(W, 4)``: of edges between two triangles that stood open at rest their ends, and the corners across from them.
    wing_length
        ``(W,)`` of those.
    length
        Of all these edges together, metres: what is folded is a share of it.
    """

    edges: NDArray[np.int32]
    at_rest: NDArray[np.float64]
    wings: NDArray[np.int32]
    wing_length: NDArray[np.float64]
    length: float

    @classmethod
    def of(cls, triangles: NDArray[np.int32], rest: NDArray[np.floating]) -> Strain:
        """Of triangles ``(T, 3)`` with points ``(N, 3)`` at rest."""
        points = rest.astype(np.float64)
        directed = triangle_edges(triangles)
        edges, number = distinct_rows(np.sort(directed, axis=1))
        lengths = np.linalg.norm(points[edges[:, 0]] - points[edges[:, 1]], axis=1)
        real = lengths > 0
        # The corner of each triangle across from its edges, the two of one edge side by side.
        across = triangles[:, [2, 0, 1]].ravel()[np.argsort(number, kind="stable")]
        count = np.bincount(number, minlength=len(edges))
        two, first = np.flatnonzero(count == 2), np.cumsum(count) - count
        wings = np.column_stack([edges[two], across[first[two]], across[first[two] + 1]]).astype(np.int32)
        stood = wing_cosines(points, wings) < OPEN
        return cls(edges[real], lengths[real], wings[stood], lengths[two][stood], float(lengths[real].sum()))

    def ratios(self, points: NDArray[np.floating]) -> NDArray[np.float64]:
        """Length against rest ``(E,)`` of each edge."""
        return np.asarray(edge_lengths(points, self.edges) / self.at_rest)

    def stretch(self, points: NDArray[np.floating]) -> float:
        """How many times as long the edge at 99.9 % of their length at rest is; 1 where there is none."""
        if not len(self.edges):
            return 1.0
        ratios = self.ratios(points)
        order = np.argsort(-ratios)
        beyond = np.cumsum(self.at_rest[order]) > (1 - STRETCHED_MOST) * self.length
        return float(ratios[order[beyond.argmax()]])

    def folded(self, points: NDArray[np.floating]) -> NDArray[np.bool_]:
        """Which of the wings ``(W,)`` are folded."""
        return np.asarray(wing_cosines(points, self.wings) > FOLDED)

    def fold(self, points: NDArray[np.floating]) -> float:
        """How much of the length of its edges is folded, percent."""
        if not self.length:
            return 0.0
        return 100 * float(self.wing_length[self.folded(points)].sum()) / self.length

    def worst(self, points: NDArray[np.floating], measure: str) -> int:
        """The vertex where the skin is stretched most, or at the longest edge that is folded."""
        if measure == "stretch":
            return int(self.edges[np.argmax(np.minimum(self.ratios(points), self.stretch(points))), 0])
        return int(self.wings[np.argmax(self.wing_length * self.folded(points)), 0])


@nb.njit(cache=True, nogil=True)
def edge_lengths(points, edges):  # type: ignore[no-untyped-def]
    """Lengths ``(E,)`` of edges ``(E, 2)``."""
    out = np.empty(len(edges))
    for e in range(len(edges)):
        a, b = edges[e, 0], edges[e, 1]
        x, y, z = points[a, 0] - points[b, 0], points[a, 1] - points[b, 1], points[a, 2] - points[b, 2]
        out[e] = np.sqrt(x * x + y * y + z * z)
    return out


@nb.njit(cache=True, nogil=True)
def wing_cosines(points, wings):  # type: ignore[no-untyped-def]
    """Cosines ``(W,)`` of the angle between the two triangles at an edge: -1 where they lie flat, 1 on each other."""
    out = np.empty(len(wings))
    for e in range(len(wings)):
        a, b, c, d = wings[e, 0], wings[e, 1], wings[e, 2], wings[e, 3]
        ux, uy, uz = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
        vx, vy, vz = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
        wx, wy, wz = points[d, 0] - points[a, 0], points[d, 1] - points[a, 1], points[d, 2] - points[a, 2]
        # Across the edge only.
        length = max(ux * ux + uy * uy + uz * uz, 1e-30)
        s, t = (ux * vx + uy * vy + uz * vz) / length, (ux * wx + uy * wy + uz * wz) / length
        vx, vy, vz = vx - s * ux, vy - s * uy, vz - s * uz
        wx, wy, wz = wx - t * ux, wy - t * uy, wz - t * uz
        size = np.sqrt((vx * vx + vy * vy + vz * vz) * (wx * wx + wy * wy + wz * wz))
        out[e] = (vx * wx + vy * wy + vz * wz) / size if size > 0 else -1.0
    return out
