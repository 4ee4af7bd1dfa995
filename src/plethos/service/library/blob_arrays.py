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


class BlobArrays:
    """Keeps arrays under the hashes of what they hold.

    Versions share arrays, so an array that came from a blob, or went into one, is known by who it is: its hash is not
    worked out again, and a blob that some version still holds is not fetched again.

    Parameters
    ----------
    fetch
        Gives the bytes of blobs by their hashes.
    """

    def __init__(self, fetch: Fetch) -> None:
        self._fetch = fetch
        self._hash_of: dict[tuple[int, ...], str] = {}
        self._alive: dict[str, tuple[weakref.ref[NDArray[Any]], ...]] = {}
        self._fetched: dict[str, bytes] = {}
        self.fresh: dict[str, bytes] = {}
        """What was put and may not be stored yet, by hash."""

    def put(self, kind: str, label: str, *arrays: NDArray[Any]) -> Ref:
        key = tuple(id(a) for a in arrays)
        known = self._hash_of.get(key)
        if known is not None and self._held(known, arrays):
            return known
        data = pack(kind, *arrays)
        name = digest(data)
        self.fresh[name] = data
        self._remember(name, arrays)
        return name

    def get(self, kind: str, ref: Ref) -> tuple[NDArray[Any], ...]:
        held = tuple(a for r in self._alive.get(ref, ()) if (a := r()) is not None)
        if held and len(held) == len(self._alive[ref]):
            return held
        data = self._fetched.pop(ref, None) or self.fresh.get(ref) or self._fetch([ref]).get(ref)
        if data is None:
            raise BadFileError("A part of what was stored of the character is missing.")
        arrays = unpack(data)
        self._remember(ref, arrays)
        return arrays

    def prefetch(self, hashes: Iterable[str]) -> None:
        """Fetch what is about to be asked for, in one go."""
        wanted = [h for h in hashes if not any(r() is not None for r in self._alive.get(h, ()))]
        self._fetched = dict(self._fetch(wanted)) if wanted else {}

    def _held(self, name: str, arrays: tuple[NDArray[Any], ...]) -> bool:
        """Whether these very arrays are the ones of that hash: an id alone may have been given away again."""
        refs = self._alive.get(name, ())
        return len(refs) == len(arrays) and all(r() is a for r, a in zip(refs, arrays, strict=True))

    def _remember(self, name: str, arrays: tuple[NDArray[Any], ...]) -> None:
        key = tuple(id(a) for a in arrays)
        self._hash_of[key] = name

        def gone(_: object) -> None:
            self._hash_of.pop(key, None)

        self._alive[name] = tuple(weakref.ref(a, gone) for a in arrays)
