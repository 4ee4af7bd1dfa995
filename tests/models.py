"""Models that nobody here made: see `outside/data/LICENCES.md`."""

from __future__ import annotations

from pathlib import Path

from plethos.core.character import Character
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_read import read_character

DATA = Path(__file__).parent / "outside" / "data"


def load(path: str) -> tuple[Character, GltfFile]:
    """A model with the files that lie beside it, and its file."""
    file = DATA / path
    others = {p.name: p.read_bytes() for p in file.parent.iterdir() if p.is_file()}
    source = parse(file.read_bytes(), others)
    return read_character(source, file.stem), source
