"""Schemas of how a character's surface is seen: materials and their pictures."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

Wrap = Literal["repeat", "mirror", "clamp"]


class TextureInfo(BaseModel):
    picture: str = Field(description="Its SHA-256: where it is served under.")
    wrap: tuple[Wrap, Wrap] = Field(description="What lies beyond its edges, along and across.")


class MaterialInfo(BaseModel):
    name: str
    colour: tuple[float, float, float, float] = Field(description="Linear RGB and alpha: a factor.")
    base: TextureInfo | None = Field(description="The picture of its colour.")
    normal: TextureInfo | None = Field(description="The picture of its normals, in tangent space.")
    cutoff: float | None = Field(description="What has less alpha is left out; null = nothing is.")
    blended: bool = Field(description="Whether alpha lets through.")


class SurfaceRunInfo(BaseModel):
    """Triangles of one part with one material."""

    part: int
    material: int = Field(description="-1 = none.")
    start: int
    count: int


class SurfaceInfo(BaseModel):
    """How a file draws the surface of its character."""

    materials: list[MaterialInfo]
    runs: list[SurfaceRunInfo]
    pictured: bool = Field(description="Whether any of it has a picture.")
    mapped: bool = Field(description="Whether all of it has texture coordinates.")
