"""How far places lie outside a surface of triangles, or inside it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import igl
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from plethos.core.geometry.topology import boundary_loops
from plethos.core.measure.contact import triangle_boxes

Places = NDArray[np.floating]
ROUND = 0.5  # the winding number over which a place is inside
CLOSED = 0.02  # of the vertices: with no more of them on open borders a surface goes round a body


@dataclass(frozen=True, eq=False)
class Shell:
    """Some triangles of a mesh, wound so that they are seen from outside.

    Parameters
    ----------
    vertices
        ``(N,)`` that they use, of the mesh, ascending.
    triangles
        ``(T, 3)`` among these.
    """

    vertices: NDArray[np.int32]
    triangles: NDArray[np.int64]

    @classmethod
    def of(cls, triangles: NDArray[np.int32]) -> Shell:
        """Of triangles ``(T, 3)`` of a mesh."""
        vertices, local = np.unique(triangles, return_inverse=True)
        return cls(vertices.astype(np.int32), np.ascontiguousarray(local.reshape(-1, 3), np.int64))

    @cached_property
    def is_closed(self) -> bool:
        """Whether it goes round a body; what has a wide open border, as a garment, does not."""
        open_ends = sum(len(loop) for loop in boundary_loops(self.triangles.astype(np.int32)))
        return open_ends <= CLOSED * len(self.vertices)

    def posed(self, points: Places) -> PosedShell:
        """As it is with the mesh's points ``(V, 3)``."""
        return PosedShell(self, np.ascontiguousarray(points[self.vertices], np.float64))


@dataclass(frozen=True, eq=False)
class PosedShell:
    """A shell in a pose: its points ``(N, 3)``."""

    shell: Shell
    points: NDArray[np.float64]

    def distances(self, places: Places) -> NDArray[np.float64]:
        """How far each place ``(P, 3)`` lies from it ``(P,)``, below 0 inside.

        Inside is where the surface goes more than half way round: below a hem one is behind the cloth, not in it.
        Generalised winding numbers: Jacobson, Kavan and Sorkine-Hornung 2013; fast ones: Barill and others 2018.
        """
        if not len(places):
            return np.zeros(0)
        p = np.ascontiguousarray(places, np.float64)
        squared = self._tree.squared_distance(self.points, self.shell.triangles, p)[0]
        return self._signed(p, np.sqrt(squared))

    def distances_near(self, places: Places, on: Places) -> NDArray[np.float64]:
        """The same of places that lie inside, from what of it is near: no further than some places that lie on it.

        Parameters
        ----------
        on
            ``(M, 3)`` at least one.

        Notes
        -----
        Of a closed surface the sign is that of the nearest triangle's normal (Baerentzen and Aanaes 2005), which asks
        for no tree of the whole in each pose.
        """
        p = np.ascontiguousarray(places, np.float64)
        reach = float(np.max(cKDTree(on).query(p)[0], initial=0.0))
        low, high = self._boxes
        near = np.ones(len(self.shell.triangles), bool)
        for k in range(3):
            near &= (low[k] <= p[:, k].max() + reach) & (high[k] >= p[:, k].min() - reach)
        own = self.shell.triangles[near]
        if self.shell.is_closed:
            signed: NDArray[np.float64] = igl.signed_distance(
                p, self.points, own, igl.SIGNED_DISTANCE_TYPE_PSEUDONORMAL
            )[0]
            return signed
        return self._signed(p, np.sqrt(igl.point_mesh_squared_distance(p, self.points, own)[0]))

    def _signed(self, places: NDArray[np.float64], away: NDArray[np.float64]) -> NDArray[np.float64]:
        inside = self._around.winding_number(places) > ROUND
        return np.asarray(np.where(inside, -away, away), np.float64)

    @cached_property
    def _boxes(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        low, high = triangle_boxes(self.points, self.shell.triangles)
        return low, high

    @cached_property
    def _tree(self) -> Any:
        tree = igl.AABB()
        tree.init(self.points, self.shell.triangles)
        return tree

    @cached_property
    def _around(self) -> Any:
        around = igl.FastWindingNumberBVH()
        around.init(self.points, self.shell.triangles)
        return around
