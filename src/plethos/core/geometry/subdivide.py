"""One level of subdivision, for looking at: where points of the finer skin lie between those of the coarse one."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.geometry.rows import distinct_rows
from plethos.core.geometry.topology import Topology, triangle_edges


@dataclass(frozen=True, eq=False)
class Subdivision:
    """The finer skin.

    Parameters
    ----------
    weights
        ``(V + E, V)`` sparse: each of its points as a mean of points of the coarse skin; first the coarse vertices,
        smoothed, then one point for each edge.
    triangles
        ``(4 T, 3)``: the four of each coarse triangle one after the other.
    """

    weights: sparse.csr_matrix
    triangles: NDArray[np.int32]


def subdivided(topology: Topology) -> Subdivision:
    """One level of Loop's subdivision of a mesh of triangles.

    Borders, and edges that more than two triangles share, stay lines of their own. By hand: `igl.loop_matrix` ends in a
    segmentation fault on such edges (2.6, tried).

    References
    ----------
    Loop, "Smooth subdivision surfaces based on triangles", 1987.
    """
    triangles = topology.triangles.astype(np.int64)
    count = topology.count
    sides = np.sort(triangle_edges(triangles), axis=1)
    across = triangles[:, [2, 0, 1]].reshape(-1)  # the corner over each side, in the same order
    edges, number = distinct_rows(sides)
    inner = np.bincount(number) == 2
    fine = (number + count).reshape(-1, 3)
    ab, bc, ca = fine.T
    a, b, c = triangles.T
    parts = [[a, ab, ca], [ab, b, bc], [ca, bc, c], [ab, bc, ca]]
    out = np.stack([np.stack(p, axis=1) for p in parts], axis=1).reshape(-1, 3)

    rows, columns, values = [], [], []

    def put(r: NDArray[np.integer], c: NDArray[np.integer], v: NDArray[np.floating] | float) -> None:
        rows.append(np.asarray(r))
        columns.append(np.asarray(c))
        values.append(np.broadcast_to(np.asarray(v, np.float64), np.asarray(r).shape))

    # Points of edges: three eighths of each end and one of each corner across; on a border half of each end.
    place = count + np.arange(len(edges))
    for end in (0, 1):
        put(place, edges[:, end], np.where(inner, 3 / 8, 1 / 2))
    facing = inner[number]
    put(place[number[facing]], across[facing], 1 / 8)
    # The vertices: on a border by their two neighbours along it, else by all.
    rim = edges[~inner]
    on_rim = np.zeros(count, bool)
    on_rim[rim] = True
    lines = np.bincount(rim.reshape(-1), minlength=count)
    corner = on_rim & (lines != 2)  # where borders meet it stays
    smooth = on_rim & ~corner
    degree = np.bincount(edges.reshape(-1), minlength=count)
    n = np.maximum(degree, 1)
    beta = (5 / 8 - (3 / 8 + np.cos(2 * np.pi / n) / 4) ** 2) / n
    own = np.where(corner, 1.0, np.where(smooth, 3 / 4, 1 - degree * beta))
    everyone = np.arange(count)
    put(everyone, everyone, own)
    for one, other in ((0, 1), (1, 0)):
        here = rim[smooth[rim[:, one]]]
        put(here[:, one], here[:, other], 1 / 8)
        inside = edges[~on_rim[edges[:, one]]]
        put(inside[:, one], inside[:, other], beta[inside[:, one]])
    matrix = sparse.csr_matrix(
        (np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))), shape=(count + len(edges), count)
    )
    return Subdivision(matrix, out.astype(np.int32))
