"""The skin that a first mend may move: round a joint, and round what has gone through itself in the pose."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.spatial import cKDTree

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.geometry.factor import Factor
from plethos.core.geometry.laplacian import laplacian_of
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import Topology, distance_over_surface, extent
from plethos.core.measure.region import Region, joint_region, region_of
from plethos.core.propose.slabs import Slabs

# How far beyond the bending skin the mend may reach, of its radius, and how many rings at its border stay where they
# are: less and less is asked of skin of few vertices.
REACHES = ((1.2, 2), (1.2, 1), (2.5, 1))
LEAST = 16  # vertices that have to be free
ROUND = 0.6  # of the radius: how far round what crosses skin may move, too
SMOOTH = 0.9  # over how much of the radius an offset fades
OVER = 0.012  # skin this near to other skin lies over it, of the character's height


@dataclass(frozen=True, eq=False)
class MendRoom:
    """The skin that may move, made ready to be solved.

    Parameters
    ----------
    region
        The skin that is looked at.
    slabs
        Its volumes.
    free
        ``(F,)`` which of the region's vertices may move, as indices into it: all but its border, open hems and seams.
    energy, factor
        The bending energy ``(F, F)`` of the free vertices, and its factors.
    height
        Of the character, metres.
    edge
        How long its edges are at rest, the median, metres.
    """

    character: Character
    region: Region
    slabs: Slabs
    free: NDArray[np.intp]
    energy: sparse.csr_matrix
    factor: Any
    height: float
    edge: float

    @classmethod
    def of(cls, character: Character, joint: int, crossing: NDArray[np.integer]) -> MendRoom:
        """The room round a joint.

        Parameters
        ----------
        crossing
            ``(C,)`` vertices of triangles that cross in the pose: it reaches round these, too.

        Raises
        ------
        BadEditError
            When it bends no skin, or the skin there encloses no volume.
        """
        mesh, name = character.mesh, character.skeleton.names[joint]
        rest, topology = mesh.rest.astype(np.float64), mesh.topology
        seed = np.zeros(topology.count, bool)
        seed[crossing] = True
        for margin, border in REACHES:
            region = joint_region(character, joint, mesh.rest, margin)
            inside = np.zeros(topology.count, bool)
            inside[region.vertices] = True
            if len(crossing):
                inside |= np.isfinite(distance_over_surface(topology, mesh.rest, seed, ROUND * region.radius))
                region = region_of(character, inside, region.radius)
            outside = np.ones(topology.count, bool)
            outside[region.vertices] = False
            free = np.flatnonzero(~(topology.grow(outside, border) | mesh.border)[region.vertices])
            if len(free) >= LEAST:
                break
        if not len(free):
            raise BadEditError(f"Too little skin bends at “{name}” to be mended: sculpt it by hand.")
        points = rest[region.vertices]
        slabs = Slabs.of(character.skeleton, joint, region, points)
        if not len(slabs.at_rest):
            raise BadEditError(
                f"The skin at “{name}” encloses no volume that could be given back: sculpt it by hand."
            )  # fmt: skip
        energy = _energy(points, region, topology.pieces[region.vertices], extent(rest))[free][:, free].tocsr()
        t = points[region.triangles]
        edge = float(np.median(np.linalg.norm(t[:, 0] - t[:, 1], axis=1)))
        return cls(character, region, slabs, free, energy, Factor(energy), extent(rest), edge)

    @property
    def vertices(self) -> NDArray[np.int32]:
        """The vertices ``(F,)`` of the character that may move."""
        return self.region.vertices[self.free]

    @property
    def shares(self) -> Array:
        """``(V,)`` 1 for each of these, 0 for all others."""
        shares = np.zeros(len(self.character.mesh))
        shares[self.vertices] = 1
        return shares

    def volumes(self, points: Array) -> Array:
        """The volume of each slab, of points ``(V, 3)``, cubic metres."""
        return self.slabs.volumes(points[self.region.vertices])

    def edges(self) -> NDArray[np.int32]:
        """The edges ``(E, 2)`` of the region, each once, as vertices of the character."""
        own = self.region.vertices
        return np.asarray(own[Topology(len(own), self.region.triangles).edges], np.int32)


def _energy(points: Array, region: Region, pieces: NDArray[np.int32], height: float) -> sparse.csr_matrix:
    """Bending energy ``(N, N)`` of an offset at rest, with closeness and the ties of skin to the skin under it."""
    laplacian, area = laplacian_of(points, region.triangles)
    areas = np.maximum(area, 1e-12 * height**2)
    reach = SMOOTH * max(region.radius, 1e-6 * height)
    energy = laplacian @ sparse.diags(1 / areas) @ laplacian + sparse.diags(areas / reach**4)
    used = np.unique(region.triangles)
    ones, others = [], []
    for k in np.unique(pieces):
        mine, rest = used[pieces[used] == k], used[pieces[used] != k]
        if len(mine) and len(rest):
            distance: Any
            nearest: Any
            distance, nearest = cKDTree(points[rest]).query(points[mine], distance_upper_bound=OVER * height)
            near = np.isfinite(distance)
            ones.append(mine[near])
            others.append(rest[nearest[near]])
    if ones:
        i, j = np.concatenate(ones), np.concatenate(others)
        tie = 30 * areas[i] / reach**4
        rows = np.concatenate([i, j, i, j])
        columns = np.concatenate([i, j, j, i])
        energy = energy + sparse.csr_matrix((np.concatenate([tie, tie, -tie, -tie]), (rows, columns)), energy.shape)
    return sparse.csr_matrix(energy)
