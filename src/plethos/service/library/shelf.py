"""Characters that are open in this process: read once, brought up to what others store, let go of by their size."""

from __future__ import annotations

import contextlib
import threading
from collections import OrderedDict
from collections.abc import Iterator
from weakref import WeakValueDictionary

from plethos.core.arrays import Ref
from plethos.core.character import Character
from plethos.core.evaluate import Evaluator
from plethos.core.formats.files import Source, open_file
from plethos.service.library.blob_arrays import BlobArrays
from plethos.service.library.documents import read_bare, restore, stored_drawing
from plethos.service.library.open_character import GONE, NotThereError, OpenCharacter
from plethos.service.library.version import HeldSculpt, Version, VersionMeasures
from plethos.store.repository import Store
from plethos.store.revision import Missing, Revision

MOST_KEPT = 600_000_000  # bytes of characters kept in memory that nobody has in hand, beside the newest


@contextlib.contextmanager
def there(otherwise: str = GONE) -> Iterator[None]:
    """Say in a sentence that what the store misses is not there."""
    try:
        yield
    except Missing:
        raise NotThereError(otherwise) from None


class Shelf:
    """The one holder of what is open, and of its locks. Safe to call from several threads."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self._open: WeakValueDictionary[str, OpenCharacter] = WeakValueDictionary()
        self._recent: OrderedDict[str, OpenCharacter] = OrderedDict()
        self._reading: WeakValueDictionary[str, threading.Lock] = WeakValueDictionary()
        self._lock = threading.Lock()  # of what is in memory: held for a moment, never while something is read

    def open(self, character_id: str) -> OpenCharacter:
        """The character, from memory or read anew.

        Raises
        ------
        NotThereError
            When the library has no such character.
        """
        # Who wants one that is being read waits for it; nobody else does.
        with self._alone_with(character_id):
            found = self._open.get(character_id) or self._read(character_id)
            with self._lock:
                # Whoever still has one in hand has the one that is found here; the newest are kept for whoever comes.
                self._open[character_id] = self._recent[character_id] = found
                self._recent.move_to_end(character_id)
                while len(self._recent) > 1 and sum(o.size for o in self._recent.values()) > MOST_KEPT:
                    self._recent.popitem(last=False)
            return found

    def _alone_with(self, character_id: str) -> threading.Lock:
        """Held by whoever opens a character, or drops it."""
        with self._lock:
            return self._reading.setdefault(character_id, threading.Lock())

    def _read(self, character_id: str) -> OpenCharacter:
        with there():
            revision = self.store.current(character_id)
            source = open_file(revision.name, self.store.blob(revision.file_hash))
        arrays = BlobArrays(self.store.blobs)
        opened = OpenCharacter(revision, source, read_bare(source, revision.name, revision.document, arrays), arrays)
        self.show(opened, revision)
        return opened

    def show(self, opened: OpenCharacter, revision: Revision) -> Version:
        """Make a stored revision the one that is shown."""
        if revision.document.get("drawing") != opened.drawing:
            opened.rest_on(*self._drawn(opened, revision))
        character, note = restore(opened.bare, revision.document, opened.arrays, _same_mesh(opened))
        evaluator = Evaluator.of(character, opened.version.evaluator)
        sculpt = HeldSculpt.stored(note, evaluator, opened.arrays, opened.sculpt) if note else None
        return opened.show(revision, evaluator, sculpt)

    def version_at(self, opened: OpenCharacter, revision_id: str) -> Version:
        """A character as it was at a revision, whatever is shown."""
        shown = opened.version
        if shown.revision.id == revision_id:
            return shown
        with there("That version of the character is not kept any more."):
            revision = self.store.revision(shown.revision.character_id, revision_id)
        bare, arrays = opened.bare, BlobArrays(self.store.blobs)
        if revision.document.get("drawing") != opened.drawing:
            _, bare, _ = self._drawn(opened, revision)
        character, note = restore(bare, revision.document, arrays)
        evaluator = Evaluator.of(character)
        sculpt = HeldSculpt.stored(note, evaluator, arrays, None) if note else None
        return Version(revision, evaluator, VersionMeasures(character), sculpt)

    def _drawn(self, opened: OpenCharacter, revision: Revision) -> tuple[Source, Character, Ref | None]:
        """The drawing that a revision is of: it counts other vertices, so that nothing read of another fits on it."""
        drawing = revision.document.get("drawing")
        data = self.store.blob(revision.file_hash) if drawing is None else stored_drawing(opened.arrays, drawing)
        source = open_file(revision.name, data)
        return source, read_bare(source, revision.name, revision.document, opened.arrays), drawing

    def catch_up(self, character_id: str) -> OpenCharacter:
        """The character, with what another process has stored of it since."""
        opened = self.open(character_id)
        with opened.editing:
            current = self.store.current(character_id)
            if current.id != opened.revision.id:
                self.show(opened, current)
            elif current != opened.revision:
                opened.renamed(current)
        return opened

    def catch_up_if_open(self, character_id: str) -> None:
        """Bring a character up to what is stored, if anyone has it open; one that is gone is closed."""
        with self._lock:
            opened = self._open.get(character_id)
        # What this process has stored itself it shows itself.
        if opened is None:
            return
        head, name = self.store.head(character_id)
        if head is None:
            self.forget(character_id)
        elif (head, name) != (opened.revision.id, opened.revision.name):
            with contextlib.suppress(Missing, NotThereError):
                self.catch_up(character_id)

    def catch_up_all(self) -> None:
        """The same for all that are open."""
        with self._lock:
            ids = list(self._open)
        for character_id in ids:
            self.catch_up_if_open(character_id)

    def forget(self, character_id: str) -> None:
        """Drop a character from memory, and from the hands of whoever has it open; it is read anew when asked for."""
        with self._alone_with(character_id), self._lock:
            opened = self._open.pop(character_id, None)
            self._recent.pop(character_id, None)
        if opened is not None:
            opened.close()


def _same_mesh(opened: OpenCharacter) -> Character | None:
    """The version before, when the next one stands on the same mesh."""
    return opened.character if opened.character.mesh is opened.bare.mesh else None
