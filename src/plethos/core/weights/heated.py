"""Weights by heat from the bones over a surface, each joint's in one patch."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

import numba as nb
import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.geometry.laplacian import SurfaceLaplacian
from plethos.core.geometry.topology import Topology
from plethos.core.weights.bone_distances import nearest_bones
from plethos.core.weights.bones import Segment
from plethos.core.weights.gradient import shares_of
from plethos.core.weights.heat import heat_columns

Progress = Callable[[float], None]  # called with the share done; raises to cancel


def heated(
    surface: SurfaceLaplacian, normals: NDArray[np.float64], segments: list[Segment], joints: int, progress: Progress
) -> sparse.csr_matrix:
    """Weights ``(V, joints)`` by heat from bones over a surface: of each joint only where it is warm.

    Parameters
    ----------
    normals
        ``(V, 3)`` out of the skin, or 0 where there is no out.
    """
    rest, inside = surface.points, surface.inside
    least, vertices, numbers = nearest_bones(rest, normals, segments)
    progress(0.1)
    # Equally near bones (where two meet) share the heat, so that no side of a joint is favoured.
    owners = np.array([s.joint for s in segments], np.int32)[numbers]
    seeds = sparse.csc_matrix((np.ones(len(vertices)), (vertices, owners)), (len(rest), joints))
    seeds.data[:] = 1  # a joint whose bones are several counts once
    seeds = normalised(seeds)
    # Vertices that no triangle holds have no neighbours to share with: they follow their nearest bone.
    loose = np.ones(len(rest), bool)
    loose[inside] = False
    weights = sparse.csc_matrix(seeds.shape)
    if loose.any():
        weights = sparse.csc_matrix(sparse.diags(1.0 * loose) @ seeds)
    if len(inside):
        columns = heat_columns(
            surface.matrix, surface.areas, seeds[inside].tocsc(), least[inside],
            progress=lambda share: progress(0.1 + 0.8 * share),
        )  # fmt: skip
        found = {joint: (inside[warm].astype(np.int32), heats) for joint, warm, heats in columns}
        warm_ones = _of_columns(found, weights.shape)
        weights = weights + warm_ones if loose.any() else warm_ones
    weights = without_islands(surface.topology, normalised(weights), seeds)
    return _shared_along(weights, rest, [s for s in segments if s.twists]).tocsr()


def mixed(one: sparse.csr_matrix, other: sparse.csr_matrix, share: NDArray[np.floating]) -> sparse.csr_matrix:
    """Weights ``(V, J)`` with a share ``(V,)`` of the other ones in each row."""
    return sparse.csr_matrix(sparse.diags(1.0 - share) @ one + sparse.diags(1.0 * share) @ other)


def normalised(weights: sparse.csc_matrix | sparse.csr_matrix) -> sparse.csc_matrix:
    """Weights ``(V, J)`` whose rows sum to 1."""
    columns = weights.tocsc()
    total = np.bincount(columns.indices, weights=columns.data, minlength=columns.shape[0])
    return sparse.csc_matrix((columns.data / total[columns.indices], columns.indices, columns.indptr), columns.shape)


def _of_columns(
    columns: dict[int, tuple[NDArray[np.int32], NDArray[np.float64]]], shape: tuple[int, int]
) -> sparse.csc_matrix:
    """A matrix whose columns are given by their rows and values; those that are not given are 0."""
    nothing = (np.zeros(0, np.int32), np.zeros(0))
    every = [columns.get(j, nothing) for j in range(shape[1])]
    starts = np.cumsum([0, *(len(rows) for rows, _ in every)])
    return sparse.csc_matrix(
        (np.concatenate([v for _, v in every]), np.concatenate([r for r, _ in every]), starts), shape
    )  # fmt: skip


def _shared_along(weights: sparse.csc_matrix, rest: NDArray[np.float64], segments: list[Segment]) -> sparse.csc_matrix:
    """Weights with those of each bone that has twist joints shared evenly along it."""
    if not segments:
        return weights
    columns = {
        joint: (weights.indices[first:end], weights.data[first:end])
        for joint, (first, end) in enumerate(pairwise(weights.indptr))
    }
    for segment in segments:
        rows, whole = columns[segment.joint]
        for joint, share in shares_of(rest[rows], segment).items():
            columns[joint] = (rows, whole * share)
    shared = _of_columns(columns, weights.shape)
    shared.eliminate_zeros()
    return shared


def without_islands(
    topology: Topology, weights: sparse.csc_matrix, seeds: sparse.csc_matrix, least: float = 1e-3
) -> sparse.csc_matrix:
    """Weights ``(V, J)`` without patches that hold none of their joint's seeds: what heat left far away.

    Parameters
    ----------
    seeds
        ``(V, J)`` not 0 where each joint is at home.
    least
        Weights under this are taken for nothing.
    """
    beside = topology.adjacency
    left = _at_home(
        beside.indptr, beside.indices, weights.indptr, weights.indices, weights.data, seeds.indptr, seeds.indices, least
    )
    kept = sparse.csc_matrix((np.where(left, weights.data, 0), weights.indices, weights.indptr), weights.shape)
    # Where nothing would be left, all stays.
    nothing = np.bincount(kept.indices, weights=kept.data, minlength=kept.shape[0]) <= 0
    kept.data[nothing[kept.indices]] = weights.data[nothing[kept.indices]]
    kept.eliminate_zeros()
    return normalised(kept)


@nb.njit(cache=True, nogil=True)
def _at_home(starts, neighbours, columns, rows, values, seed_columns, seeds, least):  # type: ignore[no-untyped-def]
    """Which of the values of a sparse matrix are joined, over values of `least` or more, to a seed of their column."""
    count = len(starts) - 1
    strong, inside = np.zeros(count, np.bool_), np.zeros(count, np.bool_)
    waiting, left = np.empty(count, np.int32), np.zeros(len(values), np.bool_)
    for column in range(len(columns) - 1):
        for e in range(columns[column], columns[column + 1]):
            strong[rows[e]] = values[e] >= least
        found = 0
        for e in range(seed_columns[column], seed_columns[column + 1]):
            if strong[seeds[e]]:
                inside[seeds[e]], waiting[found] = True, seeds[e]
                found += 1
        while found > 0:
            found -= 1
            v = waiting[found]
            for e in range(starts[v], starts[v + 1]):
                other = neighbours[e]
                if strong[other] and not inside[other]:
                    inside[other], waiting[found] = True, other
                    found += 1
        for e in range(columns[column], columns[column + 1]):
            left[e] = inside[rows[e]]
            strong[rows[e]] = inside[rows[e]] = False
    return left
