"""The container: a glTF document and its buffers, from `.glb` or `.gltf` bytes, packed again as `.glb`.

Plain JSON and `struct` on purpose: a document is kept as it came, with every extra and extension that we know
nothing about, so that what leaves is what came in plus our own. No number in a file is trusted: each is checked
before anything of its size is made.
"""

from __future__ import annotations

import base64
import binascii
import json
import struct
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadFileError

COMPONENTS: dict[int, np.dtype[Any]] = {
    5120: np.dtype("<i1"),
    5121: np.dtype("<u1"),
    5122: np.dtype("<i2"),
    5123: np.dtype("<u2"),
    5125: np.dtype("<u4"),
    5126: np.dtype("<f4"),
}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
# More vertices than any character has; a claim above it is a broken file, not a reason to ask for the memory.
MOST_ELEMENTS = 20_000_000


@dataclass(frozen=True)
class GltfFile:
    """A document with its buffers.

    Parameters
    ----------
    document
        The parsed JSON object, unchanged.
    buffers
        The bytes of each of its buffers.
    notes
        What was missing and could be done without, as sentences.
    """

    document: dict[str, Any]
    buffers: tuple[bytes, ...]
    notes: tuple[str, ...] = ()
    _lists: dict[str, list[dict[str, Any]]] = field(default_factory=dict, init=False, repr=False, compare=False)

    def items(self, kind: str) -> list[dict[str, Any]]:
        """The top-level list `kind` (nodes, meshes, ...), which may be missing."""
        known = self._lists.get(kind)
        if known is not None:
            return known
        found = self.document.get(kind, [])
        if not isinstance(found, list) or not all(isinstance(item, dict) for item in found):
            raise BadFileError(f"The file is broken: “{kind}” is not a list of objects.")
        self._lists[kind] = found
        return found

    def item(self, kind: str, index: object, where: str) -> dict[str, Any]:
        """Item `index` of a top-level list; `where` says who refers to it."""
        return self.items(kind)[whole(index, f"{where} refers to {kind}", len(self.items(kind)))]

    def accessor(
        self, index: object, where: str, width: str | tuple[str, ...], count: int | None = None
    ) -> NDArray[Any]:
        """The elements of an accessor ``(N, C)``; integers stay integers unless normalised.

        Parameters
        ----------
        where
            Who refers to it, for the sentence of an error.
        width
            The type or types it may have, as ``VEC3``.
        count
            The number of elements it must have, when that is known.

        Raises
        ------
        BadFileError
            When anything in it points outside of the data, or holds NaN.
        """
        accessor = self.item("accessors", index, where)
        kind = accessor.get("type")
        component = COMPONENTS.get(accessor.get("componentType", -1))
        if kind not in ((width,) if isinstance(width, str) else width) or component is None:
            raise BadFileError(f"The file is broken: {where} is stored as {kind!r}, which does not fit.")
        size = whole(accessor.get("count"), f"the length of {where}", MOST_ELEMENTS + 1)
        if count is not None and size != count:
            raise BadFileError(f"The file is broken: {where} has {size} elements where {count} are needed.")
        columns = WIDTHS[kind]
        if "bufferView" in accessor:
            data = self._strided(accessor, component, columns, size, where).copy()
        elif count is None and size > 65536:
            raise BadFileError(f"The file is broken: {where} claims {size} elements and stores none.")
        else:
            data = np.zeros((size, columns), component)
        if "sparse" in accessor:
            rows, values = self._sparse(accessor["sparse"], size, component, columns, where)
            data[rows] = values
        if accessor.get("normalized") and component.kind in "iu":
            data = np.maximum(data.astype(np.float64) / np.iinfo(component).max, -1.0)
        if data.dtype.kind == "f" and not np.isfinite(data).all():
            raise BadFileError(f"The file is broken: {where} holds numbers that are not finite (NaN).")
        return data

    def changed(
        self, index: object, where: str, width: str, count: int
    ) -> tuple[NDArray[np.int32], NDArray[np.floating]]:
        """The rows ``(N,)`` of an accessor that are not zero, ascending, and what stands there ``(N, C)``.

        Most morph targets are stored as a few changed rows of zeros: these are read without laying the zeros out.

        Raises
        ------
        BadFileError
            As `accessor`.
        """
        accessor = self.item("accessors", index, where)
        sparse, floats = accessor.get("sparse"), accessor.get("componentType") == 5126
        if sparse is not None and floats and "bufferView" not in accessor and accessor.get("type") == width:
            size = whole(accessor.get("count"), f"the length of {where}", MOST_ELEMENTS + 1)
            rows, values = self._sparse(sparse, size, COMPONENTS[5126], WIDTHS[width], where)
            size_of = np.abs(values).sum(axis=1)
            if size == count and (rows[1:] > rows[:-1]).all() and np.isfinite(size_of).all():
                there = size_of > 0
                return rows[there].astype(np.int32), values[there]
        # Whatever is stored otherwise, or is broken: the whole of it is read, or refused with its sentence.
        whole_of_it = self.accessor(index, where, width, count)
        rows = np.flatnonzero(whole_of_it.any(axis=1))
        return rows.astype(np.int32), whole_of_it[rows]

    def stored(self, accessor: Mapping[str, Any], where: str) -> NDArray[Any]:
        """The elements ``(N, C)`` of an accessor with a buffer view, exactly as they are stored, without its stride."""
        component = COMPONENTS[accessor["componentType"]]
        return self._strided(accessor, component, WIDTHS[accessor["type"]], accessor["count"], where).copy()

    def picture(self, image: Mapping[str, Any]) -> bytes:
        """The bytes of a picture, from a buffer or from the address that holds them.

        Raises
        ------
        BadFileError
            When they are not there.
        """
        uri = image.get("uri")
        if isinstance(uri, str) and uri.startswith("data:"):
            try:
                return base64.b64decode(uri.split(",", 1)[1], validate=True)
            except (IndexError, binascii.Error):
                raise BadFileError("The file is broken: the data of a picture cannot be read.") from None
        view = self.item("bufferViews", image.get("bufferView"), "a picture")
        size = whole(view.get("byteLength"), "the byte length of a picture", MOST_ELEMENTS * 4)
        return self._strided(image, COMPONENTS[5121], 1, size, "a picture").tobytes()

    def _sparse(
        self, sparse: Any, size: int, component: np.dtype[Any], columns: int, where: str
    ) -> tuple[NDArray[np.int64], NDArray[Any]]:
        """The rows of `size` that a sparse part sets, and what to."""
        try:
            count, indices, values = sparse["count"], sparse["indices"], sparse["values"]
            index_type = COMPONENTS[indices["componentType"]]
        except (KeyError, TypeError):
            raise BadFileError(f"The file is broken: the sparse part of {where} is incomplete.") from None
        n = whole(count, f"the sparse length of {where}", size + 1)
        at = self._strided(indices, index_type, 1, n, where)[:, 0].astype(np.int64)
        if len(at) and at.max() >= size:
            raise BadFileError(f"The file is broken: a sparse index of {where} is out of range.")
        return at, self._strided(values, component, columns, n, where)

    def _strided(
        self, source: Mapping[str, Any], component: np.dtype[Any], columns: int, count: int, where: str
    ) -> NDArray[Any]:
        view = self.item("bufferViews", source.get("bufferView"), where)
        number = whole(view.get("buffer"), f"{where} refers to buffers", len(self.buffers))
        buffer = self.buffers[number]
        start = whole(view.get("byteOffset", 0), f"the offset of {where}", len(buffer) + 1)
        length = whole(view.get("byteLength"), f"the byte length of {where}", len(buffer) - start + 1)
        offset = whole(source.get("byteOffset", 0), f"the offset of {where}", length + 1)
        element = component.itemsize * columns
        stride = whole(view.get("byteStride", element), f"the stride of {where}", 256)
        if count and (stride < element or offset + stride * (count - 1) + element > length):
            raise BadFileError(f"The file is broken: {where} reaches beyond the end of its data.")
        return np.ndarray((count, columns), component, buffer, start + offset, (stride, component.itemsize))

    def pack(self) -> bytes:
        """The file as one `.glb`, all buffers joined into its binary chunk."""
        document = dict(self.document)
        joined = bytearray()
        starts = []
        for buffer in self.buffers:
            joined += b"\0" * (-len(joined) % 4)
            starts.append(len(joined))
            joined += buffer
        if document.get("bufferViews"):
            document["bufferViews"] = [
                {**view, "buffer": 0, "byteOffset": view.get("byteOffset", 0) + starts[view["buffer"]]}
                for view in self.items("bufferViews")
            ]
        joined += b"\0" * (-len(joined) % 4)
        document["buffers"] = [{"byteLength": len(joined)}] if joined else []
        if not joined:
            del document["buffers"]
        text = json.dumps(document, ensure_ascii=False, separators=(",", ":")).encode()
        text += b" " * (-len(text) % 4)
        chunks = struct.pack("<II", len(text), 0x4E4F534A) + text
        if joined:
            chunks += struct.pack("<II", len(joined), 0x004E4942) + bytes(joined)
        return struct.pack("<4sII", b"glTF", 2, 12 + len(chunks)) + chunks


def whole(value: object, what: str, limit: int) -> int:
    """`value` when it is a whole number from 0 to below `limit`, else an error that names `what`."""
    if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value < limit:
        shown = value if isinstance(value, int | float | str) else "nothing"
        raise BadFileError(f"The file is broken: {what} ({str(shown)[:40]}) is out of range.")
    return value
