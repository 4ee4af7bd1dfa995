"""The offsets of a sculpt as they are stored: in blocks of vertices, of which a stroke stores those that it touches."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

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
    blocks
        Each that is not all 0, by its number: where it is, and its arrays, which are held so that nobody has to fetch
        them again.
    """

    arrays: Arrays
    offsets: Array
    widened: Array | None
    blocks: Mapping[int, tuple[Ref, tuple[NDArray[Any], ...]]]

    @property
    def refs(self) -> list[Ref]:
        """As a note holds them."""
        return [self.blocks[block][0] for block in sorted(self.blocks)]

    @classmethod
    def put(cls, arrays: Arrays, offsets: Array, widened: Array | None, before: SculptBlocks | None) -> SculptBlocks:
        """Put what differs from what was put or got before."""
        every = (offsets,) if widened is None else (offsets, widened)
        told = np.logical_or.reduce([(a != 0).any(axis=1) for a in every])
        differs, blocks = told, dict[int, tuple[Ref, tuple[NDArray[Any], ...]]]()
        if before is not None and before.arrays is arrays:
            old = (before.offsets,) if before.widened is None else (before.offsets, before.widened)
            if len(old) == len(every):
                differs = np.logical_or.reduce([(a != b).any(axis=1) for a, b in zip(every, old, strict=True)])
                blocks = dict(before.blocks)
        for block in np.unique(np.flatnonzero(differs) // BLOCK).tolist():
            rows = block * BLOCK + np.flatnonzero(told[block * BLOCK : (block + 1) * BLOCK]).astype(np.int32)
            blocks.pop(block, None)
            if len(rows):
                own = (rows, *(a[rows] for a in every))
                blocks[block] = (arrays.put("offsets", f"sculpt {block}", *own), own)
        return cls(arrays, offsets, widened, blocks)

    @classmethod
    def got(cls, arrays: Arrays, refs: Sequence[Ref], count: int) -> SculptBlocks:
        """What a note holds of a character of so many vertices."""
        offsets, widened = np.zeros((count, 3)), None
        blocks = dict[int, tuple[Ref, tuple[NDArray[Any], ...]]]()
        for ref in refs:
            rows, moved, *more = own = arrays.get("offsets", ref)
            offsets[rows] = moved
            if more:
                widened = np.zeros((count, more[0].shape[1])) if widened is None else widened
                widened[rows] = more[0]
            blocks[int(rows[0]) // BLOCK] = (ref, own)
        return cls(arrays, offsets, widened, blocks)
