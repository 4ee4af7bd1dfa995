"""A skinned mesh of a USD stage as a mesh, a skin and a node of a glTF document."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pxr import Usd, UsdGeom, UsdSkel

from plethos.core.errors import BadFileError
from plethos.core.formats.gltf_build import ARRAY_BUFFER, ELEMENT_ARRAY_BUFFER, GltfBuilder
from plethos.core.formats.usd_looks import Looks
from plethos.core.formats.usd_skeletons import UsdSkeleton
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.rows import distinct_rows

MOST = 32  # joints that a vertex follows: eight sets of four
NOW = Usd.TimeCode.Default()


@dataclass(eq=False)
class UsdMesh:
    """A mesh that a skeleton moves.

    Parameters
    ----------
    query
        What UsdSkel knows of how it is skinned.
    dual
        Whether it is skinned by dual quaternions.
    node
        Its node, once it is added.
    targets
        Of its shapes: the name of each, and the weight of the shape at which it is fully on.
    """

    prim: Any
    query: Any
    skeleton: UsdSkeleton
    dual: bool
    node: int = -1
    targets: list[tuple[str, float]] = field(default_factory=list)

    @classmethod
    def of(cls, query: Any, skeleton: UsdSkeleton) -> UsdMesh:
        prim = query.GetPrim()
        return cls(prim, query, skeleton, query.GetSkinningMethod() == UsdSkel.Tokens.dualQuaternion)


def add_mesh(builder: GltfBuilder, looks: Looks, mesh: UsdMesh, notes: list[str]) -> int:
    """Add a mesh with its skin, shapes and looks; how many vertices the file has of it."""
    geometry, name = UsdGeom.Mesh(mesh.prim), mesh.prim.GetName()
    points = np.array(geometry.GetPointsAttr().Get() or (), np.float32).reshape(-1, 3)
    counts = np.array(geometry.GetFaceVertexCountsAttr().Get() or (), np.int64)
    corners = np.array(geometry.GetFaceVertexIndicesAttr().Get() or (), np.int64)
    if (
        not len(points)
        or counts.sum() != len(corners)
        or (len(corners) and not 0 <= corners.min() <= corners.max() < len(points))
    ):
        raise BadFileError(f"The USD file is broken: the faces of “{name}” do not fit its points.")
    triangles, faces = _fans(counts)  # (T, 3) places in `corners`, (T,) the face of each
    if geometry.GetOrientationAttr().Get() == UsdGeom.Tokens.leftHanded:
        triangles = triangles[:, [0, 2, 1]]
    texture = _per_corner(UsdGeom.PrimvarsAPI(mesh.prim), ("st", "UVMap", "st0", "map1"), corners, counts, 2)
    colour = _per_corner(UsdGeom.PrimvarsAPI(mesh.prim), ("displayColor",), corners, counts, 3)
    # A file vertex is a point with what its corners say of it.
    told = [corners[:, None], *(np.round(v * 2.0**20).astype(np.int64) for v in (texture, colour) if v is not None)]
    rows, vertex = distinct_rows(np.concatenate(told, axis=1))
    first = np.full(len(rows), -1, np.int64)
    first[vertex[::-1]] = np.arange(len(corners))[::-1]
    own = rows[:, 0]
    attributes = {"POSITION": builder.accessor(points[own], ARRAY_BUFFER, bounds=True)}
    if texture is not None:
        # USD counts a picture's rows from below.
        attributes["TEXCOORD_0"] = builder.accessor(
            (texture[first] * [1, -1] + [0, 1]).astype(np.float32), ARRAY_BUFFER
        )
    if colour is not None:
        attributes["COLOR_0"] = builder.accessor(np.clip(colour[first], 0, 1).astype(np.float32), ARRAY_BUFFER)
    attributes |= _influences(builder, mesh, len(points), own, notes)
    targets = _shapes(builder, mesh, len(points), own)
    primitives = []
    for material, some in looks.of(mesh.prim, faces):
        index = vertex[triangles[some]].astype(np.uint32).ravel()
        primitive: dict[str, Any] = {"attributes": attributes, "indices": builder.accessor(index, ELEMENT_ARRAY_BUFFER)}
        primitive |= {"material": material} if material is not None else {}
        primitives.append(primitive | ({"targets": targets} if targets else {}))
    made: dict[str, Any] = {"name": name, "primitives": primitives}
    if targets:
        made["extras"] = {"targetNames": [t for t, _ in mesh.targets]}
    mesh.node = builder.add("nodes", {"name": name, "mesh": builder.add("meshes", made), "skin": _skin(builder, mesh)})
    return len(own)


def _fans(counts: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Triangles ``(T, 3)`` of polygons, as places among their corners, and the polygon of each ``(T,)``."""
    start = np.cumsum(counts) - counts
    extra = np.maximum(counts - 2, 0)
    faces = np.repeat(np.arange(len(counts)), extra)
    step = np.arange(len(faces)) - np.repeat(np.cumsum(extra) - extra, extra)
    return np.stack([start[faces], start[faces] + step + 1, start[faces] + step + 2], axis=1), faces


def _per_corner(
    primvars: Any, names: tuple[str, ...], corners: NDArray[np.int64], counts: NDArray[np.int64], width: int
) -> Array | None:
    """A primvar at each corner ``(C, width)``; None where it is not there, or does not fit."""
    for name in names:
        primvar = primvars.GetPrimvar(name)
        if not primvar or not primvar.HasValue():
            continue
        values = np.array(primvar.ComputeFlattened(), np.float64)
        if values.ndim != 2 or values.shape[1] != width or not np.isfinite(values).all():
            continue
        face = np.repeat(np.arange(len(counts)), counts)
        by = {
            "constant": np.zeros(len(corners), np.int64), "uniform": face, "vertex": corners, "varying": corners,
            "faceVarying": np.arange(len(corners)),
        }[str(primvar.GetInterpolation())]  # fmt: skip
        if len(by) == 0 or by.max() < len(values):
            return np.asarray(values[by])
    return None


def _influences(
    builder: GltfBuilder, mesh: UsdMesh, points: int, own: NDArray[np.int64], notes: list[str]
) -> dict[str, int]:
    """Joints and weights of each file vertex, as accessors by attribute."""
    found = mesh.query.ComputeVaryingJointInfluences(points)
    name = mesh.prim.GetName()
    if not found or len(found[0]) % points or len(found[0]) != len(found[1]):
        raise BadFileError(f"The USD file is broken: what the vertices of “{name}” follow does not fit its points.")
    joints, weights = (np.array(f).reshape(points, -1) for f in found)
    order = mesh.query.GetJointOrder()
    if order is not None:
        number = {path: k for k, path in enumerate(mesh.skeleton.joints)}
        to = np.array([number.get(str(path), -1) for path in order])
        if not len(to) or (joints.max(initial=0) >= len(to)) or (to[joints[weights > 0]] < 0).any():
            raise BadFileError(f"The USD file is broken: “{name}” follows a joint that its skeleton does not have.")
        joints = np.maximum(to[joints], 0)
    if joints.min(initial=0) < 0 or joints.max(initial=0) >= len(mesh.skeleton.joints):
        raise BadFileError(f"The USD file is broken: “{name}” follows a joint that its skeleton does not have.")
    if joints.shape[1] > MOST:
        notes.append(f"Vertices of “{name}” follow up to {joints.shape[1]} joints: the {MOST} strongest are read.")
        strongest = np.argsort(-weights, axis=1, kind="stable")[:, :MOST]
        joints, weights = (np.take_along_axis(a, strongest, axis=1) for a in (joints, weights))
    missing = -joints.shape[1] % 4
    joints, weights = (np.pad(a, ((0, 0), (0, missing)))[own] for a in (joints, weights))
    out = {}
    for k in range(joints.shape[1] // 4):
        four = slice(4 * k, 4 * k + 4)
        out[f"JOINTS_{k}"] = builder.accessor(joints[:, four].astype(np.uint16), ARRAY_BUFFER)
        out[f"WEIGHTS_{k}"] = builder.accessor(weights[:, four].astype(np.float32), ARRAY_BUFFER)
    return out


def _skin(builder: GltfBuilder, mesh: UsdMesh) -> int:
    """A skin of its own: where it was bound may be another place for each mesh."""
    skeleton = mesh.skeleton
    place = np.array(mesh.query.GetGeomBindTransform(), np.float64)
    try:
        inverse = place @ np.linalg.inv(skeleton.bind)
    except np.linalg.LinAlgError:
        raise BadFileError(f"The USD file is broken: a joint of “{skeleton.name}” is bound at no size.") from None
    matrices = builder.accessor(inverse.reshape(-1, 16).astype(np.float32))
    return builder.add("skins", {"joints": [skeleton.first + k for k in range(len(skeleton.joints))],
                                 "inverseBindMatrices": matrices, "name": skeleton.name})  # fmt: skip


def _shapes(builder: GltfBuilder, mesh: UsdMesh, points: int, own: NDArray[np.int64]) -> list[dict[str, int]]:
    """Blend shapes and their in-betweens as morph targets, each a whole shape of its own."""
    binding = UsdSkel.BindingAPI(mesh.prim)
    order, prims = mesh.query.GetBlendShapeOrder() or (), UsdSkel.BlendShapeQuery(binding)
    out = []
    for number, name in enumerate(order):
        shape = prims.GetBlendShape(number)
        if not shape:
            continue
        rows = np.array(shape.GetPointIndicesAttr().Get() or (), np.int64)
        parts = [
            (b.GetAttr().GetName().rsplit(":", 1)[-1], float(b.GetWeight() or 0), b.GetOffsets())
            for b in shape.GetInbetweens()
        ]
        parts = [
            *sorted((p for p in parts if 0 < p[1] < 1), key=lambda p: p[1]),
            ("", 1.0, shape.GetOffsetsAttr().Get()),
        ]
        for part, at, given in parts:
            offsets = np.array(given or (), np.float32).reshape(-1, 3)
            dense = np.zeros((points, 3), np.float32)
            if len(rows) and len(rows) == len(offsets) and rows.min() >= 0 and rows.max() < points:
                dense[rows] = offsets
            elif not len(rows) and len(offsets) == points:
                dense = offsets
            else:
                raise BadFileError(f"The USD file is broken: the shape “{name}” does not fit its mesh.")
            moved = dense[own]
            there = np.flatnonzero(moved.any(axis=1))
            out.append({"POSITION": builder.offsets(there, moved[there], len(own))})
            mesh.targets.append((str(name) if not part else f"{name} {part}", at))
    return out
