"""How much a file may hold: more is refused with a sentence before it costs minutes or gigabytes."""

from __future__ import annotations

from plethos.core.errors import BadFileError

MOST_PARTS = 4000
MOST_JOINTS = 4000
MOST_WEIGHTS = 200_000_000  # vertices times joints


def check_parts(count: int) -> None:
    """Refuse a file of too many parts."""
    if count > MOST_PARTS:
        raise BadFileError(f"The file has {count} parts, and up to {MOST_PARTS} are taken in: join some of them.")


def check_weights(joints: int, vertices: int) -> None:
    """Refuse a skin whose weights would fill the memory."""
    if joints > MOST_JOINTS or joints * vertices > MOST_WEIGHTS:
        raise BadFileError(
            f"The file has {joints} joints over {vertices} vertices, more than is taken in: "
            f"up to {MOST_JOINTS} joints, and {MOST_WEIGHTS // 1_000_000} million weights."
        )
