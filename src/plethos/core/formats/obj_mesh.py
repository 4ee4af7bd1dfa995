"""Wavefront OBJ -> a glTF file without skin: one mesh a group, so that everything after it is the same for both."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadFileError
from plethos.core.formats.gltf_build import ARRAY_BUFFER, ELEMENT_ARRAY_BUFFER, GltfBuilder
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.limits import check_parts
from plethos.core.formats.obj_looks import ObjLooks
from plethos.core.geometry.rows import distinct_rows
from plethos.core.geometry.topology import extent, is_somewhere

# An OBJ says no unit. A figure this tall in its own units was most likely measured in the one beside it.
UNITS = ((400.0, 0.001, "millimetres"), (12.0, 0.01, "centimetres"))


@dataclass
class _Group:
    name: str
    corners: list[tuple[int, int, int]] = field(default_factory=list)  # place, texture, normal; three a triangle
    materials: list[str] = field(default_factory=list)  # one a triangle


def file_from_obj(text: str, others: Mapping[str, bytes] | None = None) -> GltfFile:
    """The meshes of an OBJ, as a glTF file.

    Polygons are cut into triangles, groups (``o``, else ``g``) become meshes; places, texture coordinates, normals and
    materials are kept.

    Parameters
    ----------
    others
        The libraries of materials and the pictures that came with it, by name.

    Raises
    ------
    BadFileError
        When it holds no face, or a line is broken; the line is named.
    """
    columns: dict[str, list[list[float]]] = {"v": [], "vt": [], "vn": []}
    groups, material = [_Group("mesh")], ""
    builder = GltfBuilder(GltfFile({"asset": {"version": "2.0", "generator": "Plethos"}}, ()))
    looks = ObjLooks(builder, others or {})
    has_objects = any(line.startswith("o ") for line in text.splitlines())
    for number, line in enumerate(text.splitlines(), 1):
        key, _, rest = line.partition(" ")
        if key in columns:
            columns[key].append(_numbers(rest, 2 if key == "vt" else 3, number))
        elif key == ("o" if has_objects else "g"):
            groups.append(_Group(rest.strip() or f"mesh_{len(groups)}"))
        elif key == "usemtl":
            material = rest.strip()
        elif key == "mtllib":
            looks.read(rest.strip())
        elif key == "f":
            fan = _fan(rest.split(), [len(columns[k]) for k in ("v", "vt", "vn")], number)
            groups[-1].corners += fan
            groups[-1].materials += [material] * (len(fan) // 3)
    groups = [g for g in groups if g.corners]
    check_parts(len(groups))
    if not groups:
        raise BadFileError("The OBJ holds no faces, so there is no mesh to bring in.")
    places = np.array(columns["v"], dtype=np.float64)
    if not is_somewhere(places):
        raise BadFileError("The OBJ is broken: a vertex is not finite (NaN), or lies nowhere.")
    scale, notes = _unit(extent(places))
    most = np.finfo(np.float32).max
    arrays = {
        k: np.clip(np.array(v, np.float64), -most, most).astype(np.float32).reshape(-1, 2 if k == "vt" else 3)
        for k, v in columns.items()
    }
    nodes = []
    for group in groups:
        node = {"name": group.name, "mesh": builder.add("meshes", _mesh(builder, looks, group, arrays))}
        nodes.append(builder.add("nodes", node if scale == 1 else {**node, "scale": [scale] * 3}))
    builder.document["scene"], builder.document["scenes"] = 0, [{"nodes": nodes}]
    file = builder.file()
    plain = [f"“{name}” did not come with the OBJ; what it colours is shown plain." for name in looks.missing]
    return GltfFile(file.document, file.buffers, (*notes, *dict.fromkeys(plain)))


def _numbers(text: str, count: int, line: int) -> list[float]:
    try:
        numbers = [float(c) for c in text.split()[:count]]
    except ValueError:
        numbers = []
    if len(numbers) != count:
        raise BadFileError(f"The OBJ is broken: line {line} does not hold {count} numbers.")
    return numbers


def _fan(corners: list[str], counts: list[int], line: int) -> list[tuple[int, int, int]]:
    """The triangles of a polygon, as corners; -1 for a texture coordinate or normal that is not given."""
    polygon = []
    for corner in corners:
        fields = (corner.split("/") + ["", ""])[:3]
        indices = []
        for text, count in zip(fields, counts, strict=True):
            try:
                index = int(text) if text else 0
            except ValueError:
                raise BadFileError(f"The OBJ is broken: “{corner}” in line {line} is no corner of a face.") from None
            # Numbers below 0 count back from the newest.
            index = index - 1 if index > 0 else (count + index if index < 0 else -1)
            if not -1 <= index < count:
                raise BadFileError(f"The OBJ is broken: line {line} names a vertex that is not there.")
            indices.append(index)
        if indices[0] < 0:
            raise BadFileError(f"The OBJ is broken: line {line} names a vertex that is not there.")
        polygon.append((indices[0], indices[1], indices[2]))
    if len(polygon) < 3:
        raise BadFileError(f"The OBJ is broken: the face in line {line} has less than three corners.")
    return [c for k in range(1, len(polygon) - 1) for c in (polygon[0], polygon[k], polygon[k + 1])]


def _mesh(
    builder: GltfBuilder, looks: ObjLooks, group: _Group, arrays: dict[str, NDArray[np.float32]]
) -> dict[str, object]:
    corners = np.array(group.corners, dtype=np.int64)
    # A vertex of the file is a place with its texture coordinate and normal; in the order of their places.
    rows, index = distinct_rows(corners)
    attributes = {"POSITION": builder.accessor(arrays["v"][rows[:, 0]], ARRAY_BUFFER, bounds=True)}
    if (rows[:, 2] >= 0).all():
        normals = arrays["vn"][rows[:, 2]]
        length = np.linalg.norm(normals, axis=1, keepdims=True)
        if (length > 1e-6).all():
            attributes["NORMAL"] = builder.accessor((normals / length).astype(np.float32), ARRAY_BUFFER)
    if (rows[:, 1] >= 0).all():
        # The format's origin is the lower left corner of the picture, glTF's the upper left.
        flipped = arrays["vt"][rows[:, 1]] * np.array([1, -1], np.float32) + np.array([0, 1], np.float32)
        attributes["TEXCOORD_0"] = builder.accessor(flipped, ARRAY_BUFFER)
    triangles, primitives = index.reshape(-1, 3).astype(np.uint32), list[dict[str, object]]()
    names = np.array(group.materials)
    for name in dict.fromkeys(group.materials):
        indices = builder.accessor(triangles[names == name].ravel(), ELEMENT_ARRAY_BUFFER)
        material = looks.of(name)
        primitive: dict[str, object] = {"attributes": attributes, "indices": indices}
        primitives.append(primitive if material is None else {**primitive, "material": material})
    return {"name": group.name, "primitives": primitives}


def _unit(size: float) -> tuple[float, tuple[str, ...]]:
    for least, scale, name in UNITS:
        if size > least:
            return scale, (f"The OBJ is {size:.0f} units large: they were taken for {name}.",)
    return 1.0, ()
