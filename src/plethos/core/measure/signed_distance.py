"""How far places lie outside a surface of triangles, or inside it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import igl
import numpy as np
from numpy.typing import NDArray

Places = NDArray[np.floating]
ROUND = 0.5  # the winding number over which a place is inside


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

    def posed(self, points: Places) -> PosedShell:
        """As it is with the mesh's points ``(V, 3)``."""
        own = np.ascontiguousarray(points[self.vertices], np.float64)
        tree, around = igl.AABB(), igl.FastWindingNumberBVH()
        tree.init(own, self.triangles)
        around.init(own, self.triangles)
        return PosedShell(self, own, tree, around)


@dataclass(frozen=True, eq=False)
class PosedShell:
    """A shell in a pose: its points ``(N, 3)``, and what finds those near a place."""

    shell: Shell
    points: NDArray[np.float64]
    tree: Any
    around: Any

    def distances(self, places: Places) -> NDArray[np.float64]:
        """How far each place ``(P, 3)`` lies from it ``(P,)``, below 0 inside.

        Inside is where the surface goes more than half way round: below a hem one is behind the cloth, not in it.
        Generalised winding numbers: Jacobson, Kavan and Sorkine-Hornung 2013; fast ones: Barill and others 2018.
        """
        if not len(places):
            return np.zeros(0)
        p = np.ascontiguousarray(places, np.float64)
        squared = self.tree.squared_distance(self.points, self.shell.triangles, p)[0]
        signed: NDArray[np.float64] = np.where(self.around.winding_number(p) > ROUND, -1.0, 1.0) * np.sqrt(squared)
        return signed
