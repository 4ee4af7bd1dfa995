"""Borders that a sculpt has moved, put back where it began."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadEditError
from plethos.service.library.version import Version
from plethos.service.library.workbench import Workbench
from plethos.service.sculpts.session import current, on_top


def moved_border(version: Version) -> NDArray[np.intp]:
    """The border vertices ``(N,)`` that the sculpt in progress has moved."""
    held = current(version)
    return np.flatnonzero(version.character.mesh.border & (held.points != held.start).any(axis=1))


def put_border_back(workbench: Workbench, character_id: str) -> Version:
    """Put the border vertices that were moved back where the session began.

    Raises
    ------
    BadEditError
        When none was.
    """
    opened = workbench.open(character_id)
    with opened.editing:
        held, moved = current(opened.version), moved_border(opened.version)
        if len(moved) == 0:
            raise BadEditError("No border has moved.")
        points = held.points.copy()
        points[moved] = held.start[moved]
        return on_top(workbench, opened, "Put the border back", held, points)
