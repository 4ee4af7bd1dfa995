"""Remedies whose skin or joints were changed after they were made say so, until they are sculpted again."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.mesh import extent
from plethos.core.remedies import Remedy

CHANGED = "Joints or weights under it have changed since it was sculpted: compare it again."
WEIGHT = 0.02  # changes under this are not seen
PLACE = 1e-3  # of the character's height


def reviewed(before: Character, after: Character) -> Character:
    """The character after an edit, with the remedies noted that the edit has changed the ground under.

    Parameters
    ----------
    before, after
        The character before and after one edit.
    """
    if after.weights is before.weights and after.skeleton is before.skeleton:
        return after
    known, was = {r.id for r in before.remedies}, _numbers(before, after)
    remedies = tuple(
        r.noted(CHANGED) if r.id in known and _is_touched(r, before, after, was) else r for r in after.remedies
    )
    if all(new is r for new, r in zip(remedies, after.remedies, strict=True)):
        return after
    return after.with_remedies(remedies)


def _is_touched(remedy: Remedy, before: Character, after: Character, was: NDArray[np.int32]) -> bool:
    """Whether an edit has changed the ground under a remedy; `was` ``(J,)`` is what `_numbers` says."""
    old_places, places = (c.skeleton.rest_global[:, :3, 3] for c in (before, after))
    for joint in remedy.trigger.joints if remedy.trigger else ():
        off = np.linalg.norm(places[joint] - old_places[was[joint]])
        if was[joint] >= 0 and off > PLACE * extent(places):
            return True
    for shape in remedy.shapes:
        old, new = before.joint_weights[shape.vertices], after.joint_weights[shape.vertices]
        known = was >= 0
        gained = np.abs(new[:, ~known]).max(initial=0.0)
        if max(float(np.abs(new[:, known] - old[:, was[known]]).max(initial=0.0)), float(gained)) > WEIGHT:
            return True
    return False


def _numbers(before: Character, after: Character) -> NDArray[np.int32]:
    """Which joint of `before` each of `after` ``(J,)`` was, -1 for new ones; a renamed joint keeps its number."""
    old, new = before.skeleton, after.skeleton
    if len(old) == len(new) and set(old.names) != set(new.names):
        return np.arange(len(new), dtype=np.int32)
    return np.array([old.index_of.get(name, -1) for name in new.names], dtype=np.int32)
