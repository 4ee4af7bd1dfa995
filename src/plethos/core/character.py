"""The immutable description of a character.

Everything about a character that does not depend on the pose. An edit makes a new `Character` that shares all
untouched arrays with the old one, so keeping the old one is undo.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from plethos.core.clips import Clip
from plethos.core.errors import BadEditError
from plethos.core.mesh import Topology
from plethos.core.regions.region import PICKED, PickedRegion
from plethos.core.rotations import Array
from plethos.core.shape import Shape
from plethos.core.skeleton import Skeleton

if TYPE_CHECKING:
    from plethos.core.remedies import Remedy


@dataclass(frozen=True)
class Part:
    """One mesh of the character.

    Parameters
    ----------
    name
        Unique among the parts.
    vertices
        Its range ``(start, stop)`` among the character's vertices.
    file_vertices
        Its range ``(start, stop)`` among the vertices as the file counts them.
    triangles
        Its range ``(start, stop)`` among the character's file triangles.
    """

    name: str
    vertices: tuple[int, int]
    file_vertices: tuple[int, int]
    triangles: tuple[int, int]


@dataclass(frozen=True)
class Bones:
    """What a vertex can follow: a joint seen through one inverse bind matrix.

    Two skins may bind the same joint differently; each pair is a row here, and influences refer to rows.

    Parameters
    ----------
    joint
        ``(B,)`` joint indices.
    inverse_bind
        ``(B, 4, 4)`` float64.
    group
        ``(B,)`` the skin that a row belongs to; in one skin a joint has one row. A part without a skin is a group of
        its own.
    """

    joint: NDArray[np.int32]
    inverse_bind: Array
    group: NDArray[np.int32]


@dataclass(frozen=True)
class Character:
    """A character: parts on one skeleton, and the remedies that mend them.

    Parameters
    ----------
    points
        Rest points ``(V, 3)`` float32 in the space of their own part, as the file has them; vertices that the
        file splits along texture seams are one vertex here.
    file_triangles
        ``(T, 3)`` indices of *file* vertices: what is drawn and written.
    file_to_vertex
        ``(F,)`` the vertex that each file vertex is a copy of.
    influences, weights
        ``(V, K)`` bone rows and float32 weights that sum to 1.
    skin_blend
        ``(V,)`` float32, 0 = linear blend skinning, 1 = dual quaternion skinning.
    shapes
        Shapes that came with the file, at their own constant weight.
    remedies
        What restores volume, in the order in which it acts.
    repairs
        Sentences that say what was mended on reading.
    colours
        ``(V, 3)`` linear RGB for the screen, NaN where the file says none; None = nowhere.
    regions
        What was picked and kept under a name, and what is picked at the moment.
    mirror_x
        Where the plane between its two sides lies, metres in the world at rest.
    """

    name: str
    skeleton: Skeleton
    bones: Bones
    parts: tuple[Part, ...]
    points: NDArray[np.float32]
    file_triangles: NDArray[np.int32]
    file_to_vertex: NDArray[np.int32]
    influences: NDArray[np.int32]
    weights: NDArray[np.float32]
    skin_blend: NDArray[np.float32]
    shapes: tuple[Shape, ...] = ()
    remedies: tuple[Remedy, ...] = ()
    clips: tuple[Clip, ...] = ()
    repairs: tuple[str, ...] = ()
    colours: NDArray[np.float32] | None = None
    regions: tuple[PickedRegion, ...] = ()
    mirror_x: float = 0.0

    @cached_property
    def topology(self) -> Topology:
        """Neighbours over the joined-up vertices; triangles that have no area by construction are left out."""
        t = self.file_to_vertex[self.file_triangles]
        proper = (t[:, 0] != t[:, 1]) & (t[:, 1] != t[:, 2]) & (t[:, 2] != t[:, 0])
        return Topology(len(self.points), np.ascontiguousarray(t[proper]))

    @cached_property
    def joint_weights(self) -> NDArray[np.float32]:
        """Weights ``(V, J)`` by joint, whatever bones they go through."""
        dense = np.zeros((len(self.points), len(self.skeleton)), dtype=np.float32)
        rows = np.arange(len(self.points))
        for k in range(self.influences.shape[1]):
            np.add.at(dense, (rows, self.bones.joint[self.influences[:, k]]), self.weights[:, k])
        return dense

    @cached_property
    def is_bound(self) -> bool:
        """Whether any of the skin follows a joint, not only the plain nodes that carry it."""
        joints = self.bones.joint[self.influences[self.weights > 0]]
        return bool(self.skeleton.is_joint[joints].any())

    def subtree_weights(self, joint: int) -> NDArray[np.float32]:
        """How much each vertex ``(V,)`` follows `joint` or anything below it."""
        inside = self.skeleton.subtree(joint)[self.bones.joint]
        return np.asarray((self.weights * inside[self.influences]).sum(axis=1), dtype=np.float32)

    def part(self, name: str) -> Part:
        """The part of that name.

        Raises
        ------
        BadEditError
            When there is none.
        """
        for part in self.parts:
            if part.name == name:
                return part
        raise BadEditError(f"There is no part called “{name}” in this character.")

    def triangles_of(self, part: Part) -> NDArray[np.int32]:
        """A part's triangles ``(T, 3)``, counted from its first vertex."""
        t, (first, last) = self.topology.triangles, part.vertices
        return t[(t[:, 0] >= first) & (t[:, 0] < last)] - np.int32(first)

    def region(self, name: str = PICKED) -> NDArray[np.float32]:
        """The shares ``(V,)`` of a region; of what is picked at the moment when no name is given.

        Raises
        ------
        BadEditError
            When there is no region of that name.
        """
        for region in self.regions:
            if region.name == name:
                return region.dense(len(self.points))
        if name == PICKED:
            return np.zeros(len(self.points), dtype=np.float32)
        raise BadEditError(f"There is no region called “{name}” in this character.")

    def with_region(self, name: str, shares: NDArray[np.floating] | None) -> Character:
        """This character with a region set; None or nothing inside takes it away."""
        left = tuple(r for r in self.regions if r.name != name)
        fresh = None if shares is None else PickedRegion.of(name, shares)
        if fresh is not None and len(fresh.vertices):
            left = (*left, fresh)
        return self.with_regions(left)

    def with_regions(self, regions: tuple[PickedRegion, ...]) -> Character:
        """This character with these regions instead."""
        return self._like(replace(self, regions=regions))

    def remedy(self, remedy_id: str) -> Remedy:
        """The remedy with this id.

        Raises
        ------
        BadEditError
            When it is not there (any more).
        """
        for remedy in self.remedies:
            if remedy.id == remedy_id:
                return remedy
        raise BadEditError("That remedy is not there any more; it may have been deleted or undone.")

    def with_remedy(self, remedy: Remedy) -> Character:
        """This character with the remedy replaced (same id), or added at the end."""
        if any(r.id == remedy.id for r in self.remedies):
            return self.with_remedies(tuple(remedy if r.id == remedy.id else r for r in self.remedies))
        return self.with_remedies((*self.remedies, remedy))

    def with_remedies(self, remedies: tuple[Remedy, ...]) -> Character:
        """This character with these remedies instead. What was worked out from the mesh is carried along."""
        return self._like(replace(self, remedies=remedies))

    def _like(self, edited: Character) -> Character:
        """An edit of something else, with what was worked out from mesh and weights."""
        for name in ("topology", "joint_weights"):
            if name in self.__dict__:
                edited.__dict__[name] = self.__dict__[name]
        return edited
