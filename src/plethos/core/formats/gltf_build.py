"""Adding accessors to a glTF document."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.formats.gltf_file import GltfFile

FLOAT, USHORT, UINT = 5126, 5123, 5125
ARRAY_BUFFER, ELEMENT_ARRAY_BUFFER = 34962, 34963
_TYPES = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4", 16: "MAT4"}
_CODES = {"f": {4: FLOAT}, "u": {1: 5121, 2: USHORT, 4: UINT}}


class GltfBuilder:
    """A document that grows: a deep copy of the one it starts from, with one more buffer for what is added."""

    def __init__(self, file: GltfFile) -> None:
        # Through text: plain data is copied so in a third of the time, and however deep it is.
        self.document: dict[str, Any] = json.loads(json.dumps(file.document))
        self._buffers = file.buffers
        self._data = bytearray()

    def place(self, data: bytes) -> dict[str, Any]:
        """Append raw bytes, 4-aligned; where they lie, as a buffer view says it."""
        self._data += b"\0" * (-len(self._data) % 4)
        start = len(self._data)
        self._data += data
        return {"buffer": len(self._buffers), "byteOffset": start, "byteLength": len(data)}

    def view(self, data: bytes, target: int | None = None) -> int:
        """Append raw bytes, 4-aligned; the number of their buffer view."""
        view = self.place(data)
        if target is not None:
            view["target"] = target
        return self.add("bufferViews", view)

    def add(self, kind: str, item: dict[str, Any]) -> int:
        """Append an item to a top-level list; its number."""
        self.document.setdefault(kind, []).append(item)
        return len(self.document[kind]) - 1

    def accessor(
        self, array: NDArray[Any], target: int | None = None, bounds: bool = False, normalized: bool = False
    ) -> int:
        """Append an array ``(N,)`` or ``(N, C)`` as an accessor; its number. `normalized`: integers mean 0 to 1."""
        array = np.ascontiguousarray(array)
        columns = array.reshape(len(array), -1)
        item: dict[str, Any] = {
            "bufferView": self.view(array.tobytes(), target),
            "componentType": _CODES[array.dtype.kind][array.dtype.itemsize],
            "count": len(array),
            "type": _TYPES[columns.shape[1]],
        }
        if bounds:
            item.update(min=columns.min(axis=0).tolist(), max=columns.max(axis=0).tolist())
        if normalized:
            item["normalized"] = True
        return self.add("accessors", item)

    def offsets(self, rows: NDArray[np.int64], values: NDArray[np.float32], count: int) -> int:
        """Append sparse VEC3 offsets over `count` vertices: `values` ``(N, 3)`` at ascending `rows`."""
        item: dict[str, Any] = {"componentType": FLOAT, "count": count, "type": "VEC3"}
        zero = np.zeros((1, 3), np.float32)
        bounded = values if len(rows) == count else np.concatenate([values.reshape(-1, 3), zero])
        item.update(min=bounded.min(axis=0).tolist(), max=bounded.max(axis=0).tolist())
        if len(rows):
            small = count <= 65535
            item["sparse"] = {
                "count": len(rows),
                "indices": {
                    "bufferView": self.view(rows.astype(np.uint16 if small else np.uint32).tobytes()),
                    "componentType": USHORT if small else UINT,
                },
                "values": {"bufferView": self.view(np.ascontiguousarray(values, np.float32).tobytes())},
            }
        return self.add("accessors", item)

    def file(self) -> GltfFile:
        """The grown file."""
        buffers = [*self.document.get("buffers", [])]
        if self._data:
            buffers.append({"byteLength": len(self._data)})
            self.document["buffers"] = buffers
            return GltfFile(self.document, (*self._buffers, bytes(self._data)))
        return GltfFile(self.document, self._buffers)
