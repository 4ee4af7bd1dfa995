"""A skeleton of a USD stage as nodes of a glTF document."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from pxr import Usd, UsdGeom
from scipy.spatial.transform import Rotation

from plethos.core.errors import BadFileError
from plethos.core.formats.gltf_build import GltfBuilder
from plethos.core.geometry.rotations import Array

SHEARED = 1e-5  # how far three axes may be from square


@dataclass(eq=False)
class UsdSkeleton:
    """A skeleton, matrices as USD has them: of row vectors.

    Parameters
    ----------
    query
        What UsdSkel knows of it.
    joints
        Their paths, parents first.
    parents
        ``(J,)``, -1 = none.
    rest, bind
        ``(J, 4, 4)`` in the parent at rest, and in the space of the skeleton where the skin is bound.
    place
        ``(4, 4)`` of the skeleton in the world of the stage.
    first
        The node of its first joint; the others follow in their order.
    """

    query: Any
    joints: tuple[str, ...]
    parents: list[int]
    rest: Array
    bind: Array
    place: Array
    name: str
    first: int = -1

    @classmethod
    def of(cls, cache: Any, skeleton: Any, number: int) -> UsdSkeleton:
        """The skeleton of a binding.

        Raises
        ------
        BadFileError
            When its joints are broken.
        """
        query, prim = cache.GetSkelQuery(skeleton), skeleton.GetPrim()
        name = prim.GetName() or f"skeleton_{number}"
        if not query:
            raise BadFileError(f"The USD file is broken: the joints of the skeleton “{name}” cannot be read.")
        joints = tuple(str(j) for j in query.GetJointOrder())
        parents = [int(query.GetTopology().GetParent(k)) for k in range(len(joints))]
        if not joints or any(p >= k for k, p in enumerate(parents)):
            raise BadFileError(f"The USD file is broken: the joints of the skeleton “{name}” are in no order.")
        bind = _matrices(query.GetJointWorldBindTransforms())
        place = np.array(UsdGeom.Xformable(prim).ComputeLocalToWorldTransform(Usd.TimeCode.Default()))
        if len(bind) != len(joints):
            raise BadFileError(f"The USD file is broken: not every joint of “{name}” says where it was bound.")
        if query.HasRestPose():
            rest = _matrices(query.ComputeJointLocalTransforms(Usd.TimeCode.Default(), True))
        else:
            rest = np.stack(
                [b if p < 0 else b @ np.linalg.inv(bind[p]) for b, p in zip(bind, parents, strict=True)]
            )  # fmt: skip
        return cls(query, joints, parents, rest, bind, place, name)

    def add(self, builder: GltfBuilder) -> int:
        """Add its joints; the node that holds them."""
        self.first = len(builder.document.get("nodes", []))
        children: list[list[int]] = [[] for _ in self.joints]
        for k, parent in enumerate(self.parents):
            if parent >= 0:
                children[parent].append(self.first + k)
        for k, path in enumerate(self.joints):
            node = {"name": path.rsplit("/", 1)[-1], **node_of(self.rest[k])}
            builder.add("nodes", {**node, "children": children[k]} if children[k] else node)
        roots = [self.first + k for k, parent in enumerate(self.parents) if parent < 0]
        return builder.add("nodes", {"name": self.name, "children": roots, **node_of(self.place)})


def _matrices(given: Any) -> Array:
    return np.array(given, np.float64).reshape(-1, 4, 4)


def node_of(matrix: Array) -> dict[str, Any]:
    """What a node says of a matrix ``(4, 4)`` of row vectors: place, turn and scale, or all of it if it shears."""
    if np.array_equal(matrix, np.eye(4)):
        return {}
    place, turn, scale, sheared = parted(matrix[None])
    if sheared:
        return {"matrix": matrix.ravel().tolist()}
    return {"translation": place[0].tolist(), "rotation": turn[0].tolist(), "scale": scale[0].tolist()}


def parted(matrices: Array) -> tuple[Array, Array, Array, bool]:
    """Places ``(N, 3)``, turns ``(N, 4)`` and scales ``(N, 3)`` of matrices of row vectors; and whether one shears."""
    rows = matrices[:, :3, :3]
    scale = np.linalg.norm(rows, axis=2)
    scale[:, 0] *= np.where(np.linalg.det(rows) < 0, -1.0, 1.0)
    axes = rows / np.where(np.abs(scale) > 1e-12, scale, 1)[:, :, None]
    sheared = bool((np.abs(axes @ axes.transpose(0, 2, 1) - np.eye(3)) > SHEARED).any())
    whole = np.abs(np.linalg.det(axes)) > 1e-6
    axes[~whole] = np.eye(3)
    return matrices[:, 3, :3], Rotation.from_matrix(axes.transpose(0, 2, 1)).as_quat(), scale, sheared
