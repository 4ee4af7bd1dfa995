"""Contact planes: where skin lies over other skin of the same fold, and which side each of them has to keep to.

They are found on points of which nothing crosses. The skin may slide along a plane, and both sides may move: only the
way through it is barred.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.spatial import cKDTree

from plethos.core.geometry.barycentric import barycentric
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import Topology, outward_normals
from plethos.core.propose.mend_room import MendRoom

REACH = 3.0  # of an edge: skin further apart than that is not held apart
BESIDE = 24  # vertices that are looked at round each
FACING = -0.2  # the cosine of two normals from which the skin counts as facing itself
# Neighbours on the surface are no contact: at rest a contact is this much further apart, in edges and against now.
APART, PARTED = 2.0, 1.5
GAP = 6e-4  # that is left between, of the character's height


@dataclass(frozen=True, eq=False)
class ContactPlanes:
    """Vertices that each lie over a place in a triangle.

    Parameters
    ----------
    corners
        ``(M, 4)`` the vertex, and the three of the triangle that it lies over.
    shares
        ``(M, 4)`` 1, and the shares of the place, negative: they give the way from the place to the vertex.
    normal
        ``(M, 3)`` of the plane between them, towards the vertex.
    """

    corners: NDArray[np.int32]
    shares: Array
    normal: Array

    @classmethod
    def of(cls, room: MendRoom, points: Array) -> ContactPlanes:
        """Those of a room, where its points ``(V, 3)`` cross nowhere."""
        mesh = room.character.mesh
        topology, own, rest = mesh.topology, room.vertices, mesh.rest.astype(np.float64)
        normals = outward_normals(points, topology)
        beside = min(BESIDE, len(own))
        distance: Any
        near: Any
        distance, near = cKDTree(points[own]).query(points[own], k=beside, distance_upper_bound=REACH * room.edge)
        known = np.isfinite(distance)
        one, other = np.repeat(own, beside)[known.ravel()], own[near[known]]
        now, then = distance[known], np.linalg.norm(rest[one] - rest[other], axis=1)
        facing = np.einsum("ni,ni->n", normals[one], normals[other]) < FACING
        kept = facing & (then > np.maximum(APART * room.edge, PARTED * now))
        vertex, corners, shares = _places(topology, points, one[kept], other[kept])
        place = np.einsum("nk,nki->ni", shares, points[corners])
        normal = np.einsum("nk,nki->ni", shares, normals[corners]) - normals[vertex]
        normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-30)
        out = np.einsum("ni,ni->n", normal, points[vertex] - place) > 0
        whole = np.concatenate([vertex[:, None], corners], axis=1).astype(np.int32)
        way = np.concatenate([np.ones((len(whole), 1)), -shares], axis=1)
        return cls(whole[out], way[out], normal[out])

    def joined(self, other: ContactPlanes) -> ContactPlanes:
        """These and others."""
        return ContactPlanes(
            np.concatenate([self.corners, other.corners]),
            np.concatenate([self.shares, other.shares]),
            np.concatenate([self.normal, other.normal]),
        )

    def rows(self, room: MendRoom, points: Array) -> tuple[list[sparse.csr_matrix], Array]:
        """How an offset of the room's free vertices opens each gap, and how much each has to be opened.

        Parameters
        ----------
        points
            ``(V, 3)`` what is offset.

        Returns
        -------
        ways
            For x, y and z, ``(M, F)``.
        missing
            ``(M,)`` metres; below 0 = that much is to spare.
        """
        apart = np.einsum("mk,mki->mi", self.shares, points[self.corners])
        missing = GAP * room.height - np.einsum("mi,mi->m", self.normal, apart)
        place = np.full(len(points), -1)
        place[room.vertices] = np.arange(len(room.free))
        to = place[self.corners]
        row, free = np.repeat(np.arange(len(to)), 4).reshape(-1, 4), to >= 0
        shape = (len(to), len(room.free))
        ways = [(self.shares * self.normal[:, [k]])[free] for k in range(3)]
        return [sparse.csr_matrix((way, (row[free], to[free])), shape) for way in ways], missing


def _places(
    topology: Topology, points: Array, one: NDArray[np.int32], other: NDArray[np.int32]
) -> tuple[NDArray[np.int32], NDArray[np.int32], Array]:
    """For each vertex of `one` the place that is nearest to it in the triangles round the vertices of `other`: the
    vertex ``(N,)``, the corners ``(N, 3)``, and their shares of the place."""
    offsets, triangles = topology.vertex_triangles
    counts = np.diff(offsets)[other]
    start = np.repeat(offsets[other] - np.concatenate([[0], np.cumsum(counts)[:-1]]), counts)
    corners = topology.triangles[triangles[start + np.arange(len(start))]]
    vertex = np.repeat(one, counts)
    shares = barycentric(points[vertex], *(points[corners[:, k]] for k in range(3)))
    off = np.linalg.norm(points[vertex] - np.einsum("nk,nki->ni", shares, points[corners]), axis=1)
    order = np.lexsort((off, vertex))
    first = order[np.unique(vertex[order], return_index=True)[1]]
    return vertex[first], corners[first], shares[first]
