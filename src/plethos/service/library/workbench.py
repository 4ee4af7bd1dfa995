"""The workbench: characters are brought in, opened, and edited with undo."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any, TypeVar

from plethos.core.character import Character
from plethos.core.edits.review import reviewed
from plethos.core.errors import BadEditError, BadFileError
from plethos.core.evaluate import Evaluator
from plethos.core.formats.files import packed, read_file, read_source
from plethos.core.formats.picture_type import picture_type
from plethos.core.formats.svg_file import SvgFile
from plethos.core.skin.mesh import Mesh
from plethos.service.library.blob_arrays import BlobArrays
from plethos.service.library.delivery import tidy_name
from plethos.service.library.documents import (
    describe,
    read_back,
    store_drawing,
)
from plethos.service.library.open_character import OpenCharacter
from plethos.service.library.reading import read_apart
from plethos.service.library.shelf import Shelf, there
from plethos.service.library.version import HeldSculpt, OvertakenError, Version
from plethos.store.repository import Store
from plethos.store.revision import Overtaken, Revision, Unkept

T = TypeVar("T")
NOT_KEPT = "That character is not among the deleted ones: it was brought back, or deleted for good."
MOST_PICTURE = 300_000  # bytes
KEPT_PICTURES = ("image/png", "image/webp")  # what a page draws


class Workbench:
    """All use cases that concern a whole character. Safe to call from several threads.

    Parameters
    ----------
    shelf
        What is open, or the store that it is read from.
    page
        The page that edits; None = a program.
    """

    def __init__(self, shelf: Shelf | Store, page: str | None = None, gone: threading.Event | None = None) -> None:
        self.shelf = shelf if isinstance(shelf, Shelf) else Shelf(shelf)
        self.store, self.page = self.shelf.store, page
        self.gone = gone or threading.Event()
        """Set when whoever sent a file has gone away: see `read_apart`."""

    def of(self, page: str | None, gone: threading.Event | None = None) -> Workbench:
        """A workbench over the same open characters, in the hands of a page: see `Lease`."""
        return Workbench(self.shelf, page, gone or self.gone)

    def open(self, character_id: str) -> OpenCharacter:
        """The character, from memory or read anew.

        Raises
        ------
        NotThereError
            When the library has no such character.
        """
        return self.shelf.open(character_id)

    def read_apart(self, work: Callable[..., T], *given: Any) -> T:
        """What `work` makes of a stranger's file, within limits: see `reading.read_apart`."""
        return read_apart(work, *given, gone=self.gone)

    def version_at(self, character_id: str, revision_id: str | None) -> Version:
        """The character as it was at a revision, whatever happens meanwhile; None = as it is.

        Raises
        ------
        NotThereError
            When that is not kept (any more).
        """
        opened = self.open(character_id)
        return opened.version if revision_id is None else self.shelf.version_at(opened, revision_id)

    def library(self, removed: bool = False) -> list[Revision]:
        """Every character's current revision, newest change first; or of those that were removed."""
        return self.store.characters(removed)

    def bring_in(
        self,
        name: str,
        data: bytes,
        others: Mapping[str, bytes] | None = None,
        demo: bool = False,
        scene: str | None = None,
    ) -> str:
        """Read a file and keep it; returns the new character's id.

        Parameters
        ----------
        name
            Of the file, with its ending or without.
        scene
            Which of several scenes.

        Raises
        ------
        BadFileError
            When it cannot be read, or a scene has to be chosen (`WhichSceneError`); then nothing is kept.
        """
        file, character = self.read_apart(read_file, name, data, others, scene or None)
        arrays = BlobArrays(self.store.blobs)
        document = describe(character, None, arrays)
        try:
            read_back(character, document, arrays, Evaluator.of(character))
        except BadEditError as error:
            raise BadFileError(error.sentence) from None
        kept = packed(file, name, data, others, scene)
        return self.store.add_character(tidy_name(character.name), kept, document, arrays.fresh, demo)

    def edit(self, character_id: str, label: str, change: Callable[[Character], Character]) -> Version:
        """Change a character: stored first, then shown. Returns the version that it made.

        Raises
        ------
        BadEditError
            When a sculpt is in progress, or the change does not fit.
        """
        opened = self.open(character_id)
        with opened.editing:
            opened.take(self.page)
            opened.refuse_while_sculpting()
            return self.commit(opened, label, change(opened.character))

    def commit(
        self,
        opened: OpenCharacter,
        label: str,
        character: Character,
        sculpt: HeldSculpt | None = None,
        drawing: SvgFile | None = None,
        along: Callable[..., None] | None = None,
    ) -> Version:
        """Store a version with its sculpt in progress, then make it the current one.

        Parameters
        ----------
        drawing
            What the character is of from now on, when its points are no more those of its file.
        along
            What is stored with it in the same transaction: see `Store.append`.

        Raises
        ------
        BadEditError
            When what was made could not be read again, another page has the character in hand, or another process was
            faster (`OvertakenError`): then nothing is stored.
        """
        with opened.editing:
            opened.take(self.page)
            before = opened.version
            character = reviewed(before.character, character)
            evaluator = Evaluator.of(character, before.evaluator)
            sculpt = sculpt.noted(opened.arrays) if sculpt is not None else None
            bare, ref = opened.bare, opened.drawing
            if drawing is not None:
                bare, ref = read_source(drawing, character.name), store_drawing(opened.arrays, drawing)
                character = replace(character, mesh=_of_file(character.mesh, bare.mesh))
                evaluator = Evaluator.of(character)
            document = describe(character, sculpt.note if sculpt else None, opened.arrays, bare)
            if ref is not None:
                document["drawing"] = ref
            # What cannot be read or evaluated is not stored: it could never be opened again.
            read_back(bare, document, opened.arrays, evaluator)
            try:
                revision = self._stored(before.revision, label, document, opened.arrays, along)
            except Overtaken:
                # Another process stored something first: what it stored is shown, and nothing is lost of it.
                self.shelf.show(opened, self.store.current(before.revision.character_id))
                raise OvertakenError from None
            opened.arrays.stored()
            if drawing is not None:
                opened.rest_on(drawing, bare, ref)
            return opened.show(revision, evaluator, sculpt)

    def _stored(
        self,
        before: Revision,
        label: str,
        document: dict[str, Any],
        arrays: BlobArrays,
        along: Callable[..., None] | None,
    ) -> Revision:
        asked = (before.character_id, label, document)
        with there():
            try:
                return self.store.append(*asked, arrays.fresh, before.id, along, arrays.like)
            except Unkept as error:
                # What was thought to be stored has been cleaned away: it is brought along.
                arrays.bring(error.hashes)
                return self.store.append(*asked, arrays.fresh, before.id, along, arrays.like, surely=True)

    def step(self, character_id: str, by: int) -> Version:
        """Undo (-1) or redo (+1)."""
        opened = self.open(character_id)
        with opened.editing:
            opened.take(self.page)
            with there():
                return self.shelf.show(opened, self.store.step(character_id, by))

    def rename(self, character_id: str, name: str) -> Version:
        """Give a character another name, which is no step of its history."""
        opened = self.open(character_id)
        with opened.editing, there():
            return opened.renamed(self.store.rename(character_id, tidy_name(name)))

    def set_picture(self, character_id: str, data: bytes) -> None:
        """Keep the picture that a page has drawn of a character, for the library.

        Raises
        ------
        BadFileError
            When it is no PNG or WebP, or a large one.
        """
        refuse_picture(data)
        with there():
            self.store.set_picture(character_id, data)

    def picture(self, character_id: str) -> bytes:
        """A character's picture; nothing is opened for it."""
        with there("There is no picture of that character yet."):
            known = self.store.current(character_id).picture
            return self.store.blob(known or "")

    def remove(self, character_id: str) -> None:
        """Take a character out of the library; it can be brought back as it was."""
        with there():
            self.store.remove(character_id)
        self.shelf.forget(character_id)

    def restore(self, character_id: str) -> Revision:
        """Bring a removed character back, with its history."""
        with there(NOT_KEPT):
            return self.store.restore(character_id)

    def erase(self, character_id: str) -> None:
        """Delete a removed character and its history for good."""
        with there(NOT_KEPT):
            self.store.erase(character_id)


def refuse_picture(data: bytes) -> None:
    """Raise `BadFileError` unless that is a small PNG or WebP, as pages draw them."""
    if len(data) > MOST_PICTURE or picture_type(data) not in KEPT_PICTURES:
        raise BadFileError(f"A picture has to be a PNG or WebP of at most {MOST_PICTURE // 1000} kB.")


def _of_file(made: Mesh, read: Mesh) -> Mesh:
    """The mesh of a drawing as its file is read again.

    Raises
    ------
    BadEditError
        When that has other points.
    """
    if len(made) != len(read):
        raise BadEditError("The drawing does not come back from its file as it was: nothing was changed.")
    return read
