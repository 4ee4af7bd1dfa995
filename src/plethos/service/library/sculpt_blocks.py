"""The offsets of a sculpt as they are stored: in blocks of vertices, of which a stroke stores those that it touches."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from plethos.core.arrays import Arrays, Ref
from plethos.core.geometry.rotations import Array

BLOCK = 4096  # vertices


@dataclass(frozen=True, eq=False)
class SculptBlocks:
    """What was put among arrays, or got from them.

    Parameters
    ----------
    arrays
        Where.
    offsets, widened
        ``(V, 3)`` and, where the character has channels, ``(V, C)``.
    refs
        Of each block that is not all 0, by its number.
    """

    arrays: Arrays
    offsets: Array
    widened: Array | None
    refs: Mapping[int, Ref]

    @property
    def listed(self) -> list[Ref]:
        """As a note holds them."""
        return [self.refs[block] for block in sorted(self.refs)]

    @classmethod
    def put(cls, arrays: Arrays, offsets: Array, widened: Array | None, before: SculptBlocks | None) -> SculptBlocks:
        """Put what differs from what was put or got before."""
        every = (offsets,) if widened is None else (offsets, widened)
        told = np.logical_or.reduce([(a != 0).any(axis=1) for a in every])
        differs, refs = told, dict[int, Ref]()
        if before is not None and before.arrays is arrays:
            old = (before.offsets,) if before.widened is None else (before.offsets, before.widened)
            if len(old) == len(every):
                differs = np.logical_or.reduce([(a != b).any(axis=1) for a, b in zip(every, old, strict=True)])
                refs = dict(before.refs)
        for block in np.unique(np.flatnonzero(differs) // BLOCK).tolist():
            rows = block * BLOCK + np.flatnonzero(told[block * BLOCK : (block + 1) * BLOCK]).astype(np.int32)
            refs.pop(block, None)
            if len(rows):
                refs[block] = arrays.put("offsets", f"sculpt {block}", rows, *(a[rows] for a in every))
        return cls(arrays, offsets, widened, refs)

    @classmethod
    def got(cls, arrays: Arrays, refs: Sequence[Ref], count: int) -> SculptBlocks:
        """What a note holds of a character of so many vertices."""
        offsets, widened, found = np.zeros((count, 3)), None, dict[int, Ref]()
        for ref in refs:
            rows, moved, *more = arrays.get("offsets", ref)
            offsets[rows] = moved
            if more:
                widened = np.zeros((count, more[0].shape[1])) if widened is None else widened
                widened[rows] = more[0]
            found[int(rows[0]) // BLOCK] = ref
        return cls(arrays, offsets, widened, found)
