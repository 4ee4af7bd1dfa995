"""The workbench: characters are brought in, opened, edited with undo, and delivered."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import PurePath

import numpy as np

from plethos.core.character import Character
from plethos.core.errors import BadEditError, BadFileError, PlethosError
from plethos.core.formats import gltf_file
from plethos.core.formats.files import ENDINGS, open_file
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.gltf_write import write_glb
from plethos.core.remedies.review import reviewed
from plethos.core.rotations import Array
from plethos.core.weights.assign import DELIVERED, with_joint_weights
from plethos.core.weights.edit import limited
from plethos.service.documents import SculptNote, describe, restore, shares_weights
from plethos.service.open_character import OpenCharacter, SculptSession
from plethos.store.blobs import unpack_offsets
from plethos.store.repository import Missing, Overtaken, Revision, Store

NOT_KEPT = "That character is not among the deleted ones: it was brought back, or deleted for good."
MOST_OPEN = 4  # characters kept in memory


class NotThereError(PlethosError):
    """A character that is not in the library (any more)."""


@dataclass(frozen=True)
class Delivery:
    """A file to hand out."""

    name: str
    data: bytes


class Workbench:
    """All use cases that concern a whole character. Safe to call from several threads."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self._open: OrderedDict[str, OpenCharacter] = OrderedDict()
        self._lock = threading.Lock()

    def library(self, removed: bool = False) -> list[Revision]:
        """Every character's current revision, newest change first; or of those that were removed."""
        return self.store.characters(removed)

    def bring_in(self, name: str, data: bytes, others: Mapping[str, bytes] | None = None, demo: bool = False) -> str:
        """Read a file and keep it; returns the new character's id.

        Parameters
        ----------
        name
            Of the file, with its ending or without.

        Raises
        ------
        BadFileError
            When it cannot be read; then nothing is kept.
        """
        file = open_file(name, data, others)
        name = PurePath(name).stem if name.lower().endswith(ENDINGS) else name
        try:
            character = read_character(file, name)
        except PlethosError:
            raise
        except MemoryError:
            raise BadFileError("The file is too large for this machine's memory.") from None
        except (KeyError, TypeError, ValueError, IndexError, AttributeError) as error:
            # A fault that no check foresaw is still the file's, and still gets a sentence.
            raise BadFileError(f"The file is broken in a way that cannot be read ({type(error).__name__}).") from error
        described = describe(character, None)
        return self.store.add_character(_tidy(name), file.pack(), described.document, described.blobs, demo)

    def open(self, character_id: str) -> OpenCharacter:
        """The character, from memory or read anew.

        Raises
        ------
        NotThereError
            When the library has no such character.
        """
        with self._lock:
            found = self._open.get(character_id)
            if found is None:
                found = self._read(character_id)
                self._open[character_id] = found
                while len(self._open) > MOST_OPEN:
                    self._open.popitem(last=False)
            self._open.move_to_end(character_id)
            return found

    def _read(self, character_id: str) -> OpenCharacter:
        try:
            revision = self.store.current(character_id)
            source = gltf_file.parse(self.store.blob(revision.file_hash))
        except Missing:
            raise NotThereError("That character is not in the library any more.") from None
        opened = OpenCharacter.of(revision, source, read_character(source, revision.name))
        self._show(opened, revision)
        return opened

    def _show(self, opened: OpenCharacter, revision: Revision) -> None:
        character, note = restore(
            opened.bare, revision.document, self.store.blob, opened.character, opened.weights_hash
        )
        session = self._session(opened, note, character) if note else None
        opened.show(revision, character, session)

    def _session(self, opened: OpenCharacter, note: SculptNote, character: Character) -> SculptSession:
        offsets: Array | None = None
        if note.offsets:
            vertices, moved = unpack_offsets(self.store.blob(note.offsets))
            offsets = np.zeros((len(character.points), 3))
            offsets[vertices] = moved
        return opened.begin_sculpt(note, character, offsets)

    def edit(self, character_id: str, label: str, change: Callable[[Character], Character]) -> OpenCharacter:
        """Change the remedies: stored first, then shown.

        Raises
        ------
        BadEditError
            When a sculpt is in progress, or the change does not fit.
        """
        opened = self.open(character_id)
        with opened.lock:
            opened.refuse_while_sculpting()
            changed = change(opened.character)
            self.commit(opened, label, changed, None)
        return opened

    def commit(
        self,
        opened: OpenCharacter,
        label: str,
        character: Character,
        session: SculptSession | None,
        blob: bytes | None = None,
    ) -> None:
        """Store a version with its sculpt in progress, then make it the current one."""
        character = reviewed(opened.character, character)
        kept = opened.weights_hash if shares_weights(character, opened.character) else None
        described = describe(character, session.note if session else None, blob, opened.bare, kept)
        before = opened.revision
        try:
            revision = self.store.append(
                before.character_id, label, described.document, described.blobs, after=before.number
            )
        except Overtaken:
            # A worker of another process stored something first: what it stored is shown, and nothing is lost of it.
            self._show(opened, self.store.current(before.character_id))
            raise BadEditError("The character was changed meanwhile by other work: look, and do it again.") from None
        opened.show(revision, character, session)

    def catch_up(self, character_id: str) -> OpenCharacter:
        """The character, with what another process has stored of it since."""
        opened = self.open(character_id)
        with opened.lock:
            current = self.store.current(character_id)
            if (current.number, current.last) != (opened.revision.number, opened.revision.last):
                self._show(opened, current)
        return opened

    def step(self, character_id: str, by: int) -> OpenCharacter:
        """Undo (-1) or redo (+1)."""
        opened = self.open(character_id)
        with opened.lock:
            self._show(opened, self.store.step(character_id, by))
        return opened

    def rename(self, character_id: str, name: str) -> None:
        self.open(character_id)
        self.store.rename(character_id, _tidy(name))
        self.forget(character_id)

    def remove(self, character_id: str) -> None:
        """Take a character out of the library; it can be brought back as it was."""
        try:
            self.store.remove(character_id)
        except Missing:
            raise NotThereError("That character is not in the library any more.") from None
        self.forget(character_id)

    def restore(self, character_id: str) -> Revision:
        """Bring a removed character back, with its history."""
        try:
            return self.store.restore(character_id)
        except Missing:
            raise NotThereError(NOT_KEPT) from None

    def erase(self, character_id: str) -> None:
        """Delete a removed character and its history for good."""
        try:
            self.store.erase(character_id)
        except Missing:
            raise NotThereError(NOT_KEPT) from None

    def forget(self, character_id: str) -> None:
        """Drop a character from memory; it is read anew when next asked for."""
        with self._lock:
            self._open.pop(character_id, None)

    def deliver(self, character_id: str, bake: str | None = None, influences: int = DELIVERED) -> Delivery:
        """The character as `.glb` with its remedies, optionally baked into a clip.

        Parameters
        ----------
        influences
            How many joints a vertex may follow; vertices of more keep the largest of their weights.
        """
        opened = self.open(character_id)
        with opened.lock:
            character, source = opened.character, opened.source
        if int((character.joint_weights > 0).sum(axis=1).max()) > influences:
            character = with_joint_weights(character, limited(character, influences), influences)
        return Delivery(f"{_tidy(opened.revision.name)}.glb", write_glb(character, source, bake))


def _tidy(name: str) -> str:
    """A name without path and ending, printable, never empty."""
    plain = "".join(c for c in name if c.isprintable()).strip()
    return plain[:120] or "Unnamed character"
