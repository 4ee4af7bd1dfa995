"""Routes of how a character's surface is seen: materials, and the pictures that the file holds."""

from __future__ import annotations

from fastapi import APIRouter, Response

from plethos.service.schemas.surface import SurfaceInfo
from plethos.service.told.surfaces import surface_bytes, surface_info, surface_picture
from plethos.web.context import Bench

router = APIRouter(prefix="/api/characters/{character_id}/surface", tags=["surface"])
PICTURES = {200: {"content": {"image/png": {}, "image/jpeg": {}, "image/webp": {}}}}


@router.get("")
def surface(bench: Bench, character_id: str) -> SurfaceInfo:
    """Materials, and which triangles have which."""
    return surface_info(bench.open(character_id))


@router.get("/mesh", response_class=Response)
def surface_mesh(bench: Bench, character_id: str) -> Response:
    """The skin as the file splits it, with texture coordinates and vertex colours, raw."""
    return Response(surface_bytes(bench.open(character_id)), media_type="application/octet-stream")


@router.get("/pictures/{name}", response_class=Response, responses=PICTURES)  # type: ignore[arg-type]
def picture(bench: Bench, character_id: str, name: str) -> Response:
    """A picture by its SHA-256, to the byte as the file has it."""
    data, kind = surface_picture(bench.open(character_id), name)
    return Response(data, media_type=kind, headers={"Cache-Control": "private, max-age=31536000, immutable"})
