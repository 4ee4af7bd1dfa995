"""One character on the workbench: its current version, swapped whole by edits."""

from __future__ import annotations

import threading
from collections.abc import Callable
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from plethos.core.arrays import Ref
from plethos.core.character import Character
from plethos.core.errors import BadEditError, PlethosError
from plethos.core.evaluate import Evaluator
from plethos.core.formats.files import Source
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_surface import SeenSurface, seen_surface
from plethos.core.skeleton.skeleton import Skeleton
from plethos.service.library.blob_arrays import BlobArrays
from plethos.service.library.lease import Lease
from plethos.service.library.stroke import ToolStroke
from plethos.service.library.trials import TrialsOfPages
from plethos.service.library.version import HeldSculpt, Version, VersionMeasures
from plethos.store.revision import Revision

Listener = Callable[[Version], None]
GONE = "That character is not in the library any more."


class NotThereError(PlethosError):
    """A character that is not in the library (any more)."""


class OpenCharacter:
    """A character in memory. Whoever reads it asks for `version` once; whoever edits it holds `editing` meanwhile.

    Parameters
    ----------
    revision
        What is stored.
    source
        The file it was read from.
    bare
        As read.
    arrays
        The arrays of its documents.
    """

    def __init__(self, revision: Revision, source: Source, bare: Character, arrays: BlobArrays) -> None:
        self.source, self.bare, self.arrays = source, bare, arrays
        self.drawing: Ref | None = None
        """Where the drawing is stored that `source` is, when edits have made another of the file's."""
        self.editing = threading.RLock()
        self.lease = Lease()
        self.version = Version(revision, Evaluator.of(bare), VersionMeasures(bare))
        self.stroke: ToolStroke | None = None
        """The stroke in the air of the page that edits, for others to see."""
        self.trials = TrialsOfPages()
        """What pages have tried on the current version and not stored."""
        self._gone = False
        self._farewells: list[Callable[[], None]] = []
        self._listeners: list[Listener] = []
        self._watchers: list[tuple[object, Callable[[], None]]] = []

    def close(self) -> None:
        """It was deleted: whoever has it in hand is told, and gets no more of it. Brought back, it is opened anew."""
        self._gone = True
        for farewell in list(self._farewells):
            farewell()

    def on_gone(self, farewell: Callable[[], None]) -> Callable[[], None]:
        """Have it told when it is deleted, or at once when it was; what is returned ends that."""
        self._farewells.append(farewell)
        if self._gone:
            farewell()
        return lambda: self._farewells.remove(farewell)

    def refuse_when_gone(self) -> None:
        """Raise `NotThereError` when it was deleted since it was opened."""
        if self._gone:
            raise NotThereError(GONE)

    @property
    def character(self) -> Character:
        return self.version.character

    @property
    def revision(self) -> Revision:
        return self.version.revision

    @property
    def sculpt(self) -> HeldSculpt | None:
        return self.version.sculpt

    @cached_property
    def size(self) -> int:
        """About how many bytes it takes: its file, its dense weights, and what is laid out for each vertex."""
        vertices, joints = len(self.bare.mesh), len(self.bare.skeleton)
        shapes = sum(s.deltas.nbytes + s.vertices.nbytes for s in self.bare.mesh.shapes)
        return 2 * sum(map(len, self.source.buffers)) + 8 * vertices * joints + 600 * vertices + 2 * shapes

    @cached_property
    def surface(self) -> SeenSurface | None:
        """How its file draws its surface; None for a drawing, which draws itself."""
        return seen_surface(self.source) if isinstance(self.source, GltfFile) else None

    @property
    def rest(self) -> NDArray[np.float32]:
        """The points ``(V, 3)`` in the world at rest, as they were read."""
        return self.bare.mesh.rest

    def rest_on(self, source: Source, bare: Character, drawing: Ref | None) -> None:
        """Go on from another drawing: a fill was split, or that was undone."""
        self.source, self.bare, self.drawing = source, bare, drawing

    def show(self, revision: Revision, evaluator: Evaluator, sculpt: HeldSculpt | None) -> Version:
        """Make another version the current one, and tell all who listen."""
        told = _names(self.character.skeleton, evaluator.character.skeleton)
        if evaluator is not self.version.evaluator:
            self.trials.clear()
        version = self.version = self.version.next(revision, evaluator, sculpt, told)
        for listener in list(self._listeners):
            listener(version)
        return version

    def renamed(self, revision: Revision) -> Version:
        """Show the same under what is stored of it now: another name, or further steps to redo."""
        return self.show(revision, self.version.evaluator, self.sculpt)

    def take(self, page: str | None) -> None:
        """Be about to edit it on a page: see `Lease.edit`."""
        self.lease.edit(page, self.sculpt is not None)

    def edited_elsewhere(self, page: str) -> bool:
        """Whether another page has it in hand."""
        return self.lease.elsewhere(page, self.sculpt is not None)

    def listen(self, listener: Listener) -> Callable[[], None]:
        """Have every new version told, in whatever thread made it; what is returned ends it."""
        self._listeners.append(listener)

        def leave() -> None:
            if listener in self._listeners:
                self._listeners.remove(listener)

        return leave

    def watch(self, desk: object, watcher: Callable[[], None]) -> Callable[[], None]:
        """Have every touch of a stroke in the air of another desk told; what is returned ends it."""
        self._watchers.append((desk, watcher))
        return lambda: self._watchers.remove((desk, watcher))

    def show_stroke(self, desk: object, stroke: ToolStroke | None) -> None:
        """Let others see a desk's stroke in the air, or that it is over."""
        self.stroke = stroke
        for other, watcher in list(self._watchers):
            if other is not desk:
                watcher()

    def refuse_while_sculpting(self) -> None:
        """Raise `BadEditError` when a sculpt is in progress: it would be lost, or in the way."""
        if self.sculpt is not None:
            raise BadEditError("A sculpt is in progress: keep or drop it first.")


def _names(before: Skeleton, after: Skeleton) -> dict[str, str | None]:
    """The new names of the joints by their old ones, None for those that are gone; empty when nothing changed."""
    if before is after or (before.names == after.names and before.joint_keys == after.joint_keys):
        return {}
    now = {key: after.names[j] for j, key in enumerate(after.joint_keys)}
    return {name: now.get(key) for name, key in zip(before.names, before.joint_keys, strict=True)}
