"""Edge loops on a mesh of triangles that was one of quads: the loop that a double click on an edge picks."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadEditError
from plethos.core.geometry.topology import Topology

MOST = 4096  # a loop longer than this is a spiral


class QuadEdges:
    """The edges of the quads that a mesh's triangles were cut from.

    Parameters
    ----------
    topology, points
        Points ``(V, 3)`` at rest: an edge that is the longest side of both its triangles was the cut through a quad.
    """

    def __init__(self, topology: Topology, points: NDArray[np.floating]) -> None:
        starts = topology.triangles.astype(np.int64)
        ends = np.roll(starts, -1, axis=1)
        self.topology, self.size = topology, topology.count
        keys = np.minimum(starts, ends) * self.size + np.maximum(starts, ends)
        length = np.linalg.norm(points[starts] - points[ends], axis=2)
        longest = np.take_along_axis(keys, length.argmax(axis=1)[:, None], axis=1).ravel()
        found, times = np.unique(longest, return_counts=True)
        self._diagonals = set(found[times > 1].tolist())
        found, times = np.unique(keys.ravel(), return_counts=True)
        self._borders = set(found[times == 1].tolist())

    def _key(self, a: int, b: int) -> int:
        return min(a, b) * self.size + max(a, b)

    def nearest(self, triangle: int, at: NDArray[np.floating], points: NDArray[np.floating]) -> tuple[int, int]:
        """The edge of a triangle that is nearest to a place on it; never the diagonal of a quad.

        Parameters
        ----------
        at, points
            The place ``(3,)`` and the vertices ``(V, 3)`` as they are posed.

        Raises
        ------
        BadEditError
            When there is no such triangle.
        """
        if not 0 <= triangle < len(self.topology.triangles):
            raise BadEditError("That place does not lie on the character.")
        corners = self.topology.triangles[triangle].tolist()
        sides = list(zip(corners, corners[1:] + corners[:1], strict=True))
        sides = [s for s in sides if self._key(*s) not in self._diagonals] or sides

        def away(side: tuple[int, int]) -> float:
            start, along = points[side[0]], points[side[1]] - points[side[0]]
            t = np.clip((at - start) @ along / max(float(along @ along), 1e-18), 0, 1)
            return float(np.linalg.norm(start + t * along - at))

        return min(sides, key=away)

    def loop(self, a: int, b: int) -> NDArray[np.int32]:
        """The vertices of the loop through the edge from `a` to `b`.

        It goes straight on where four edges meet, ends where another number does, and follows a border along it.
        """
        ahead = self._walk(a, b)
        if ahead and ahead[-1] == a:
            return np.array([b, *ahead], dtype=np.int32)
        return np.array([*reversed(self._walk(b, a)), a, b, *ahead], dtype=np.int32)

    def _walk(self, a: int, b: int) -> list[int]:
        """The vertices after `b`, coming from `a`, until the loop ends or is back at `a`."""
        out: list[int] = []
        start = a
        while len(out) < MOST:
            ahead = self._straight_on(a, b)
            if ahead is None or ahead in out:
                break
            out.append(ahead)
            if ahead == start:
                break
            a, b = b, ahead
        return out

    def _straight_on(self, a: int, b: int) -> int | None:
        offsets, around = self.topology.vertex_triangles
        following: dict[int, int] = {}
        for triangle in around[offsets[b] : offsets[b + 1]].tolist():
            corners = self.topology.triangles[triangle].tolist()
            k = corners.index(b)
            following[corners[(k + 1) % 3]] = corners[(k + 2) % 3]
        if self._key(a, b) in self._borders:
            beside = set(following) | set(following.values())
            other = [n for n in beside if n != a and self._key(n, b) in self._borders]
            return other[0] if len(other) == 1 else None
        ring, at = [], a
        for _ in range(len(following)):
            if self._key(at, b) not in self._diagonals:
                ring.append(at)
            if at not in following:
                return None  # the fan is open: b lies on a border
            at = following[at]
        return ring[2] if at == a and len(ring) == 4 else None
