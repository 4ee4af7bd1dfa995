"""A sculpt kept as a corrective: tied by a trigger, or sculpted again."""

from __future__ import annotations

import contextlib
import dataclasses
from collections.abc import Mapping
from typing import Any

import numpy as np

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import Acting, Evaluator
from plethos.core.propose.between import further_on, led_on
from plethos.core.propose.held import left_rest
from plethos.core.rules.remedies import Corrective, Remedy, Target
from plethos.core.rules.remedies.corrective import target_name
from plethos.core.rules.rules import value_of
from plethos.core.rules.triggers import Trigger, trigger_from_document
from plethos.core.rules.triggers.hinge import hinge_of
from plethos.core.sculpt.solve import guess_trigger, solve_corrective
from plethos.core.skeleton.names import free_name
from plethos.core.skin.shape import Shape
from plethos.service.edits.rule_edits import in_step
from plethos.service.library.open_character import OpenCharacter
from plethos.service.library.version import HeldSculpt, Version
from plethos.service.library.workbench import Workbench
from plethos.service.sculpts.session import current, refuse_between

NEAR = 0.1  # share of what was moved that has to lie where a turned joint bends the skin


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
    hinge = hinge_of(trigger)
    shape, report = solve_corrective(base, held.points, name, activation, hinge, held.channels)
    body = Corrective.of(shape, held.note.pose, report.to_json())
    remedy = dataclasses.replace(remedy, body=body)
    return character.with_remedy(remedy, *([trigger] if trigger is not None else []))


def _sculpted_again(opened: OpenCharacter, held: HeldSculpt, label: str) -> Character:
    """The character with the target that is on in the held pose replaced."""
    character, rules = opened.character, opened.character.rules
    remedy = rules.remedy(held.note.remedy_id or "")
    body = remedy.shapes_or_refuse("has no shape that could be sculpted.")
    on = opened.version.evaluator.pose(held.pose).activation(remedy.id) if remedy.by is not None else 1.0
    trigger = rules.trigger_of(remedy)
    hinge = hinge_of(trigger)
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
