"""The Laplacian of a skin at rest: what spreads over it goes by that."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.rotations import Array
from plethos.core.topology import Corners, Topology


@dataclass(frozen=True, eq=False)
class SurfaceLaplacian:
    """Points, what lies beside what, and the Laplacian of those that triangles hold.

    The Laplacian takes half of the time that automatic weights take, and joints do not matter to it: a mesh keeps it.

    Parameters
    ----------
    topology, points
        Of all V vertices; points ``(V, 3)`` float64 at rest.
    inside
        ``(N,)`` the vertices that triangles hold, ascending.
    matrix, areas
        L ``(N, N)`` and the area of each ``(N,)``.
    """

    topology: Topology
    points: Array
    inside: NDArray[np.int32]
    matrix: sparse.csr_matrix
    areas: Array

    @classmethod
    def of(cls, topology: Topology, points: Array) -> SurfaceLaplacian:
        """A surface made ready; open borders, several pieces, flat triangles and lone vertices work."""
        inside = np.unique(topology.triangles)
        if not len(inside):
            return cls(topology, points, inside, sparse.csr_matrix((0, 0)), np.zeros(0))
        number = np.full(len(points), -1, dtype=np.int32)
        number[inside] = np.arange(len(inside), dtype=np.int32)
        return cls(topology, points, inside, *laplacian_of(points[inside], number[topology.triangles]))


def laplacian_of(points: Array, triangles: Corners) -> tuple[sparse.csr_matrix, Array]:
    """The Laplacian ``(V, V)`` and the area ``(V,)`` of each vertex of any triangles ``(T, 3)``.

    References
    ----------
    Sharp and Crane, "A Laplacian for nonmanifold triangle meshes", SGP 2020 (title from memory).
    """
    import robust_laplacian

    laplacian, area = robust_laplacian.mesh_laplacian(np.asarray(points, np.float64), np.asarray(triangles, np.int64))
    return sparse.csr_matrix(laplacian), np.asarray(area.diagonal())
