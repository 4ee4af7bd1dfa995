"""The Laplacian of a skin at rest: what spreads over it goes by that."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import Corners, Topology

FLAT = 1e-5  # of the mean edge: by how much two sides of a triangle are longer than the third, at least


@dataclass(frozen=True, eq=False)
class SurfaceLaplacian:
    """Points, what lies beside what, and the Laplacian of those that triangles hold.

    The Laplacian takes a good part of the time that automatic weights take, and joints do not matter to it: a mesh
    keeps it.

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
        held = np.zeros(len(points), bool)
        held[topology.triangles] = True
        inside = np.flatnonzero(held).astype(np.int32)
        if not len(inside):
            return cls(topology, points, inside, sparse.csr_matrix((0, 0)), np.zeros(0))
        number = np.full(len(points), -1, dtype=np.int32)
        number[inside] = np.arange(len(inside), dtype=np.int32)
        return cls(topology, points, inside, *laplacian_of(points[inside], number[topology.triangles]))


def laplacian_of(points: Array, triangles: Corners) -> tuple[sparse.csr_matrix, Array]:
    """The Laplacian ``(V, V)`` and the area ``(V,)`` of each vertex of any triangles ``(T, 3)``.

    Nothing beside the diagonal is positive, so that what spreads by it stays between what it started from.

    References
    ----------
    Sharp and Crane, "A Laplacian for nonmanifold triangle meshes", SGP 2020; Fisher, Springborn, Schroeder and
    Bobenko, "An algorithm for the construction of intrinsic Delaunay triangulations", 2007 (titles from memory).
    """
    p, t = np.asarray(points, np.float64), np.asarray(triangles, np.int64)
    matrix, areas = _of_manifold(p, t) if _is_manifold(t, len(p)) else _of_any(p, t)
    laplacian = sparse.csr_matrix(matrix)  # symmetric, so that rows are columns
    rows = np.repeat(np.arange(len(p), dtype=np.int32), np.diff(laplacian.indptr))
    itself = laplacian.indices == rows
    # An edge that could not be turned without doubling another is left out: a few of a hundred thousand.
    beside = np.where(itself, 0.0, np.minimum(laplacian.data, 0.0))
    laplacian.data = np.where(itself, -np.bincount(rows, weights=beside, minlength=len(p))[rows], beside)
    return laplacian, areas


def _is_manifold(triangles: NDArray[np.int64], count: int) -> bool:
    """Whether no edge is gone along twice in one direction: two triangles at an edge at most, turned alike."""
    keys = np.sort((triangles * count + np.roll(triangles, -1, axis=1)).ravel())
    return not (keys[1:] == keys[:-1]).any()


def _of_manifold(points: Array, triangles: NDArray[np.int64]) -> tuple[sparse.csc_matrix, Array]:
    """The same of a surface whose edges have two sides at most, five times as fast."""
    import igl

    lengths = igl.edge_lengths(points, triangles)
    # Triangles without area get some, as in the paper: all edges longer by what the flattest lacks.
    slack = lengths.sum(axis=1) - 2 * lengths.max(axis=1)
    lengths += max(0.0, FLAT * lengths.mean() - slack.min())
    # Of the triangles as they are: which of two equal diagonals is taken is left to rounding.
    area = igl.massmatrix_intrinsic(lengths, triangles, igl.MASSMATRIX_TYPE_BARYCENTRIC)
    laplacian = -igl.cotmatrix_intrinsic(*igl.intrinsic_delaunay_triangulation(lengths, triangles)[:2])
    for matrix in (laplacian, area):
        matrix.resize((len(points), len(points)))  # they end at the last vertex that a triangle holds
    return laplacian, np.asarray(area.diagonal())


def _of_any(points: Array, triangles: NDArray[np.int64]) -> tuple[sparse.csc_matrix, Array]:
    import robust_laplacian

    laplacian, area = robust_laplacian.mesh_laplacian(points, triangles)
    return laplacian, np.asarray(area.diagonal())
