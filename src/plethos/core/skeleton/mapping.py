"""Carrying to a changed skeleton and mirroring are one thing: a map of joints, of vertices and of ids.

Whatever refers to joints or vertices has a method ``mapped`` that takes these. An edit of the skeleton is a `JointMap`
(`joints.carry.JointChange`), and so is the mirror (`MirrorMap`); only the mirror also maps vertices and gives new ids.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.skeleton.pose_files import rotation_from_json
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skeleton.symmetry import MIRROR

Vector = tuple[float, float, float]


class JointMap(Protocol):
    """From the joints of one skeleton to those of another."""

    @property
    def after(self) -> Skeleton:
        """The skeleton there."""
        ...

    def joint(self, j: int) -> int | None:
        """The joint that it is there; None = gone."""
        ...

    def name(self, name: str) -> str | None:
        """The same by name."""
        ...

    def rotation(self, j: int, q: Array) -> Array:
        """A rotation ``(..., 4)`` from rest in the frame of joint `j`, as it is there."""
        ...

    def axis(self, j: int, a: Vector) -> Vector:
        """A unit axis that something turns about (a pseudovector): the same angle means the same motion."""
        ...

    def offset(self, j: int, v: Vector) -> Vector:
        """A way that something goes, in the frame of joint `j` or, for -1, in the world, metres."""
        ...

    def stretch(self, j: int, s: Vector) -> Vector | None:
        """Scales along the axes of joint `j`; None where they lie along none of the axes there."""
        ...


@dataclass(frozen=True)
class VertexMap:
    """From vertices to vertices.

    Parameters
    ----------
    twin
        ``(V,)`` which vertex each becomes, -1 for none.
    linear
        ``(V, 3, 3)`` what an offset of each vertex becomes in the space of its twin.
    """

    twin: NDArray[np.int32]
    linear: Array

    def vertices(self, vertices: NDArray[np.int32]) -> tuple[NDArray[np.int32], NDArray[np.intp]]:
        """The twins ``(N,)``, ascending, and which of the given vertices each comes from; some have none."""
        twins = self.twin[vertices]
        order = np.argsort(twins, kind="stable")
        order = order[twins[order] >= 0]
        return twins[order].astype(np.int32), order

    def deltas(self, vertices: NDArray[np.int32], deltas: NDArray[np.floating]) -> Array:
        """Offsets ``(N, 3)`` of some vertices in the spaces of their twins, in the order given."""
        return np.asarray(np.einsum("nij,nj->ni", self.linear[vertices], deltas))


# From the ids of values, triggers and remedies to those of their images; what is not in it maps to itself.
IdMap = Mapping[str, str]


@dataclass(frozen=True, eq=False)
class SidesMap:
    """From the joints of one side to those of the other, of one skeleton.

    Parameters
    ----------
    skeleton
        Both sides of it.
    other
        ``(J,)`` the joint on the other side of each.
    """

    skeleton: Skeleton
    other: NDArray[np.int32]

    @property
    def after(self) -> Skeleton:
        return self.skeleton

    def joint(self, j: int) -> int:
        return int(self.other[j])

    def name(self, name: str) -> str | None:
        j = self.skeleton.index_of.get(name)
        return None if j is None else self.skeleton.names[self.joint(j)]


@dataclass(frozen=True, eq=False)
class MirrorMap(SidesMap):
    """The mirror image across a plane of constant x."""

    def _linear(self, j: int) -> Array:
        """From the pose frame of `j` to that of its image: across, orthogonal up to scale, determinant below 0."""
        own, there = self.skeleton.pose_frame(j), self.skeleton.pose_frame(self.joint(j))
        return np.asarray(np.linalg.solve(there, MIRROR[:, None] * own))

    def rotation(self, j: int, q: Array) -> Array:
        return turned_axis(self._linear(j), q)

    def axis(self, j: int, a: Vector) -> Vector:
        return vector(rotations.axis_map(self._linear(j)) @ np.array(a))

    def offset(self, j: int, v: Vector) -> Vector:
        return vector(self._linear(j) @ np.array(v) if j >= 0 else MIRROR * np.array(v))

    def stretch(self, j: int, s: Vector) -> Vector | None:
        return permuted(rotations.rotation_or_mirror(self._linear(j)), s)


def vector(values: Array) -> Vector:
    """Three numbers as a tuple."""
    x, y, z = values.tolist()
    return (x, y, z)


def turned_axis(linear: Array, q: Array) -> Array:
    """Rotations ``(..., 4)`` seen through a linear map ``(3, 3)`` that keeps angles: ``L R L^-1``."""
    q = np.asarray(q, dtype=np.float64)
    return np.concatenate([q[..., :3] @ rotations.axis_map(linear).T, q[..., 3:]], axis=-1)


def permuted(turn: Array, s: Vector) -> Vector | None:
    """Scales along axes after a turn ``(3, 3)``; None when it mixes axes whose scales differ."""
    scaled = turn @ np.diag(s) @ turn.T
    off = scaled - np.diag(np.diag(scaled))
    if np.abs(off).max() > 1e-6 * max(np.abs(s).max(), 1e-12):
        return None
    return vector(np.diag(scaled))


def mapped_pose(pose: Mapping[str, Any], joints: JointMap, skeleton: Skeleton) -> dict[str, Any]:
    """A pose as in a pose file, said of the joints there; joints that are gone are left out.

    Parameters
    ----------
    skeleton
        The one that the pose was said of.
    """
    turned: dict[str, Any] = {}
    for name, entry in pose.get("joints", {}).items():
        j, there = skeleton.index_of.get(name), joints.name(name)
        if j is None or there is None:
            continue
        parent, said = int(skeleton.parents[j]), dict[str, Any]()
        if entry.keys() & {"euler_xyz_deg", "quaternion_xyzw"}:
            said["quaternion_xyzw"] = joints.rotation(j, np.array(rotation_from_json(name, entry))).tolist()
        if "translation" in entry:
            # It is said in the frame of the parent.
            known = parent < 0 or joints.joint(parent) is not None
            said["translation"] = list(joints.offset(parent, entry["translation"]) if known else entry["translation"])
        stretched = joints.stretch(j, entry["scale"]) if "scale" in entry else None
        if stretched is not None:
            said["scale"] = list(stretched)
        turned[there] = said
    return {**pose, "joints": turned}
