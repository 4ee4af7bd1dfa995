"""Which reader a file goes to."""

from __future__ import annotations

from collections.abc import Mapping

from plethos.core.formats import gltf_file
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.obj_mesh import file_from_obj

ENDINGS = (".glb", ".gltf", ".obj")


def open_file(name: str, data: bytes, others: Mapping[str, bytes] | None = None) -> GltfFile:
    """Read a character's file: glTF as it is, an OBJ as a glTF file without skin.

    Parameters
    ----------
    name
        With its ending, which says what an OBJ is; glTF says it itself.
    others
        The files that came with it, by name.

    Raises
    ------
    BadFileError
        With one sentence that names the fault.
    """
    if name.lower().endswith(".obj"):
        return file_from_obj(data.decode("utf-8", "replace"))
    return gltf_file.parse(data, others)
