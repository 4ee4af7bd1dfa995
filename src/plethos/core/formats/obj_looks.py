"""The materials of an OBJ (its ``.mtl``) as materials of a glTF document: colour, picture, and what lets through."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import PurePath
from typing import Any

from plethos.core.formats.gltf_build import GltfBuilder
from plethos.core.formats.picture_type import picture_type


class ObjLooks:
    """Materials by name, added to a document when they are first used.

    Parameters
    ----------
    others
        The files that came with the OBJ, by name.
    """

    def __init__(self, builder: GltfBuilder, others: Mapping[str, bytes]) -> None:
        self.builder = builder
        self.others = {PurePath(name).name.lower(): data for name, data in others.items()}
        self.missing: list[str] = []
        self._told: dict[str, dict[str, str]] = {}
        self._known: dict[str, int] = {}
        self._pictures: dict[str, int | None] = {}

    def read(self, library: str) -> None:
        """Take in a library of materials; one that did not come with the file is remembered as missing."""
        data = self.others.get(_name(library))
        if data is None:
            self.missing.append(library)
            return
        own: dict[str, str] = {}
        for line in data.decode("utf-8", "replace").splitlines():
            key, _, rest = line.strip().partition(" ")
            if key == "newmtl":
                own = self._told[rest.strip()] = {}
            else:
                own[key] = rest.strip()

    def of(self, name: str) -> int | None:
        """The material of a name; None where no library told of it."""
        told = self._told.get(name)
        if told is None:
            return None
        if name not in self._known:
            self._known[name] = self.builder.add("materials", self._made(name, told))
        return self._known[name]

    def _made(self, name: str, told: Mapping[str, str]) -> dict[str, Any]:
        alpha = _numbers(told.get("d", ""), 1) or [1 - x for x in _numbers(told.get("Tr", ""), 1)] or [1.0]
        texture = self._texture(told.get("map_Kd", ""))
        # Where a picture gives the colour, the plain one is what is drawn without it.
        colour = [1.0, 1.0, 1.0] if texture is not None else _numbers(told.get("Kd", ""), 3) or [1.0, 1.0, 1.0]
        look: dict[str, Any] = {"metallicFactor": 0.0, "baseColorFactor": [*colour, alpha[0]]}
        if texture is not None:
            look["baseColorTexture"] = {"index": texture}
        made = {"name": name, "pbrMetallicRoughness": look}
        return made | ({"alphaMode": "BLEND"} if alpha[0] < 1 else {})

    def _texture(self, told: str) -> int | None:
        """The texture that a line names; options stand before the name, which may hold spaces."""
        names = [told, *(told.split(" ", k)[-1] for k in range(1, told.count(" ") + 1))] if told else []
        name = next((n for n in map(_name, names) if n in self.others), None)
        if name is None:
            self.missing += [told] if told else []
            return None
        if name not in self._pictures:
            data = self.others[name]
            kind = picture_type(data)
            image = {"bufferView": self.builder.view(data), "mimeType": kind} if kind else None
            self._pictures[name] = self.builder.add("images", image) if image else None
        source = self._pictures[name]
        return None if source is None else self.builder.add("textures", {"source": source})


def _name(path: str) -> str:
    return PurePath(path.replace("\\", "/")).name.lower()


def _numbers(text: str, count: int) -> list[float]:
    """So many numbers from 0 to 1, or none."""
    try:
        found = [min(max(float(c), 0.0), 1.0) for c in text.split()[:count]]
    except ValueError:
        return []
    return found if len(found) == count and all(x == x for x in found) else []
