"""Slabs: the region of a joint cut across its bones, each piece of skin and each slab with a volume of its own.

One total volume would let the outside of a bend balloon and leave its crease folded; slab by slab the volume comes back
where it was lost.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.csgraph import connected_components

from plethos.core.geometry.rotations import Array
from plethos.core.geometry.rows import distinct_rows
from plethos.core.geometry.topology import boundary_loops
from plethos.core.measure.girth import bone_directions
from plethos.core.measure.region import Region, encloses
from plethos.core.skeleton.skeleton import Skeleton

SLABS = 9
THICK = 2.5  # a slab at least, in edges of its skin


@dataclass(frozen=True, eq=False)
class Slabs:
    """Volumes of the slabs of a region, and how they change with its vertices.

    Parameters
    ----------
    extend
        ``(N + C, N)`` the region's vertices, then the centroids of the cut faces.
    triangles, slab
        ``(T, 3)`` of the skin and of the fans that close the cuts, and ``(T,)`` the slab of each.
    at_rest
        ``(S,)`` cubic metres, none of them zero.
    """

    extend: sparse.csr_matrix
    triangles: NDArray[np.int32]
    slab: NDArray[np.int32]
    at_rest: Array

    @classmethod
    def of(cls, skeleton: Skeleton, joint: int, region: Region, rest: Array, most: int = SLABS) -> Slabs:
        """The slabs of a joint's region.

        Parameters
        ----------
        rest
            ``(N, 3)`` rest points of the region's vertices.
        most
            How many along the bones, where the mesh is fine enough.
        """
        before, after = bone_directions(skeleton, joint)
        across = before + after if np.linalg.norm(before + after) > 1e-6 else after
        middles = rest[region.triangles].mean(axis=1)
        station = (middles - skeleton.rest_global[joint, :3, 3]) @ (across / np.linalg.norm(across))
        t = region.triangles
        # A slab of single triangles would hold nothing.
        edge = float(np.median(np.linalg.norm(rest[t[:, 0]] - rest[t[:, 1]], axis=1)))
        count = int(np.clip((station.max() - station.min()) / max(THICK * edge, 1e-12), 1, most))
        edges = np.linspace(station.min(), station.max(), count + 1)[1:-1]
        one = np.ones(2 * len(t))
        pairs = (one, (t[:, [0, 1]].ravel(), t[:, [1, 2]].ravel()))
        _, piece = connected_components(sparse.coo_matrix(pairs, shape=(len(rest), len(rest))), directed=False)
        key = np.stack([piece[t[:, 0]], np.searchsorted(edges, station)], axis=1)
        _, number = distinct_rows(key)
        kept: list[NDArray[np.int32]] = []
        centres: list[NDArray[np.int32]] = []
        slabs: list[int] = []
        for k in range(int(number.max()) + 1):
            own = t[number == k]
            loops = tuple(boundary_loops(own))
            one_slab = Region(region.vertices, own, loops, region.radius)
            if not encloses(one_slab, rest):
                continue  # a sheet, or a sliver: it holds nothing
            kept.append(own)
            slabs += [len(kept) - 1] * len(own)
            for loop in loops:
                centre = len(rest) + len(centres)
                centres.append(loop)
                fan = np.stack([np.roll(loop, -1), loop, np.full(len(loop), centre)], axis=1)
                slabs += [len(kept) - 1] * len(loop)
                kept[-1] = np.vstack([kept[-1], fan])
        rows = np.concatenate([np.arange(len(rest)), *(np.full(len(c), len(rest) + i) for i, c in enumerate(centres))])
        columns = np.concatenate([np.arange(len(rest)), *centres])
        shares = np.concatenate([np.ones(len(rest)), *(np.full(len(c), 1 / len(c)) for c in centres)])
        extend = sparse.csr_matrix((shares, (rows, columns)), shape=(len(rest) + len(centres), len(rest)))
        triangles = np.vstack([np.zeros((0, 3), np.int32), *kept]).astype(np.int32)
        blank = cls(extend, triangles, np.array(slabs, np.int32), np.zeros(len(kept)))
        return cls(extend, triangles, blank.slab, blank.volumes(rest))

    def volumes(self, points: Array) -> Array:
        """The volume ``(S,)`` of each, of points ``(N, 3)``, cubic metres."""
        a, b, c = self._corners(points)
        six = np.einsum("ti,ti->t", a, np.cross(b, c))
        return np.bincount(self.slab, six, len(self.at_rest)) / 6

    def gradients(self, points: Array) -> NDArray[Any]:
        """How each volume changes with each coordinate: three sparse ``(S, N)``, for x, y and z."""
        a, b, c = self._corners(points)
        pushes = np.stack([np.cross(b, c), np.cross(c, a), np.cross(a, b)], axis=1) / 6  # (T, 3 corners, 3)
        rows, columns = np.repeat(self.slab, 3), self.triangles.ravel()
        shape = (len(self.at_rest), self.extend.shape[0])
        out = np.empty(3, dtype=object)
        for k in range(3):
            out[k] = sparse.csr_matrix((pushes[:, :, k].ravel(), (rows, columns)), shape=shape) @ self.extend
        return out

    def _corners(self, points: Array) -> tuple[Array, Array, Array]:
        all_points = self.extend @ (points - points.mean(axis=0))
        a, b, c = (all_points[self.triangles[:, k]] for k in range(3))
        return a, b, c
