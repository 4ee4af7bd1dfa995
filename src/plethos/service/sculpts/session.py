"""Sculpt sessions: begin in a pose, stroke, keep or drop. Every stroke is stored when it ends."""

from __future__ import annotations

import dataclasses

from plethos.core.errors import BadEditError
from plethos.core.geometry.rotations import Array
from plethos.core.propose.between import further_on
from plethos.core.rules.remedies import Remedy
from plethos.core.rules.remedies.corrective import APART
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.pose_files import pose_to_json
from plethos.service.library.documents import SculptNote
from plethos.service.library.open_character import OpenCharacter
from plethos.service.library.version import HeldSculpt, Version
from plethos.service.library.workbench import Workbench
from plethos.service.tools.sculpt_strokes import NONE_YET


def begin(workbench: Workbench, character_id: str, pose: Pose, remedy_id: str | None, between: bool = False) -> Version:
    """Hold the skin in a pose and begin to sculpt: a new corrective, or an existing one again.

    Parameters
    ----------
    between
        Whether the existing one gets one more target: an in-between at the activation that it has in this pose, or
        one beyond where it is fully on.

    Raises
    ------
    BadEditError
        When a sculpt is in progress, or the remedy is no corrective or hardly on in this pose; when there is no room
        for an in-between.
    """
    opened = workbench.open(character_id)
    with opened.editing:
        opened.refuse_while_sculpting()
        evaluator, character = opened.version.evaluator, opened.character
        if remedy_id is not None:
            remedy = character.rules.remedy(remedy_id)
            remedy.shapes_or_refuse("has no shape that could be sculpted.")
            on = evaluator.pose(pose).activation(remedy_id)
            if remedy.by is not None and on * remedy.amount < 0.05:
                raise BadEditError(f"“{remedy.name}” is hardly on in this pose: bend the joint to where it acts.")
            if between and further_on(character, remedy, pose) is None:
                refuse_between(remedy, on)
        note = SculptNote(remedy_id, pose_to_json(character.skeleton, pose), between=between)
        held = HeldSculpt.of(note, evaluator, None)
        return workbench.commit(opened, "Begin sculpting", character, held)


def refuse_between(remedy: Remedy, on: float) -> None:
    """Refuse an in-between where there is no room for one.

    Raises
    ------
    BadEditError
        When the remedy is not on its way, or has a target there.
    """
    body = remedy.shapes_or_refuse("has no shape that could be sculpted.")
    if remedy.by is None:
        raise BadEditError(f"“{remedy.name}” is not tied, so there is no way for an in-between: tie it first.")
    if any(abs(t.at - on) < APART for t in body.targets):
        raise BadEditError(f"“{remedy.name}” has a target here already: sculpt that one, or bend on.")


def current(version: Version) -> HeldSculpt:
    """The sculpt in progress.

    Raises
    ------
    BadEditError
        When there is none.
    """
    if version.sculpt is None:
        raise BadEditError(NONE_YET)
    return version.sculpt


def drop(workbench: Workbench, character_id: str) -> Version:
    """End the session and forget what was sculpted (undo brings it back)."""
    opened = workbench.open(character_id)
    with opened.editing:
        current(opened.version)
        return workbench.commit(opened, "Drop sculpt", opened.character)


def on_top(workbench: Workbench, opened: OpenCharacter, label: str, held: HeldSculpt, points: Array) -> Version:
    """Store the sculpt in progress with one more stroke."""
    return workbench.commit(opened, label, opened.character, one_more(held, points))


def one_more(held: HeldSculpt, points: Array) -> HeldSculpt:
    """A sculpt in progress with one more stroke."""
    return held.after(dataclasses.replace(held.note, strokes=held.note.strokes + 1), points)
