"""How a character's surface is seen: materials, pictures, texture coordinates and vertex colours of a glTF document.

Nothing of it is computed with. Looks are never worth refusing a file: what is broken about them counts as not said.
"""

from __future__ import annotations

import hashlib
import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadFileError
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_layout import layout_of, primitives_of
from plethos.core.formats.picture_type import picture_type

WRAPS = {33071: "clamp", 33648: "mirror", 10497: "repeat"}
CUTOFF = 0.5  # where a cut-out material names none
PLAIN = (1.0, 1.0, 1.0, 1.0)


@dataclass(frozen=True)
class Texture:
    """A picture over a surface.

    Parameters
    ----------
    picture
        Its SHA-256.
    wrap
        What lies beyond its edges, along and across: ``repeat``, ``mirror`` or ``clamp``.
    """

    picture: str
    wrap: tuple[str, str]


@dataclass(frozen=True)
class Material:
    """One material.

    Parameters
    ----------
    colour
        Linear RGB and alpha, a factor on whatever else colours it.
    base, normal
        Its pictures: of the colour, and of the normals in tangent space.
    cutoff
        Of alpha: what has less is left out; None = nothing is.
    blended
        Whether alpha lets through.
    """

    name: str
    colour: tuple[float, float, float, float] = PLAIN
    base: Texture | None = None
    normal: Texture | None = None
    cutoff: float | None = None
    blended: bool = False


@dataclass(frozen=True)
class SurfaceRun:
    """Triangles of one part with one material.

    Parameters
    ----------
    part, material
        Their numbers; -1 = no material.
    start, count
        Their range among the triangles.
    """

    part: int
    material: int
    start: int
    count: int


@dataclass(frozen=True, eq=False)
class SeenSurface:
    """The surface of a character as its file draws it.

    Parameters
    ----------
    coordinates
        ``(F, 2)`` float32 of each file vertex; NaN where the file says none.
    colours
        ``(F, 4)`` float32 linear, 1 where the file says none.
    runs
        In the order of the character's file triangles.
    pictures
        The bytes of each by its SHA-256.
    """

    coordinates: NDArray[np.float32]
    colours: NDArray[np.float32]
    runs: tuple[SurfaceRun, ...]
    materials: tuple[Material, ...]
    pictures: dict[str, bytes]


def seen_surface(file: GltfFile) -> SeenSurface:
    """The surface of a document that was read as a character."""
    pictures: dict[str, bytes] = {}
    materials, transforms = [], list[tuple[int, NDArray[np.float64]]]()
    for told in file.items("materials"):
        material, transform = _material(file, told, pictures)
        materials.append(material)
        transforms.append(transform)
    coordinates, colours, runs, start = [], [], [], 0
    for number, layout in enumerate(layout_of(file)):
        primitives = primitives_of(file.items("meshes")[layout.mesh])
        for run in layout.runs:
            first = primitives[run.primitives[0]]
            known = _number(first.get("material"), len(materials))
            which, matrix = transforms[known] if known >= 0 else (0, np.eye(3))
            coordinates.append(_coordinates(file, first, which, matrix, run.count))
            colours.append(_colours(file, first, run.count))
            for p in run.primitives:
                length = _triangles(file, primitives[p], run.count)
                runs.append(SurfaceRun(number, _number(primitives[p].get("material"), len(materials)), start, length))
                start += length
    return SeenSurface(
        np.concatenate([np.zeros((0, 2), np.float32), *coordinates]),
        np.concatenate([np.zeros((0, 4), np.float32), *colours]),
        tuple(runs), tuple(materials), pictures,
    )  # fmt: skip


def _triangles(file: GltfFile, primitive: dict[str, Any], vertices: int) -> int:
    """How many triangles a primitive draws: a list of them, a strip or a fan."""
    corners = vertices
    if "indices" in primitive:
        corners = int(file.item("accessors", primitive["indices"], "the indices")["count"])
    return corners // 3 if primitive.get("mode", 4) == 4 else max(corners - 2, 0)


def _material(
    file: GltfFile, told: dict[str, Any], pictures: dict[str, bytes]
) -> tuple[Material, tuple[int, NDArray[np.float64]]]:
    """A material, and the texture coordinates that it asks for: their number, and what is done to them ``(3, 3)``."""
    look = told.get("pbrMetallicRoughness")
    look = look if isinstance(look, dict) else {}
    mode = told.get("alphaMode", "OPAQUE")
    base, normal = look.get("baseColorTexture"), told.get("normalTexture")
    material = Material(
        str(told.get("name") or "")[:120],
        _factor(look.get("baseColorFactor")),
        _texture(file, base, pictures),
        _texture(file, normal, pictures),
        min(max(_real(told.get("alphaCutoff"), CUTOFF), 0.0), 1.0) if mode == "MASK" else None,
        mode == "BLEND",
    )
    return material, _transform(base if isinstance(base, dict) else {})


def _factor(given: Any) -> tuple[float, float, float, float]:
    values = [_real(v, 1.0) for v in given] if isinstance(given, list) and len(given) == 4 else list(PLAIN)
    red, green, blue, alpha = (min(max(v, 0.0), 1.0) for v in values)
    return red, green, blue, alpha


def _real(value: Any, otherwise: float) -> float:
    return float(value) if isinstance(value, int | float) and math.isfinite(value) else otherwise


def _number(value: Any, count: int) -> int:
    return value if isinstance(value, int) and 0 <= value < count else -1


def _texture(file: GltfFile, told: Any, pictures: dict[str, bytes]) -> Texture | None:
    """A texture whose picture a browser can show; the picture goes to the others."""
    try:
        texture = file.item("textures", told["index"], "a material")
        sources = [texture.get("extensions", {}).get("EXT_texture_webp", {}).get("source"), texture.get("source")]
        data = next(d for d in (_picture(file, s) for s in sources) if d is not None)
        samplers = file.items("samplers")
        sampler = _number(texture.get("sampler"), len(samplers))
        wrap = samplers[sampler] if sampler >= 0 else {}
        along, across = (WRAPS.get(wrap.get(f"wrap{way}", 10497), "repeat") for way in "ST")
    except (BadFileError, AttributeError, KeyError, TypeError, StopIteration):
        return None
    name = hashlib.sha256(data).hexdigest()
    pictures[name] = data
    return Texture(name, (along, across))


def _picture(file: GltfFile, source: Any) -> bytes | None:
    if source is None:
        return None
    data = file.picture(file.item("images", source, "a texture"))
    return data if picture_type(data) else None


def _transform(texture: dict[str, Any]) -> tuple[int, NDArray[np.float64]]:
    """Which texture coordinates a texture goes by, and how KHR_texture_transform moves them."""
    extensions = texture.get("extensions")
    told = extensions.get("KHR_texture_transform") if isinstance(extensions, dict) else None
    which = _number(texture.get("texCoord", 0), 8)
    if not isinstance(told, dict):
        return max(which, 0), np.eye(3)

    def pair(key: str, otherwise: float) -> list[float]:
        found = told.get(key)
        return [_real(v, otherwise) for v in found] if isinstance(found, list) and len(found) == 2 else [otherwise] * 2

    (x, y), (across, up), turn = pair("offset", 0.0), pair("scale", 1.0), _real(told.get("rotation"), 0.0)
    c, s = math.cos(turn), math.sin(turn)
    matrix = np.array([[c * across, s * up, x], [-s * across, c * up, y], [0.0, 0.0, 1.0]])
    return max(_number(told.get("texCoord", which), 8), 0), matrix


def _coordinates(
    file: GltfFile, primitive: dict[str, Any], which: int, matrix: NDArray[np.float64], count: int
) -> NDArray[np.float32]:
    try:
        found = file.accessor(
            primitive["attributes"][f"TEXCOORD_{which}"], "the texture coordinates", "VEC2", count
        ).astype(np.float64)  # fmt: skip
    except (BadFileError, KeyError):
        return np.full((count, 2), np.nan, np.float32)
    return np.asarray(found @ matrix[:2, :2].T + matrix[:2, 2], np.float32)


def _colours(file: GltfFile, primitive: dict[str, Any], count: int) -> NDArray[np.float32]:
    out = np.ones((count, 4), np.float32)
    try:
        found = file.accessor(primitive["attributes"]["COLOR_0"], "the colours", ("VEC3", "VEC4"), count)
    except (BadFileError, KeyError):
        return out
    out[:, : found.shape[1]] = np.clip(found, 0, 1)
    return out
