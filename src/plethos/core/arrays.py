"""Where a document keeps its arrays: blobs of a store, morph targets of a file, or the document itself."""

from __future__ import annotations

from typing import Any, Protocol

from numpy.typing import NDArray

# What stands in a document for arrays: a hash, a name, or the numbers themselves.
Ref = Any


class Arrays(Protocol):
    """Keeps arrays of these kinds.

    ``offsets``: vertices ``(N,)``, deltas ``(N, 3)`` and, if there are any, channels ``(N, C)``; ``shares``: vertices
    ``(N,)`` and shares ``(N,)``; ``weights``: joints ``(V, K)`` and weights ``(V, K)``; ``weld``: file_to_vertex
    ``(F,)``; ``motion``: rotations ``(F, S, 4)``, places ``(F, 3)`` and, if there are any, slides
    ``(F, L, 3)``; ``file``: the bytes of a file ``(N,)``.
    """

    def put(self, kind: str, label: str, *arrays: NDArray[Any]) -> Ref:
        """Keep arrays; `label` is what people call them."""
        ...

    def get(self, kind: str, ref: Ref) -> tuple[NDArray[Any], ...]:
        """What was kept.

        Raises
        ------
        PlethosError
            When it is not there, or broken.
        """
        ...
