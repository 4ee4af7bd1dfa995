"""How a character's surface is seen, as pages are told: loaded apart from the figure, which does not wait for it."""

from __future__ import annotations

from dataclasses import asdict

import numpy as np

from plethos.core.formats.picture_type import picture_type
from plethos.service.library.open_character import NotThereError, OpenCharacter
from plethos.service.schemas.surface import MaterialInfo, SurfaceInfo, SurfaceRunInfo


def surface_info(opened: OpenCharacter) -> SurfaceInfo:
    """Its materials, and which triangles have which; nothing for a drawing."""
    seen = opened.surface
    if seen is None:
        return SurfaceInfo(materials=[], runs=[], pictured=False, mapped=False)
    return SurfaceInfo(
        materials=[MaterialInfo(**asdict(m)) for m in seen.materials],
        runs=[SurfaceRunInfo(**asdict(r)) for r in seen.runs],
        pictured=any(seen.materials[r.material].base is not None for r in seen.runs if r.material >= 0),
        mapped=len(seen.coordinates) > 0 and bool(np.isfinite(seen.coordinates).all()),
    )


def surface_bytes(opened: OpenCharacter) -> bytes:
    """What it is drawn of, as the file splits it: counts of vertices and triangles (uint32); the vertex of the figure
    that each is (uint32), texture coordinates (two float32), triangles (three uint32), and linear RGBA (four bytes)."""
    seen, mesh = opened.surface, opened.bare.mesh
    if seen is None:
        return np.zeros(2, "<u4").tobytes()
    counts = np.array([len(seen.coordinates), len(mesh.file_triangles)], "<u4")
    colours = np.round(seen.colours * 255).astype(np.uint8)
    arrays = (
        counts,
        mesh.file_to_vertex.astype("<u4"),
        seen.coordinates.astype("<f4"),
        mesh.file_triangles.astype("<u4"),
    )
    return b"".join([*(a.tobytes() for a in arrays), colours.tobytes()])


def surface_picture(opened: OpenCharacter, name: str) -> tuple[bytes, str]:
    """A picture by its SHA-256, and its media type.

    Raises
    ------
    NotThereError
        When the character has none of that name.
    """
    data = opened.surface.pictures.get(name) if opened.surface else None
    kind = picture_type(data) if data else None
    if data is None or kind is None:
        raise NotThereError("That picture does not belong to this character.")
    return data, kind
