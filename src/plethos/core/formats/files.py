"""Which reader and which writer a file goes to."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import PurePath

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadFileError, PlethosError, WhichSceneError
from plethos.core.formats import gltf_parse
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_layout import scenes_with_skin, with_scene
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.gltf_write import write_glb
from plethos.core.formats.obj_mesh import file_from_obj
from plethos.core.formats.svg_file import SvgFile, looks_like_svg, parse_svg
from plethos.core.formats.svg_read import read_drawing
from plethos.core.formats.svg_write import write_drawing
from plethos.core.skin.binding import Binding

USD = (".usd", ".usda", ".usdc", ".usdz")
ENDINGS = (".glb", ".gltf", ".obj", ".svg", *USD)
Source = GltfFile | SvgFile
"""The file that a character came from."""


def read_file(
    name: str, data: bytes, others: Mapping[str, bytes] | None = None, scene: str | None = ""
) -> tuple[Source, Character]:
    """Read a character's file, and what Plethos computes with.

    Parameters
    ----------
    name
        See `open_file`; the character is called so, without the ending.
    scene
        Which of several scenes; empty = the one that the file shows, None = whoever brings it in is asked.

    Raises
    ------
    BadFileError
        With one sentence that names the fault; `WhichSceneError` where a scene has to be chosen.
    """
    label = PurePath(name).stem if name.lower().endswith(ENDINGS) else name
    try:
        file = open_file(name, data, others)
        if scene != "" and isinstance(file, GltfFile):
            file = _of_scene(file, scene)
        return file, read_source(file, label)
    except PlethosError:
        raise
    except MemoryError:
        raise BadFileError("The file is too large for this machine's memory.") from None
    except (KeyError, TypeError, ValueError, IndexError, AttributeError, ArithmeticError, RecursionError) as error:
        # A fault that no check foresaw is still the file's, and still gets a sentence.
        raise BadFileError(f"The file is broken in a way that cannot be read ({type(error).__name__}).") from error


def _of_scene(file: GltfFile, scene: str | None) -> GltfFile:
    if scene is not None:
        return with_scene(file, scene)
    if len(scenes := scenes_with_skin(file)) > 1:
        raise WhichSceneError(tuple(name for _, name in scenes))
    return file


def open_file(name: str, data: bytes, others: Mapping[str, bytes] | None = None) -> Source:
    """Read a character's file: glTF and SVG as they are, USD and OBJ as a glTF file.

    Parameters
    ----------
    name
        With its ending, which says what an OBJ is; the others say it themselves.
    others
        The files that came with it, by name.

    Raises
    ------
    BadFileError
        With one sentence that names the fault.
    """
    if name.lower().endswith(".obj"):
        return file_from_obj(data.decode("utf-8", "replace"), others)
    if name.lower().endswith(USD) or data.startswith((b"PXR-USDC", b"#usda")):
        # Half a second to import, which nobody waits for who brings something else.
        from plethos.core.formats.usd_file import file_from_usd

        return file_from_usd(name if name.lower().endswith(USD) else f"{name}.usd", data, others)
    if name.lower().endswith(".svg") or looks_like_svg(data):
        return parse_svg(data)
    return gltf_parse.parse(data, others)


def main_files(files: Mapping[str, bytes]) -> list[str]:
    """Which of the files that came together is the character's: one, or none or several where that is not plain.

    Of several layers of USD it is the one that no other names.
    """
    found = [n for n in files if n.lower().endswith(ENDINGS)]
    if len(found) > 1 and all(n.lower().endswith(USD) for n in found):
        return [n for n in found if not any(n.encode() in files[m] for m in found if m != n)]
    return found


def packed(
    file: Source, name: str, data: bytes, others: Mapping[str, bytes] | None = None, scene: str | None = None
) -> bytes:
    """One file that holds all of what was read: the one that was given, where it is such a file already."""
    as_read = isinstance(file, GltfFile) and len(file.buffers) <= 1  # what was unpacked has a buffer more
    plain = data[:4] == b"glTF" and not name.lower().endswith((".obj", ".svg", *USD))
    return data if plain and as_read and not others and not scene else file.pack()


def read_source(
    file: Source, name: str, welded: NDArray[np.int32] | None = None, cells_only: bool = False
) -> Character:
    """The character of a file; see `read_character` and `read_drawing`.

    Raises
    ------
    BadFileError
        With one sentence that names the fault.
    """
    return read_drawing(file, name) if isinstance(file, SvgFile) else read_character(file, name, welded, cells_only)


def written(
    character: Character,
    file: Source,
    bake: str | None = None,
    skin: Binding | None = None,
    progress: Callable[[float], None] = lambda share: None,
) -> bytes:
    """The character as a file of the kind that it came from: see `write_glb` and `write_drawing`."""
    if isinstance(file, SvgFile):
        return write_drawing(character, file)
    return write_glb(character, file, bake, skin, progress)


def ending_of(file: Source) -> str:
    """What the name of such a file ends with."""
    return ".svg" if isinstance(file, SvgFile) else ".glb"
