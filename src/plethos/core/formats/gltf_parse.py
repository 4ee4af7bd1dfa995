"""From the bytes of a glTF file to its parts, each checked before it is read."""

from __future__ import annotations

import base64
import binascii
import struct
import urllib.parse
from collections.abc import Mapping
from typing import Any

from plethos.core.errors import BadFileError
from plethos.core.formats.gltf_file import GltfFile, whole
from plethos.core.formats.gltf_json import json_of
from plethos.core.formats.gltf_packed import DRACO, MESHOPT, unpacked
from plethos.core.formats.picture_type import picture_type

# How the lists that are walked are built (glTF 2.0, 5); anything may be missing. What a number may be is checked later.
SHAPES: dict[str, Any] = {
    "nodes": {"children": [int]},
    "scenes": {"nodes": [int]},
    "meshes": {"primitives": [{"attributes": {}, "targets": [{}]}]},
    "skins": {"joints": [int]},
    "animations": {"channels": [{"target": {"node": int, "path": str}}], "samplers": [{}]},
    "accessors": {"componentType": int, "type": str},
}
HARMLESS = ("KHR_mesh_quantization", "KHR_texture", "KHR_materials", "KHR_lights", "EXT_texture", "KHR_xmp", "MSFT_lod")


def parse(data: bytes, others: Mapping[str, bytes] | None = None) -> GltfFile:
    """Read `.glb` or `.gltf` bytes.

    Parameters
    ----------
    others
        The files that came with a `.gltf` (buffers, pictures), by the name it calls them.

    Raises
    ------
    BadFileError
        When it is not glTF 2.0, is cut off, or a buffer is missing.
    """
    binary = None
    text = data
    if data[:4] == b"glTF":
        text, binary = _chunks(data)
    elif not data.lstrip(b"\xef\xbb\xbf \t\r\n").startswith(b"{"):
        raise BadFileError(
            "This is no file that is read here: those are .glb, .gltf, .usd (.usda, .usdc, .usdz), .obj and .svg."
        )
    document = json_of(text)
    if not isinstance(document, dict) or not isinstance(document.get("asset"), dict):
        raise BadFileError("The file is broken: it has no glTF asset description.")
    if not str(document["asset"].get("version", "")).startswith("2."):
        raise BadFileError(f"The file is glTF {document['asset'].get('version')}; version 2.0 is needed.")
    _check_extensions(document)
    file = GltfFile(document, ())
    for kind, shape in SHAPES.items():
        for number, item in enumerate(file.items(kind)):
            _check_shape(item, shape, f"number {number} of its {kind}")
    buffers = tuple(_buffer(i, buffer, binary, others or {}) for i, buffer in enumerate(file.items("buffers")))
    for number, view in enumerate(file.items("bufferViews")):
        whole(view.get("buffer"), f"the buffer of view {number}", len(buffers))
        whole(view.get("byteOffset", 0), f"the start of view {number}", 2**40)
    return unpacked(_with_pictures(GltfFile(document, buffers), others or {}))


def _check_shape(value: object, shape: Any, where: str) -> None:
    """Refuse what is not built as `SHAPES` says: an object ``{key: shape}``, a list ``[shape]``, or a plain type."""
    kind = shape if isinstance(shape, type) else type(shape)
    if not isinstance(value, kind):
        raise BadFileError(f"The file is broken: {where} is not what glTF has there.")
    if isinstance(shape, list):
        for inner in value:  # type: ignore[attr-defined]
            _check_shape(inner, shape[0], where)
    elif isinstance(shape, dict):
        for key, inner in shape.items():
            if key in value:  # type: ignore[operator]
                _check_shape(value[key], inner, f"the {key} in {where}")  # type: ignore[index]


def _check_extensions(document: dict[str, Any]) -> None:
    required = document.get("extensionsRequired", [])
    for name in required if isinstance(required, list) else []:
        if name == "KHR_meshopt_compression":
            raise BadFileError("The file is compressed with a newer meshopt than is known here: save it without.")
        if name not in (DRACO, MESHOPT) and not str(name).startswith(HARMLESS):
            raise BadFileError(f"The file cannot be shown without the extension {name}, which is not known here.")


def _chunks(data: bytes) -> tuple[bytes, bytes | None]:
    if len(data) < 20:
        raise BadFileError("The file is cut off: it ends within its header.")
    version, length = struct.unpack_from("<II", data, 4)
    if version != 2:
        raise BadFileError(f"The file is a version {version} .glb; version 2 is needed.")
    if length > len(data):
        raise BadFileError(f"The file is cut off: it claims {length} bytes and has {len(data)}.")
    found: dict[int, bytes] = {}
    at = 12
    while at + 8 <= length:
        size, kind = struct.unpack_from("<II", data, at)
        if at + 8 + size > length:
            raise BadFileError("The file is cut off: one of its chunks reaches beyond its end.")
        found.setdefault(kind, data[at + 8 : at + 8 + size])
        at += 8 + size
    if 0x4E4F534A not in found:
        raise BadFileError("The file is broken: it has no JSON chunk.")
    return found[0x4E4F534A], found.get(0x004E4942)


def _buffer(number: int, buffer: Mapping[str, Any], binary: bytes | None, others: Mapping[str, bytes]) -> bytes:
    uri, extensions = buffer.get("uri"), buffer.get("extensions")
    told = extensions.get(MESHOPT) if isinstance(extensions, dict) else None
    if uri is None and isinstance(told, dict) and told.get("fallback") is True:
        return b""  # a place for what is unpacked, with nothing in it
    if uri is None:
        if binary is None or number != 0:
            raise BadFileError(f"The file is broken: buffer {number} has no data.")
        data = binary
    else:
        data = _fetch(uri, others, f"buffer {number}")
    claimed = buffer.get("byteLength")
    if not isinstance(claimed, int) or claimed < 0 or claimed > len(data):
        raise BadFileError(f"The file is cut off: buffer {number} claims {claimed} bytes and has {len(data)}.")
    return data[:claimed]


def _fetch(uri: object, others: Mapping[str, bytes], what: str) -> bytes:
    if not isinstance(uri, str):
        raise BadFileError(f"The file is broken: the address of {what} is not text.")
    if uri.startswith("data:"):
        try:
            return base64.b64decode(uri.split(",", 1)[1], validate=True)
        except (IndexError, binascii.Error):
            raise BadFileError(f"The file is broken: the data of {what} cannot be read.") from None
    name = urllib.parse.unquote(uri)
    for key in (name, name.rsplit("/", 1)[-1]):
        if key in others:
            return others[key]
    raise BadFileError(f"The file needs “{name}”, which did not come with it: drop both together.")


def _with_pictures(file: GltfFile, others: Mapping[str, bytes]) -> GltfFile:
    """Pictures from other files are taken into a buffer, so that one `.glb` holds everything."""
    document, notes, added = dict(file.document), list(file.notes), bytearray()
    images, views = [dict(i) for i in file.items("images")], list(file.items("bufferViews"))
    for number, image in enumerate(images):
        uri = image.get("uri")
        if not isinstance(uri, str) or uri.startswith("data:"):
            continue
        try:
            data = _fetch(uri, others, f"picture {number}")
        except BadFileError:
            notes.append(f"The picture “{uri[:80]}” did not come with the file; its surface is shown plain.")
            data = _BLANK_PNG
        added += b"\0" * (-len(added) % 4)
        views.append({"buffer": len(file.buffers), "byteOffset": len(added), "byteLength": len(data)})
        added += data
        del image["uri"]
        image.update(bufferView=len(views) - 1, mimeType=picture_type(data) or "image/png")
    if not added:
        return GltfFile(document, file.buffers, tuple(notes))
    document.update(images=images, bufferViews=views)
    return GltfFile(document, (*file.buffers, bytes(added)), tuple(notes))


# One white pixel.
_BLANK_PNG = base64.b64decode(
    "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mP8/5+hHgAHggJ/PchI7wAAAABJRU5ErkJggg=="
)
