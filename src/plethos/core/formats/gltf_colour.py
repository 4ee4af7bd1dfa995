"""The plain colour of a part: enough to tell skin from cloth on the screen. Textures are not read."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadFileError
from plethos.core.formats.gltf_file import GltfFile


def base_colours(file: GltfFile, primitive: dict[str, Any], count: int) -> NDArray[np.float32]:
    """Linear RGB ``(N, 3)`` in [0, 1] of a primitive's vertices: vertex colour times the material's base colour.

    NaN where the file says neither, or where only a texture knows. Colour is never worth refusing a file: whatever
    is broken about it counts as not said.
    """
    unknown = np.full((count, 3), np.nan, dtype=np.float32)
    factor = _factor(file, primitive)
    if factor is None:
        return unknown
    accessor = primitive["attributes"].get("COLOR_0")
    if accessor is None:
        return unknown if np.isnan(factor).any() else np.tile(factor, (count, 1))
    try:
        kind = str(file.item("accessors", accessor, "the colours").get("type"))
        given = file.accessor(accessor, "the colours", kind, count)[:, :3].astype(np.float32)
    except (BadFileError, IndexError):
        return unknown
    if given.shape != (count, 3) or not np.isfinite(given).all():
        return unknown
    return np.clip(given * np.nan_to_num(factor, nan=1.0), 0, 1).astype(np.float32)


def _factor(file: GltfFile, primitive: dict[str, Any]) -> NDArray[np.float32] | None:
    """The material's base colour; NaN when it says none, None when a texture has it."""
    number, materials = primitive.get("material"), file.items("materials")
    if not isinstance(number, int) or not 0 <= number < len(materials):
        return np.full(3, np.nan, dtype=np.float32)
    look = materials[number].get("pbrMetallicRoughness")
    look = look if isinstance(look, dict) else {}
    if "baseColorTexture" in look:
        return None
    try:
        given = np.array(look["baseColorFactor"][:3], dtype=np.float32)
    except (KeyError, TypeError, ValueError):
        return np.full(3, np.nan, dtype=np.float32)
    return np.clip(given, 0, 1) if given.shape == (3,) and np.isfinite(given).all() else np.full(3, np.nan, np.float32)
