"""Compressed meshes of glTF laid out plain: Draco by primitive, meshopt by buffer view.

A file is unpacked once, where strangers' files are read, and stored and delivered without its compression. Meshopt's
decoder is Debian's libmeshoptimizer2d (0.18: the codecs of EXT_meshopt_compression).
"""

from __future__ import annotations

import ctypes
import ctypes.util
from functools import cache
from typing import Any

import DracoPy
import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadFileError
from plethos.core.formats.gltf_build import GltfBuilder
from plethos.core.formats.gltf_file import COMPONENTS, MOST_ELEMENTS, WIDTHS, GltfFile, whole

DRACO, MESHOPT = "KHR_draco_mesh_compression", "EXT_meshopt_compression"
LIBRARY = "libmeshoptimizer2d"
FILTERS = {"OCTAHEDRAL": "Oct", "QUATERNION": "Quat", "EXPONENTIAL": "Exp"}
DECODERS = {"ATTRIBUTES": "VertexBuffer", "TRIANGLES": "IndexBuffer", "INDICES": "IndexSequence"}


def unpacked(file: GltfFile) -> GltfFile:
    """The file without compression; the same file where there is none.

    Raises
    ------
    BadFileError
        When what is compressed is broken, or cannot be read on this machine.
    """
    views = any(MESHOPT in _extensions(view) for view in file.items("bufferViews"))
    meshes = any(DRACO in _extensions(p) for mesh in file.items("meshes") for p in mesh.get("primitives", ()))
    if not views and not meshes:
        return file
    builder = GltfBuilder(file)
    document = builder.document
    if views:
        _unpack_views(file, builder)
    if meshes:
        _unpack_meshes(file, builder)
    for key in ("extensionsUsed", "extensionsRequired"):
        left = [name for name in document.get(key, []) if name not in (DRACO, MESHOPT)]
        document.pop(key, None)
        if left:
            document[key] = left
    names = " and ".join(n for n, used in (("meshopt", views), ("Draco", meshes)) if used)
    note = f"It was compressed ({names}); it is stored and delivered without that."
    plain = builder.file()
    return GltfFile(plain.document, plain.buffers, (*file.notes, note))


def _extensions(item: dict[str, Any]) -> dict[str, Any]:
    found = item.get("extensions")
    return found if isinstance(found, dict) else {}


def _unpack_views(file: GltfFile, builder: GltfBuilder) -> None:
    for number, view in enumerate(file.items("bufferViews")):
        told = _extensions(view).get(MESHOPT)
        if told is None:
            continue
        where = f"compressed buffer view {number}"
        if not isinstance(told, dict):
            raise BadFileError(f"The file is broken: {where} is not described.")
        buffer = file.buffers[whole(told.get("buffer"), f"the buffer of {where}", len(file.buffers))]
        start = whole(told.get("byteOffset", 0), f"the start of {where}", len(buffer) + 1)
        length = whole(told.get("byteLength"), f"the length of {where}", len(buffer) - start + 1)
        count = whole(told.get("count"), f"the count of {where}", MOST_ELEMENTS + 1)
        stride = whole(told.get("byteStride"), f"the stride of {where}", 257)
        plain = _decoded(
            buffer[start : start + length], count, stride, str(told.get("mode")), told.get("filter"), where
        )
        kept = {k: v for k, v in view.items() if k not in ("extensions", "byteOffset")}
        builder.document["bufferViews"][number] = {**kept, **builder.place(plain.tobytes())}
    for buffer in builder.document["buffers"]:
        buffer.pop("extensions", None)


def _decoded(data: bytes, count: int, stride: int, mode: str, filtered: Any, where: str) -> NDArray[np.uint8]:
    fits = stride % 4 == 0 if mode == "ATTRIBUTES" else stride in (2, 4)
    if mode not in DECODERS or not fits or stride == 0 or filtered not in (None, "NONE", *FILTERS):
        raise BadFileError(f"The file is broken: {where} is compressed in a way that glTF does not have.")
    if mode == "TRIANGLES" and count % 3:
        raise BadFileError(f"The file is broken: {where} has no whole number of triangles.")
    # The decoders run on over the end of what they are given by less than that.
    out = np.zeros(count * stride + 64, np.uint8)
    decoder = getattr(_library(), f"meshopt_decode{DECODERS[mode]}")
    target = out.ctypes.data_as(ctypes.c_void_p)
    size = ctypes.c_size_t
    if count and decoder(target, size(count), size(stride), data, size(len(data))) != 0:
        raise BadFileError(f"The file is broken: {where} cannot be decompressed.")
    if filtered in FILTERS:
        widths = {"OCTAHEDRAL": (4, 8), "QUATERNION": (8,)}.get(filtered, range(4, 257, 4))
        if mode != "ATTRIBUTES" or stride not in widths:
            raise BadFileError(f"The file is broken: the filter of {where} does not fit what it holds.")
        getattr(_library(), f"meshopt_decodeFilter{FILTERS[filtered]}")(target, size(count), size(stride))
    return out[: count * stride]


@cache
def _library() -> ctypes.CDLL:
    try:
        return ctypes.CDLL(ctypes.util.find_library("meshoptimizer") or "libmeshoptimizer.so.0.18")
    except OSError:
        raise BadFileError(
            f"The file is compressed with meshopt, and this machine lacks what reads that: install the Debian package "
            f"{LIBRARY}, or save the file without compression."
        ) from None


def _unpack_meshes(file: GltfFile, builder: GltfBuilder) -> None:
    document = builder.document
    known: dict[int, Any] = {}
    for mesh in document["meshes"]:
        for primitive in mesh.get("primitives", ()):
            told = _extensions(primitive).get(DRACO)
            if told is None:
                continue
            names = told.get("attributes") if isinstance(told, dict) else None
            if not isinstance(names, dict):
                raise BadFileError("The file is broken: a compressed mesh does not say what it holds.")
            view = whole(told.get("bufferView"), "a compressed mesh", len(file.items("bufferViews")))
            if view not in known:
                known[view] = _mesh(file, view)
            found = known[view]
            for name, accessor in primitive.get("attributes", {}).items():
                if name in names:
                    values = _attribute(found, names[name], name)
                    _fill(builder, accessor, values, f"the compressed {name}")
                elif not {"bufferView", "sparse"} & set(file.item("accessors", accessor, name)):
                    raise BadFileError(f"The file is broken: its compressed mesh holds no {name}.")
            if "indices" in primitive:
                corners = np.asarray(found.faces, np.uint32).reshape(-1, 1)
                document["accessors"][primitive["indices"]]["componentType"] = 5125
                _fill(builder, primitive["indices"], corners, "the compressed indices")
            primitive["mode"] = 4
            left = {k: v for k, v in primitive["extensions"].items() if k != DRACO}
            primitive.pop("extensions")
            if left:
                primitive["extensions"] = left


def _mesh(file: GltfFile, view: int) -> Any:
    try:
        found = DracoPy.decode(file.picture({"bufferView": view}))
    except BadFileError:
        raise
    except Exception:  # whatever the decoder makes of broken bytes
        raise BadFileError("The file is broken: a mesh that is compressed with Draco cannot be decompressed.") from None
    if not hasattr(found, "faces"):
        raise BadFileError("The file is broken: a mesh that is compressed with Draco holds no triangles.")
    return found


def _attribute(mesh: Any, identity: Any, name: str) -> NDArray[Any]:
    try:
        return np.asarray(mesh.get_attribute_by_unique_id(identity)["data"])
    except Exception:
        raise BadFileError(f"The file is broken: its compressed mesh holds no {name}.") from None


def _fill(builder: GltfBuilder, number: Any, values: NDArray[Any], where: str) -> None:
    """Give an accessor what was decompressed for it."""
    accessors = builder.document["accessors"]
    accessor = accessors[whole(number, where, len(accessors))]
    component, columns = COMPONENTS.get(accessor.get("componentType", -1)), WIDTHS.get(str(accessor.get("type")))
    values = values.reshape(len(values), -1)
    if component is None or columns != values.shape[1]:
        raise BadFileError(f"The file is broken: {where} is stored otherwise than it says.")
    accessor.pop("byteOffset", None)
    accessor.pop("sparse", None)
    accessor.update(bufferView=builder.view(values.astype(component).tobytes()), count=len(values))
