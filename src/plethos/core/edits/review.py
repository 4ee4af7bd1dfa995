"""Remedies whose skin or joints were changed after they were made say so, until they are sculpted again."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.geometry.topology import extent
from plethos.core.rules.remedies import Remedy

CHANGED = "Joints or weights under it have changed since it was sculpted: compare it again."
WEIGHT = 0.02  # changes under this are not seen
PLACE = 1e-3  # of the character's height


def reviewed(before: Character, after: Character) -> Character:
    """The character after an edit, with the correctives noted that the edit has changed the ground under.

    Parameters
    ----------
    before, after
        The character before and after one edit.
    """
    if after.binding is before.binding and after.skeleton is before.skeleton:
        return after
    origin = after.skeleton.came_from(before.skeleton)
    remedies = tuple(
        r.noted(CHANGED) if before.rules.has(r.id) and _is_touched(r, before, after, origin) else r
        for r in after.rules.remedies
    )
    if all(new is r for new, r in zip(remedies, after.rules.remedies, strict=True)):
        return after
    return after.with_rules(replace(after.rules, remedies=remedies))


def _is_touched(remedy: Remedy, before: Character, after: Character, was: NDArray[np.int32]) -> bool:
    """Whether an edit has changed the ground under a remedy; `was` ``(J,)`` says which joint each was."""
    if remedy.sculpted is None:
        return False
    old_places, places = (c.skeleton.rest_global[:, :3, 3] for c in (before, after))
    for joint in after.rules.joints_read(remedy):
        off = np.linalg.norm(places[joint] - old_places[was[joint]])
        if was[joint] >= 0 and off > PLACE * extent(places):
            return True
    for shape in remedy.sculpted.shapes:
        if before.binding is after.binding:
            continue
        old, new = (c.binding.by_vertex[shape.vertices].tocsc() for c in (before, after))
        known = was >= 0
        differs = (new[:, np.flatnonzero(known)] - old[:, was[known]], new[:, np.flatnonzero(~known)])
        if max(float(np.abs(columns.data).max(initial=0.0)) for columns in differs) > WEIGHT:
            return True
    return False
