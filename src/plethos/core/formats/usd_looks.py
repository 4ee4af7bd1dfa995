"""The looks of a USD stage as materials of a glTF document: colour, its picture, and what lets through."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pxr import Ar, UsdGeom, UsdShade

from plethos.core.formats.gltf_build import GltfBuilder
from plethos.core.formats.picture_type import picture_type


class Looks:
    """Materials that were added to a document, each once; pictures are read from one folder only."""

    def __init__(self, builder: GltfBuilder, folder: Path) -> None:
        self.builder, self.folder = builder, folder.resolve()
        self._known: dict[str, int] = {}
        self._pictures: dict[str, int | None] = {}

    def of(self, prim: Any, faces: NDArray[np.int64]) -> Iterator[tuple[int | None, NDArray[np.intp]]]:
        """The materials of a mesh, and which of its triangles have each.

        Parameters
        ----------
        faces
            ``(T,)`` the face that each triangle is of.
        """
        left = np.ones(len(faces), bool)
        for subset in UsdShade.MaterialBindingAPI(prim).GetMaterialBindSubsets():
            inside = left & np.isin(faces, np.array(UsdGeom.Subset(subset).GetIndicesAttr().Get() or (), np.int64))
            if inside.any():
                yield self._bound(subset.GetPrim()), np.flatnonzero(inside)
                left &= ~inside
        if left.any():
            yield self._bound(prim), np.flatnonzero(left)

    def _bound(self, prim: Any) -> int | None:
        material, _ = UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()
        if not material:
            return None
        path = str(material.GetPath())
        if path not in self._known:
            self._known[path] = self.builder.add("materials", self._made(material))
        return self._known[path]

    def _made(self, material: Any) -> dict[str, Any]:
        shader, *_ = material.ComputeSurfaceSource()
        look: dict[str, Any] = {"metallicFactor": 0.0}
        out: dict[str, Any] = {"name": material.GetPrim().GetName(), "pbrMetallicRoughness": look}
        if not shader:
            return out
        colour, opacity = _value(shader, "diffuseColor"), _value(shader, "opacity")
        alpha = 1.0 if opacity is None else float(opacity)
        look["baseColorFactor"] = [*(float(c) for c in (colour if colour is not None else (1, 1, 1))), alpha]
        texture = self._texture(shader)
        if texture is not None:
            look["baseColorTexture"] = {"index": texture}
            look["baseColorFactor"] = [1.0, 1.0, 1.0, alpha]
        cutoff = _value(shader, "opacityThreshold")
        if cutoff:
            out.update(alphaMode="MASK", alphaCutoff=float(cutoff))
        elif alpha < 1:
            out["alphaMode"] = "BLEND"
        return out

    def _texture(self, shader: Any) -> int | None:
        """The texture that gives the colour; None without one, or where its picture is not there."""
        port = shader.GetInput("diffuseColor")
        source = port.GetConnectedSource() if port and port.HasConnectedSource() else None
        node = UsdShade.Shader(source[0].GetPrim()) if source else None
        asset = _value(node, "file") if node else None
        path = (asset.resolvedPath or asset.path) if asset else ""
        if not path:
            return None
        if path not in self._pictures:
            self._pictures[path] = self._picture(path)
        image = self._pictures[path]
        return None if image is None else self.builder.add("textures", {"source": image})

    def _picture(self, path: str) -> int | None:
        if self.folder not in Path(path.split("[")[0]).resolve().parents:
            return None
        held = Ar.GetResolver().OpenAsset(Ar.ResolvedPath(path))
        data = bytes(held.GetBuffer()) if held else b""
        kind = picture_type(data)
        if kind is None:
            return None
        return self.builder.add("images", {"bufferView": self.builder.view(data), "mimeType": kind})


def _value(shader: Any, name: str) -> Any:
    port = shader.GetInput(name)
    return port.Get() if port else None
