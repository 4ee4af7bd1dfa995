"""The arrays of one character's documents as blobs of the store: none is packed or fetched twice."""

from __future__ import annotations

import weakref
from collections.abc import Callable, Iterable, Mapping
from typing import Any

from numpy.typing import NDArray

from plethos.core.arrays import Ref
from plethos.core.errors import BadFileError
from plethos.store.blobs import digest, pack, unpack

Fetch = Callable[[Iterable[str]], Mapping[str, bytes]]

LARGE = 4_000  # bytes: less is stored whole
MOST_BEFORE = 8_000_000  # bytes of what was stored last that are kept at hand


class BlobArrays:
    """Keeps arrays under the hashes of what they hold.

    Versions share arrays, so an array that came from a blob, or went into one, is known by who it is: its hash is not
    worked out again, and a blob that some version still holds is not fetched again.

    Parameters
    ----------
    fetch
        Gives the bytes of blobs by their hashes.
    beside
        What it knows is not packed or fetched here either; nothing is put there.
    """

    def __init__(self, fetch: Fetch, beside: BlobArrays | None = None) -> None:
        self._fetch, self._beside = fetch, beside
        self._hash_of: dict[tuple[int, ...], str] = {}
        self._alive: dict[str, tuple[weakref.ref[NDArray[Any]], ...]] = {}
        self._kinds: dict[str, str] = {}
        self._fetched: dict[str, bytes] = {}
        self.fresh: dict[str, bytes] = {}
        """What was put and may not be stored yet, by hash."""
        self.like: dict[str, tuple[str, bytes]] = {}
        """What each of these is much like: what was stored under the same label before."""
        self._labelled: dict[str, tuple[str, str]] = {}  # kind and label of what is fresh
        self._before: dict[tuple[str, str], tuple[str, bytes]] = {}

    def put(self, kind: str, label: str, *arrays: NDArray[Any]) -> Ref:
        known = self._known(arrays)
        if known is not None:
            return known
        data = pack(kind, *arrays)
        name = digest(data)
        self.fresh[name] = data
        self._labelled[name] = (kind, label)
        if (before := self._before.get((kind, label))) is not None and before[0] != name:
            self.like[name] = before
        self._remember(kind, name, arrays)
        return name

    def bring(self, hashes: Iterable[str]) -> None:
        """Have these stored anew where their arrays are still held: their blobs are gone."""
        for name in hashes:
            arrays = tuple(a for ref in self._alive.get(name, ()) if (a := ref()) is not None)
            if arrays and len(arrays) == len(self._alive[name]):
                self.fresh[name] = pack(self._kinds[name], *arrays)

    def stored(self) -> None:
        """What is fresh has been stored: what comes under the same labels next will be like it."""
        for name, data in self.fresh.items():
            if len(data) >= LARGE and name in self._labelled:
                self._before.pop(self._labelled[name], None)
                self._before[self._labelled[name]] = (name, data)
        while sum(len(data) for _, data in self._before.values()) > MOST_BEFORE:
            del self._before[next(iter(self._before))]
        self.fresh.clear()
        self.like.clear()
        self._labelled.clear()

    def get(self, kind: str, ref: Ref) -> tuple[NDArray[Any], ...]:
        held = self._at_hand(ref)
        if held:
            return held
        data = self._fetched.pop(ref, None) or self.fresh.get(ref) or self._fetch([ref]).get(ref)
        if data is None:
            raise BadFileError("A part of what was stored of the character is missing.")
        arrays = unpack(data)
        self._remember(kind, ref, arrays)
        return arrays

    def prefetch(self, hashes: Iterable[str]) -> None:
        """Fetch what is about to be asked for, in one go."""
        here = (h for h in hashes if h not in self.fresh)
        wanted = [h for h in here if not self._at_hand(h)]
        self._fetched = dict(self._fetch(wanted)) if wanted else {}

    def _known(self, arrays: tuple[NDArray[Any], ...]) -> str | None:
        """The hash of arrays that were put or fetched before."""
        name = self._hash_of.get(tuple(id(a) for a in arrays))
        if name is not None and self._held(name, arrays):
            return name
        return None if self._beside is None else self._beside._known(arrays)

    def _at_hand(self, ref: Ref) -> tuple[NDArray[Any], ...]:
        """The arrays of a blob that somebody holds; none when nobody does."""
        refs = self._alive.get(ref, ())
        held = tuple(a for r in refs if (a := r()) is not None)
        if held and len(held) == len(refs):
            return held
        return () if self._beside is None else self._beside._at_hand(ref)

    def _held(self, name: str, arrays: tuple[NDArray[Any], ...]) -> bool:
        """Whether these very arrays are the ones of that hash: an id alone may have been given away again."""
        refs = self._alive.get(name, ())
        return len(refs) == len(arrays) and all(r() is a for r, a in zip(refs, arrays, strict=True))

    def _remember(self, kind: str, name: str, arrays: tuple[NDArray[Any], ...]) -> None:
        self._kinds[name] = kind
        key = tuple(id(a) for a in arrays)
        self._hash_of[key] = name

        def gone(_: object) -> None:
            self._hash_of.pop(key, None)
            if not any(ref() is not None for ref in self._alive.get(name, ())):
                self._alive.pop(name, None)
                self._kinds.pop(name, None)

        self._alive[name] = tuple(weakref.ref(a, gone) for a in arrays)
