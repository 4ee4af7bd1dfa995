"""Automatic weights, of all joints or of some, in all the skin or in a region."""

from __future__ import annotations

from collections.abc import Callable

from plethos.service.edits import weight_edits
from plethos.service.library.workbench import Workbench


def automatic_weights(
    bench: Workbench,
    character_id: str,
    progress: Callable[[float], None],
    joints: list[str] | None = None,
    region: str | None = None,
) -> None:
    """See `weight_edits.automatic`."""
    weight_edits.automatic(bench, character_id, joints, progress, region)
