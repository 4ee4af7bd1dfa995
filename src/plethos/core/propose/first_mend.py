"""A first corrective, solved for a held pose: each slab of the joint gets back what it has lost, as smoothly as can be.

The offset d of the skin is the one of least bending energy (bilaplacian of the rest shape), zero with its slope at the
border, under which every slab has the volume asked for: Newton on the volumes, one factor for a joint. Skin that lies
over other skin is tied to what lies under it, so that cloth goes along. Then what has gone through the fold is brought
back to its plane, and the volumes are asked for once more.

References
----------
Botsch and Kobbelt, "An intuitive framework for real-time freeform modeling", SIGGRAPH 2004; Rohmer, Hahmann, Cani,
"Exact volume preserving skinning with shape control", SCA 2009 (titles from memory).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.spatial import cKDTree

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import Posed
from plethos.core.geometry.factor import symmetric_factor
from plethos.core.geometry.laplacian import laplacian_of
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import extent
from plethos.core.measure.contact import intersecting_pairs, new_contacts
from plethos.core.measure.region import Region, joint_region
from plethos.core.propose.crease import Crease
from plethos.core.propose.slabs import Slabs

# How far beyond the bending skin the mend may reach, of its radius, and how many rings at its border stay where they
# are: less and less is asked of skin of few vertices.
REACHES = ((1.2, 2), (1.2, 1), (2.5, 1))
LEAST = 16  # vertices that have to be free
SMOOTH = 0.9  # over how much of the radius an offset fades
OVER = 0.012  # skin this near to other skin lies over it, of the character's height
NEWTON = 8
CLOSE = 1e-4  # how near to its volume a slab has to come, as a share
ROUNDS = 4  # of asking for volume and coming out of the fold
LESS = (0.95, 0.9, 0.85)  # of what is asked for
GIVE_BACK, MOST_STRETCH = 0.9, 1.4  # where nobody says otherwise


@dataclass(frozen=True, eq=False)
class Mended:
    """A first mend.

    Parameters
    ----------
    points
        ``(V, 3)`` the posed skin with it, metres.
    volume_before, volume
        Of the region against rest, percent.
    stretch
        How much longer than before the mend, and than at rest, an edge gets at most.
    contacts_before, contacts
        Triangles of the region that cross others and did not at rest.
    given_back
        The share of the lost volume that was asked for: less than wanted where the stretch was capped.
    """

    points: Array
    volume_before: float
    volume: float
    stretch: float
    contacts_before: int
    contacts: int
    given_back: float


@dataclass(frozen=True, eq=False)
class FirstMend:
    """A joint's region made ready to be mended in any pose.

    Parameters
    ----------
    slabs
        Of the region.
    free
        ``(F,)`` which of the region's vertices may move, as indices into it.
    factor
        The factored energy of the free vertices.
    """

    character: Character
    joint: int
    region: Region
    slabs: Slabs
    free: NDArray[np.intp]
    energy: sparse.csr_matrix
    factor: Any

    @classmethod
    def of(cls, character: Character, joint: int) -> FirstMend:
        """Made ready for a joint.

        Raises
        ------
        BadEditError
            When it bends no skin, or the skin there encloses no volume.
        """
        rest = character.mesh.rest.astype(np.float64)
        name, topology = character.skeleton.names[joint], character.mesh.topology
        for margin, border in REACHES:
            region = joint_region(character, joint, character.mesh.rest, margin)
            outside = np.ones(topology.count, bool)
            outside[region.vertices] = False
            # An open hem is no border: it may move.
            free = np.flatnonzero(~topology.grow(outside, border)[region.vertices])
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
        pieces = topology.pieces[region.vertices]
        energy = _energy(points, region, pieces, extent(rest))[free][:, free].tocsr()
        return cls(character, joint, region, slabs, free, energy, symmetric_factor(energy))

    def solved(self, posed: Posed, give_back: float = GIVE_BACK, most_stretch: float = MOST_STRETCH) -> Mended:
        """The mend of a pose.

        Parameters
        ----------
        posed
            What is on in it.
        give_back
            How much of the volume that each slab has lost, 0 to 1.
        most_stretch
            See `Mended.stretch`; less is given back rather than going beyond.

        Raises
        ------
        BadEditError
            When hardly any volume is lost in this pose.
        """
        base = posed.exact_points()
        before = self.slabs.volumes(base[self.region.vertices])
        crease = Crease.of(posed, self.joint, self.region, extent(self.character.mesh.rest))
        lost = np.maximum(self.slabs.at_rest - before, 0)
        if lost.sum() < 0.005 * self.slabs.at_rest.sum():
            name = self.character.skeleton.names[self.joint]
            raise BadEditError(f"“{name}” loses no volume in this pose: bend it to where it looks bad first.")
        contacts = self._contacts(base)
        best = self._given(base, crease, before, contacts, lost, give_back, most_stretch)
        low, high = (give_back, give_back) if best.stretch <= most_stretch else (0.0, give_back)
        for _ in range(5):
            if best.stretch <= most_stretch and high - low < 0.05:
                break
            tried = self._given(base, crease, before, contacts, lost, 0.5 * (low + high), most_stretch)
            if tried.stretch <= most_stretch:
                best, low = tried, tried.given_back
            else:
                high = tried.given_back
                best = min(best, tried, key=lambda m: m.stretch)
        whole = self.slabs.at_rest.sum()
        for less in LESS:
            # What comes out of the fold loses volume on the way: asked for a little less, more may be left.
            share = less * best.given_back
            if 100 * float((before + share * lost).sum() / whole) <= best.volume:
                break
            tried = self._given(base, crease, before, contacts, lost, share, most_stretch)
            # It is told as what was asked for: no less comes back for it.
            best = min(best, replace(tried, given_back=best.given_back), key=lambda m: _worse(m, most_stretch))
        return best

    def _given(
        self,
        base: Array,
        crease: Crease | None,
        before: Array,
        contacts_before: int,
        lost: Array,
        share: float,
        most_stretch: float,
    ) -> Mended:
        """The best of a few rounds of asking for volume and of coming out of the fold."""
        points, target = base, before + share * lost
        found = []
        for _ in range(ROUNDS):
            points = self._with_volumes(points, target)
            found.append(self._told(base, points, before, contacts_before, share))
            if not found[-1].contacts or crease is None:
                break
            points = self._out_of_the_fold(crease, points)
            found.append(self._told(base, points, before, contacts_before, share))
        return min(found, key=lambda m: _worse(m, most_stretch))

    def _told(self, base: Array, points: Array, before: Array, contacts_before: int, share: float) -> Mended:
        whole = self.slabs.at_rest.sum()
        return Mended(
            points=points,
            volume_before=100 * float(before.sum() / whole),
            volume=100 * float(self.slabs.volumes(points[self.region.vertices]).sum() / whole),
            stretch=self._stretch(base, points),
            contacts_before=contacts_before,
            contacts=self._contacts(points),
            given_back=share,
        )

    def _with_volumes(self, points: Array, target: Array) -> Array:
        """Points of the given slab volumes, nearest to `points` in bending energy."""
        own, free = self.region.vertices, self.free
        out = points.copy()
        # What is asked for in cubic metres is of the size of the region's volume: told as shares of the slabs.
        scale = 1 / np.abs(self.slabs.at_rest)
        for _ in range(NEWTON):
            missing = (target - self.slabs.volumes(out[own])) * scale
            if np.abs(missing).max() < CLOSE:
                break
            pushes = [(sparse.diags(scale) @ g)[:, free] for g in self.slabs.gradients(out[own])]
            reach = [self.factor.solve(np.ascontiguousarray(p.toarray().T)) for p in pushes]
            schur = sum(p @ r for p, r in zip(pushes, reach, strict=True))
            schur = np.asarray(schur) + 1e-6 * np.trace(schur) / len(scale) * np.eye(len(scale))
            force = np.linalg.solve(schur, missing)
            out[own[free]] += np.stack([r @ force for r in reach], axis=1)
        return out

    def _out_of_the_fold(self, crease: Crease, points: Array) -> Array:
        """Points with what has gone through the crease brought back to it, the rest following smoothly."""
        own, free = self.region.vertices, self.free
        out = points.copy()
        held = np.zeros(len(free), bool)
        for _ in range(6):
            beyond = crease.beyond(out[own])[free]
            wrong = beyond > 0
            if not (wrong & ~held).any() and beyond.max(initial=0) < 1e-6:
                break
            held |= wrong
            push = np.where(held, np.maximum(beyond, 0), 0.0)
            left = np.flatnonzero(~held)
            inner = symmetric_factor(self.energy[left][:, left])
            signed = push * crease.side[free]
            signed[left] = inner.solve(-(self.energy[left] @ signed))
            out[own[free]] += signed[:, None] * crease.normal
        return out

    def _stretch(self, base: Array, points: Array) -> float:
        rest, t = self.character.mesh.rest.astype(np.float64), self.region.vertices[self.region.triangles]
        edges = np.concatenate([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]])
        now, was, still = (np.linalg.norm(p[edges[:, 0]] - p[edges[:, 1]], axis=1) for p in (points, base, rest))
        return float((now / np.maximum(np.maximum(was, still), 1e-9)).max())

    @cached_property
    def _triangles(self) -> NDArray[np.int32]:
        topology = self.character.mesh.topology
        near = np.zeros(topology.count, bool)
        near[self.region.vertices] = True
        return np.ascontiguousarray(topology.triangles[near[topology.triangles].all(axis=1)])

    @cached_property
    def _crossing_at_rest(self) -> NDArray[np.int32]:
        return intersecting_pairs(self.character.mesh.rest, self._triangles)

    def _contacts(self, points: Array) -> int:
        return len(new_contacts(points, self._triangles, self._crossing_at_rest))


def _worse(mended: Mended, most_stretch: float) -> tuple[float, int, float]:
    """What makes one mend worse than another: stretched too far, then crossing, then less volume."""
    return max(mended.stretch - most_stretch, 0), mended.contacts, -mended.volume


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
