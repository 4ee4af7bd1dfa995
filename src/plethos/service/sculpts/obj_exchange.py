"""A sculpt sent out as an OBJ and brought back as one stroke."""

from __future__ import annotations

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.formats.obj import write_obj
from plethos.core.formats.obj_match import sculpt_from_obj
from plethos.core.geometry.topology import extent
from plethos.service.library.version import OvertakenError, Version
from plethos.service.library.workbench import Workbench
from plethos.service.sculpts.session import current, on_top

ROUNDED = 1e-6  # of the height


def sent_out(version: Version) -> str:
    """The sculpt in progress as an OBJ, for another program."""
    return write_obj(version.character, current(version).points)


def bring_back(workbench: Workbench, character_id: str, text: str) -> Version:
    """Take an OBJ that was sent out and sculpted elsewhere as one more stroke.

    Raises
    ------
    BadFileError
        When it is another mesh.
    BadEditError
        When it moves nothing.
    """
    opened = workbench.open(character_id)
    held = current(opened.version)
    found = workbench.read_apart(sculpt_from_obj, opened.character, text, held.points)
    points = np.where(found.held[:, None], found.points, held.points)
    # What a text rounds off is no sculpt.
    still = np.linalg.norm(points - held.points, axis=1) < ROUNDED * extent(held.points)
    points[still] = held.points[still]
    if still.all():
        raise BadEditError("The OBJ is as it was sent out: nothing in it has moved.")
    with opened.editing:
        now = current(opened.version)
        if not now.goes_on(held.note):
            raise OvertakenError
        return on_top(workbench, opened, "Bring in an OBJ", now, now.points + (points - held.points))
