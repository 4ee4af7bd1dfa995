"""The command line's application, and how files are read and written for it."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Annotated

import typer

from plethos.core.character import Character
from plethos.core.errors import BadEditError, PlethosError
from plethos.core.formats.files import USD, Source, open_file, read_source
from plethos.core.formats.svg_file import looks_like_svg
from plethos.core.rules.triggers.hinge import unit_axis
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.pose_files import pose_from_json

HELP = "`./plethos cli`: the core for pipelines, without server or database."
app = typer.Typer(
    add_completion=False,
    pretty_exceptions_enable=False,
    help="`./plethos cli`: the core for pipelines, without server or database.",
    no_args_is_help=True,
)
In = Annotated[
    Path, typer.Argument(metavar="IN.glb", help="A .glb, a .gltf or USD with its files beside it, or an .svg.")
]
PoseFile = Annotated[Path, typer.Option("--pose", help="pose.json: what is turned away from rest.")]
Out = Annotated[Path, typer.Option("--out", help="The file to write.")]
Without = Annotated[bool, typer.Option("--without", help="Leave all remedies out.")]


KINDS = {
    ".glb": "a binary glTF", ".gltf": "a glTF", ".svg": "an SVG drawing", ".obj": "an OBJ", ".json": "JSON",
    ".zip": "pictures in a ZIP",
}  # fmt: skip
STANDARD = Path("-")  # input or output, whichever is asked for


class CallError(PlethosError):
    """Something about the call itself: a missing file, a wrong option."""


def read_bytes(path: Path) -> bytes:
    """The bytes of a file, of standard input for ``-``; or a sentence that says why not."""
    try:
        return sys.stdin.buffer.read() if path == STANDARD else path.read_bytes()
    except OSError as error:
        raise CallError(f"Cannot read {path}: {error.strerror or error}.") from None


def open_character(path: Path, data: bytes | None = None) -> tuple[Character, Source]:
    """Read a character; the files that a .gltf needs are looked for beside it.

    Parameters
    ----------
    data
        The bytes of the file, where they are at hand: standard input is read once.
    """
    data = read_bytes(path) if data is None else data
    others = {}
    if path.suffix.lower() in USD:
        from plethos.core.formats.usd_file import needed_by

        others = {p.name: read_bytes(p) for p in needed_by(path)}
    elif data[:4] != b"glTF" and path.suffix.lower() != ".svg":
        try:
            document = json.loads(data.decode("utf-8-sig"))
            named = [x.get("uri", "") for kind in ("buffers", "images") for x in document.get(kind, [])]
        except (ValueError, AttributeError, RecursionError):
            named = []
        for uri in named:
            beside = path.parent / Path(str(uri)).name
            if uri and not uri.startswith("data:") and beside.is_file():
                others[beside.name] = read_bytes(beside)
    file = open_file(path.name, data, others)
    return read_source(file, path.stem), file


def read_pose(character: Character, path: Path) -> Pose:
    """A pose file; joints and dials have to be the character's."""
    pose = pose_from_json(character.skeleton, read_bytes(path))
    for name in pose.dials or ():
        character.rules.dial(name)
    return pose


def _kind(data: bytes) -> str | None:
    """The ending of a file's kind, by how it begins; None for one that says nothing."""
    if data.startswith(b"glTF"):
        return ".glb"
    if looks_like_svg(data):
        return ".svg"
    head = data[:20_000]
    begins = {b"{": ".json", b"[": ".json", b"PK\x03\x04": ".zip"}
    found = next((kind for start, kind in begins.items() if head.startswith(start)), None)
    return ".obj" if found is None and b"\nv " in b"\n" + head else found


def write(path: Path, data: bytes) -> None:
    """Write a file whole or not at all; to standard output for ``-``, and into what is no regular file.

    Raises
    ------
    CallError
        When it cannot be written, or its name promises another kind of file.
    """
    kind, named = _kind(data), path.suffix.lower()
    if kind is not None and named in KINDS and named != kind:
        raise CallError(f"{path.name} would hold {KINDS[kind]}: call it {path.stem}{kind}.")
    try:
        if path == STANDARD:
            sys.stdout.buffer.write(data)
            return
        path = path.resolve() if path.is_symlink() and path.is_file() else path  # a link stays one
        if path.exists() and not path.is_file():
            with path.open("wb") as into:
                into.write(data)
            return
        partial = path.with_name(f".{path.name}.partial")
        partial.write_bytes(data)
        partial.replace(path)
    except OSError as error:
        raise CallError(f"Cannot write {path}: {error.strerror or error}.") from None


def show(value: object) -> None:
    print(json.dumps(value, indent=2, ensure_ascii=False))


def parse_axis(text: str) -> tuple[float, float, float]:
    """An axis as x, y, z, or three numbers with commas."""
    named = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}
    if text.lower() in named:
        return named[text.lower()]
    try:
        return unit_axis([float(c) for c in text.split(",")])
    except (ValueError, BadEditError):
        raise CallError(f"The axis “{text}” is neither x, y, z nor three numbers like 0,0,1.") from None
