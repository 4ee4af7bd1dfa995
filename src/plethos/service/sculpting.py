"""Sculpt sessions: begin in a pose, stroke, keep or drop. Every stroke is stored when it ends."""

from __future__ import annotations

import contextlib
import dataclasses
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import Acting, Evaluator
from plethos.core.formats.obj import write_obj
from plethos.core.formats.obj_match import sculpt_from_obj
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import extent
from plethos.core.propose.between import further_on, led_on
from plethos.core.propose.held import left_rest
from plethos.core.rules.remedies import Corrective, Remedy, Target
from plethos.core.rules.remedies.corrective import APART, target_name
from plethos.core.rules.rules import value_of
from plethos.core.rules.triggers import Trigger, trigger_from_document
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.sculpt.push_apart import ROUNDS, pushing_apart
from plethos.core.sculpt.solve import guess_trigger, solve_corrective
from plethos.core.skeleton.names import free_name
from plethos.core.skeleton.pose_files import pose_to_json
from plethos.core.skeleton.skeleton import Pose
from plethos.core.skin.shape import Shape
from plethos.service.documents import SculptNote
from plethos.service.edits import in_step
from plethos.service.open_character import OpenCharacter
from plethos.service.sculpt_strokes import NONE_YET
from plethos.service.version import HeldSculpt, OvertakenError, Version
from plethos.service.workbench import Workbench

NEAR = 0.1  # share of what was moved that has to lie where a turned joint bends the skin
ROUNDED = 1e-6  # of the height


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
            if not isinstance(remedy.body, Corrective):
                raise BadEditError(f"“{remedy.name}” has no shape that could be sculpted.")
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
    assert isinstance(remedy.body, Corrective), "only correctives are sculpted"
    if remedy.by is None:
        raise BadEditError(f"“{remedy.name}” is not tied, so there is no way for an in-between: tie it first.")
    if any(abs(t.at - on) < APART for t in remedy.body.targets):
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
        return _on_top(workbench, opened, "Put the border back", held, points)


@dataclass(frozen=True)
class PushingApart:
    """How far pushing apart has got: crossing pairs left, the share of its rounds, and what was stored in the end."""

    left: int
    share: float
    version: Version | None = None


def push_apart(
    workbench: Workbench, character_id: str, joint: str, border_stays: bool = True
) -> Iterator[PushingApart]:
    """Push apart what crosses in a joint's region, in the sculpt in progress; stored once it is through.

    Whoever stops asking before that stops it, and nothing is changed.

    Raises
    ------
    BadEditError
        When nothing crosses there.
    """
    opened = workbench.open(character_id)
    version = opened.version
    held, mesh = current(version), version.character.mesh
    shares = np.zeros(len(mesh))
    shares[version.measures.bend(version.character.skeleton.find(joint)).site.vertices] = 1
    if border_stays:
        shares[mesh.border] = 0
    best = None
    for pushed in pushing_apart(mesh.topology, held.points, mesh.rest, shares):
        if pushed.rounds == 0 and pushed.left == 0:
            raise BadEditError(f"Nothing crosses at “{joint}” that did not at rest.")
        best = pushed if best is None or pushed.left <= best.left else best
        yield PushingApart(pushed.left, pushed.rounds / ROUNDS)
    assert best is not None, "there is always a first round"
    with opened.editing:
        now = current(opened.version)
        if not now.goes_on(held.note):
            raise OvertakenError
        stored = _on_top(workbench, opened, "Push apart", now, now.points + (best.points - held.points))
    yield PushingApart(best.left, 1.0, stored)


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
        return _on_top(workbench, opened, "Bring in an OBJ", now, now.points + (points - held.points))


def _on_top(workbench: Workbench, opened: OpenCharacter, label: str, held: HeldSculpt, points: Array) -> Version:
    """Store the sculpt in progress with one more stroke."""
    note = dataclasses.replace(held.note, strokes=held.note.strokes + 1)
    return workbench.commit(opened, label, opened.character, held.after(note, points))


def far_from_turned(version: Version) -> str | None:
    """A sentence when hardly anything that was sculpted lies where a turned joint bends the skin; None = it does."""
    held = version.sculpt
    if held is None or held.note.strokes == 0:
        return None
    moved = np.linalg.norm(held.points - held.start, axis=1)
    if not moved.any():
        return None
    near, first = np.zeros(len(moved), dtype=bool), ""
    # The most turned first: it is the one that is mended, nearly always, and then no other has to be measured.
    for joint in left_rest(version.character.skeleton, held.pose):
        with contextlib.suppress(BadEditError):  # one that bends no skin
            near[version.measures.bend(joint).site.vertices] = True
            first = first or version.character.skeleton.names[joint]
            if moved[near].sum() >= NEAR * moved.sum():
                return None
    return f"This is not near “{first}”, the joint that is turned: is it the right one?" if first else None


def propose_trigger(version: Version) -> dict[str, Any]:
    """The hinge trigger that the held pose and the sculpt suggest, as plain data.

    Raises
    ------
    BadEditError
        When nothing was sculpted or no joint left rest.
    """
    held = current(version)
    changed = np.flatnonzero(held.is_changed).astype(np.int32)
    moved = Shape("", changed, (held.points - held.start)[changed].astype(np.float32))
    if len(moved.vertices) == 0:
        raise BadEditError("Nothing was sculpted yet: move something first, or drop.")
    return guess_trigger(version.character, held.pose, moved).to_document(version.character.skeleton)


def keep(
    workbench: Workbench, character_id: str, name: str, rule: Mapping[str, Any] | None, value: str | None = None
) -> Version:
    """Turn the sculpt into a corrective, tied by a trigger of this rule (None = not tied yet).

    One that is sculpted again keeps its own trigger, whatever `rule` says; the target at its activation is replaced, or
    an in-between is made.

    Parameters
    ----------
    value
        Which of the trigger's values the corrective is tied to; None = the first.
    """
    opened = workbench.open(character_id)
    with opened.editing:
        held, character = current(opened.version), opened.character
        label = name.strip() or "Corrective"
        if held.note.remedy_id is not None:
            changed = _sculpted_again(opened, held, label)
        else:
            trigger = trigger_from_document(rule, character.skeleton) if rule else None
            changed = _kept(opened, held, label, trigger, value)
        return workbench.commit(opened, f"Keep “{label}”", changed)


def _kept(opened: OpenCharacter, held: HeldSculpt, label: str, trigger: Trigger | None, value: str | None) -> Character:
    character = opened.character
    name = free_name(label, {r.name for r in character.rules.remedies})
    remedy = Remedy(Corrective.of(Shape(name, np.zeros(0, np.int32), np.zeros((0, 3), np.float32))), name)
    activation, base = 1.0, held.base
    if trigger is not None:
        remedy = dataclasses.replace(remedy, by=value_of(trigger, value))
        tied = Evaluator.of(character.with_remedy(remedy, trigger), opened.version.evaluator)
        activation = tied.pose(held.pose).activation(remedy.id)
        # A pose that joins a set takes from the others here: what is left for the shape is seen with it in place.
        others = Acting.these(*(r.id for r in character.rules.on))
        base = tied.pose(held.pose, others)
    hinge = trigger if isinstance(trigger, HingeTrigger) else None
    shape, report = solve_corrective(base, held.points, name, activation, hinge, held.channels)
    body = Corrective.of(shape, held.note.pose, report.to_json())
    remedy = dataclasses.replace(remedy, body=body)
    return character.with_remedy(remedy, *([trigger] if trigger is not None else []))


def _sculpted_again(opened: OpenCharacter, held: HeldSculpt, label: str) -> Character:
    """The character with the target that is on in the held pose replaced."""
    character, rules = opened.character, opened.character.rules
    remedy = rules.remedy(held.note.remedy_id or "")
    body = remedy.body
    assert isinstance(body, Corrective), "only correctives are sculpted"
    on = opened.version.evaluator.pose(held.pose).activation(remedy.id) if remedy.by is not None else 1.0
    trigger = rules.trigger_of(remedy)
    hinge = trigger if isinstance(trigger, HingeTrigger) else None
    if held.note.between:
        longer = further_on(character, remedy, held.pose)
        if longer is None:
            refuse_between(remedy, on)
        name = remedy.name if longer else target_name(remedy.name, on)
        shape, report = solve_corrective(held.base, held.points, name, remedy.amount, hinge, held.channels)
        target = Target(shape, 1.0 if longer else round(on, 6), held.note.pose, report.to_json())
        if longer is not None:
            return in_step(character.with_rules(led_on(rules, remedy, longer, target)), remedy.id)
        more = dataclasses.replace(remedy, body=body.with_target(target), notes=())
        return in_step(character.with_remedy(more), more.id)
    at = min(body.targets, key=lambda t: abs(t.at - on)).at
    others = tuple(t for t in body.targets if t.at != at)
    weights = dict(zip((t.at for t in body.targets), body.weights(on), strict=True))
    if others and weights[at] < 0.999:
        raise BadEditError(f"“{remedy.name}” is between two of its targets in this pose: go to one of them.")
    amount = remedy.amount * weights[at]
    shape, report = solve_corrective(held.base, held.points, label, amount, hinge, held.channels)
    target = Target(shape, at, held.note.pose, report.to_json())
    taken = {r.name for r in rules.remedies if r.id != remedy.id}
    fresh = dataclasses.replace(
        remedy, body=body.with_target(target), name=free_name(label, taken), notes=()
    )  # fmt: skip
    return in_step(character.with_remedy(fresh), fresh.id)
