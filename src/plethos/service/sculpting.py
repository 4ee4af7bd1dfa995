"""Sculpt sessions: begin in a pose, stroke, keep or drop. Every stroke is stored when it ends."""

from __future__ import annotations

import dataclasses
from typing import Any

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.evaluate import activation_of
from plethos.core.remedies.corrective import CorrectiveShape
from plethos.core.remedies.solve import guess_trigger, solve_corrective
from plethos.core.sculpt import BRUSHES
from plethos.core.sculpt.session import Dab
from plethos.core.shape import Shape
from plethos.core.skeleton import Pose, pose_to_json
from plethos.core.triggers import Trigger, trigger_from_rule
from plethos.service.documents import SculptNote
from plethos.service.open_character import OpenCharacter, SculptSession
from plethos.service.painting import Within
from plethos.service.workbench import Workbench
from plethos.store.blobs import digest, pack_offsets


def begin(workbench: Workbench, character_id: str, pose: Pose, remedy_id: str | None) -> OpenCharacter:
    """Hold the skin in a pose and begin to sculpt: a new corrective, or an existing one again.

    Raises
    ------
    BadEditError
        When a sculpt is in progress, or the remedy is hardly on in this pose.
    """
    opened = workbench.open(character_id)
    with opened.lock:
        opened.refuse_while_sculpting()
        character = opened.character
        if remedy_id is not None:
            remedy = character.remedy(remedy_id)
            if remedy.trigger and activation_of(character, remedy_id, pose) * remedy.amount < 0.05:
                raise BadEditError(f"“{remedy.name}” is hardly on in this pose: bend the joint to where it acts.")
        note = SculptNote(remedy_id, pose_to_json(character.skeleton, pose))
        session = opened.begin_sculpt(note, character, None)
        workbench.commit(opened, "Begin sculpting", character, session)
    return opened


def dab(opened: OpenCharacter, brush: str, touch: Dab, within: Within | None = None) -> int:
    """Let a brush touch the skin, kept to a region if wanted; returns how many vertices it reached."""
    if brush not in BRUSHES:
        raise BadEditError(f"There is no brush called “{brush}”; there are {', '.join(BRUSHES)}.")
    session = current(opened)
    session.surface.within = None if within is None else within.shares(opened.character)
    return len(BRUSHES[brush](session.surface, touch))


def current(opened: OpenCharacter) -> SculptSession:
    """The sculpt in progress.

    Raises
    ------
    BadEditError
        When there is none.
    """
    if opened.sculpt is None:
        raise BadEditError("No sculpt is in progress: begin one first.")
    return opened.sculpt


def end_stroke(workbench: Workbench, opened: OpenCharacter, brush: str) -> None:
    """Store what the stroke did; only then is it undoable and safe."""
    with opened.lock:
        session = current(opened)
        offsets = session.surface.points - session.surface.start
        moved = np.flatnonzero(np.abs(offsets).max(axis=1) > 0).astype(np.int32)
        blob = pack_offsets(moved, offsets[moved])
        note = dataclasses.replace(session.note, offsets=digest(blob), strokes=session.note.strokes + 1)
        session = dataclasses.replace(session, note=note)
        session.surface.begin_stroke()
        workbench.commit(opened, f"Stroke: {brush.replace('_', ' ')}", opened.character, session, blob)


def drop(workbench: Workbench, character_id: str) -> OpenCharacter:
    """End the session and forget what was sculpted (undo brings it back)."""
    opened = workbench.open(character_id)
    with opened.lock:
        current(opened)
        workbench.commit(opened, "Drop sculpt", opened.character, None)
    return opened


def propose_trigger(opened: OpenCharacter) -> dict[str, Any]:
    """The hinge trigger that the held pose and the sculpt suggest, as a rule.

    Raises
    ------
    BadEditError
        When nothing was sculpted or no joint left rest.
    """
    with opened.lock:
        session = current(opened)
        offsets = session.surface.points - session.surface.start
        moved = Shape.from_dense("", offsets, 0.0)
        if len(moved.vertices) == 0:
            raise BadEditError("Nothing was sculpted yet: move something first, or drop.")
        return guess_trigger(opened.character, session.pose, moved).to_rule(opened.character.skeleton)


def keep(workbench: Workbench, character_id: str, name: str, rule: dict[str, Any] | None) -> OpenCharacter:
    """Turn the sculpt into a corrective shape, tied by `rule` (None = not tied yet).

    A shape that is sculpted again keeps its own trigger, whatever `rule` says.
    """
    opened = workbench.open(character_id)
    with opened.lock:
        session, character = current(opened), opened.character
        skeleton = character.skeleton
        before = character.remedy(session.note.remedy_id) if session.note.remedy_id else None
        trigger: Trigger | None = trigger_from_rule(rule, skeleton) if rule else None
        activation = 1.0
        if before is not None:
            trigger = before.trigger
            activation = before.amount * (trigger.activation(session.pose) if trigger else 1.0)
        elif trigger is not None:
            activation = trigger.activation(session.pose)
        label = name.strip() or "Corrective"
        shape, report = solve_corrective(
            session.others, session.pose, session.surface.points, label, activation=activation
        )
        remedy = CorrectiveShape(shape, trigger, session.note.pose, report.to_json())
        if before is not None:
            remedy = dataclasses.replace(remedy, id=before.id, on=before.on, amount=before.amount)
        workbench.commit(opened, f"Keep “{label}”", character.with_remedy(remedy), None)
    return opened
