"""What is stored of a character beside its file: the codec's document, the weld, and the sculpt in progress."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from typing import Any

import numpy as np

from plethos.core.arrays import Ref
from plethos.core.character import Character
from plethos.core.errors import BadEditError, BadPoseError
from plethos.core.evaluate import Evaluator
from plethos.core.formats.document import from_document, to_document
from plethos.core.formats.files import Source, read_source
from plethos.core.formats.svg_file import SvgFile
from plethos.core.geometry.topology import NOWHERE, is_somewhere
from plethos.core.rules.rules import Rules
from plethos.core.skeleton.posture import UPS
from plethos.service.library.blob_arrays import BlobArrays
from plethos.store.blobs import hashes_of

NUL_WRITTEN = "\\u0000"
NUL = re.compile(r"(?<!\\)(\\\\)*\\u0000")  # a sign that PostgreSQL keeps in no text


@dataclass(frozen=True)
class SculptNote:
    """A sculpt session as it is stored.

    Parameters
    ----------
    remedy_id
        The remedy that is sculpted again; None for a new one.
    pose
        The held pose, as in a pose file.
    offsets
        Hashes of the sparse offsets from the start of the session: see `SculptBlocks`. One alone where they were stored
        whole, as they once were; None before the first stroke.
    strokes
        How many strokes there were.
    between
        Whether what is sculpted again gets an in-between here, instead of the target that is on being changed.
    mend
        What was asked of the last first mend, and what came of it; None = none was solved.
    """

    remedy_id: str | None
    pose: dict[str, Any]
    offsets: str | list[str] | None = None
    strokes: int = 0
    mend: dict[str, Any] | None = None
    between: bool = False


def describe(
    character: Character, note: SculptNote | None, arrays: BlobArrays, bare: Character | None = None
) -> dict[str, Any]:
    """What has to be stored of a character beyond its file; its arrays are put into `arrays`.

    Parameters
    ----------
    bare
        As read from its file; None = this is it.
    """
    document = to_document(character, bare, arrays)
    document["weld"] = arrays.put("weld", "weld", character.mesh.file_to_vertex)
    document["sculpt"] = asdict(note) if note else None
    if character.up != "y":
        document["up"] = character.up
    return document


def read_bare(source: Source, name: str, document: Mapping[str, Any], arrays: BlobArrays) -> Character:
    """The character as its file has it, counted as the document counts."""
    weld = document.get("weld")
    if weld is not None:
        return read_source(source, name, welded=arrays.get("weld", weld)[0])
    # Documents of before the weld was stored were made over the weld of their time.
    return read_source(source, name, cells_only=True)


def store_drawing(arrays: BlobArrays, file: SvgFile) -> Ref:
    """Put a drawing's file among what is stored; gives its place for the document."""
    return arrays.put("file", "drawing", np.frombuffer(file.pack(), np.uint8))


def stored_drawing(arrays: BlobArrays, ref: Ref) -> bytes:
    """The bytes of a drawing that `store_drawing` put."""
    return bytes(arrays.get("file", ref)[0].tobytes())


def read_back(bare: Character, document: Mapping[str, Any], arrays: BlobArrays, evaluator: Evaluator) -> None:
    """See to it that a document can be stored, read again and evaluated.

    Parameters
    ----------
    evaluator
        What it was made of.

    Raises
    ------
    BadEditError
        When it cannot.
    """
    try:
        text = json.dumps(document, allow_nan=False, ensure_ascii=False)
        text.encode()
        if NUL_WRITTEN in text and NUL.search(text):
            raise ValueError
    except RecursionError:
        raise BadEditError("This is nested too deep to be kept.") from None
    except ValueError:
        raise BadEditError("A number that is not finite, or a sign that is no text, cannot be kept.") from None
    character, _ = restore(bare, json.loads(text), arrays, evaluator.character)
    try:
        points = evaluator.pose(character.skeleton.rest_pose()).points
    except BadPoseError as error:
        raise BadEditError(error.sentence) from None
    if not is_somewhere(points):
        raise BadEditError(NOWHERE)


def restore(
    bare: Character, document: Mapping[str, Any], arrays: BlobArrays, known: Character | None = None
) -> tuple[Character, SculptNote | None]:
    """The character that a document describes.

    Parameters
    ----------
    bare
        As read from its file.
    known
        Another version: the skeleton and the binding are its, where the document describes no others.
    """
    arrays.prefetch(hashes_of(document))
    character = from_document(bare.with_rules(Rules()), document, arrays, known)
    if document.get("up") in UPS:
        character = replace(character, up=document["up"])
    noted = document.get("sculpt")
    return character, SculptNote(**noted) if noted else None
