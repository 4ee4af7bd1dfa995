"""Which reader a file goes to."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import PurePath

from plethos.core.character import Character
from plethos.core.errors import BadFileError, PlethosError
from plethos.core.formats import gltf_file
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.obj_mesh import file_from_obj

ENDINGS = (".glb", ".gltf", ".obj")


def read_file(name: str, data: bytes, others: Mapping[str, bytes] | None = None) -> tuple[GltfFile, Character]:
    """Read a character's file, and what Plethos computes with.

    Parameters
    ----------
    name
        See `open_file`; the character is called so, without the ending.

    Raises
    ------
    BadFileError
        With one sentence that names the fault.
    """
    label = PurePath(name).stem if name.lower().endswith(ENDINGS) else name
    try:
        file = open_file(name, data, others)
        return file, read_character(file, label)
    except PlethosError:
        raise
    except MemoryError:
        raise BadFileError("The file is too large for this machine's memory.") from None
    except (KeyError, TypeError, ValueError, IndexError, AttributeError, ArithmeticError, RecursionError) as error:
        # A fault that no check foresaw is still the file's, and still gets a sentence.
        raise BadFileError(f"The file is broken in a way that cannot be read ({type(error).__name__}).") from error


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
