"""Edits of rules. Each is one undo step, named for the person who may want it back."""

from __future__ import annotations

import contextlib
import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from plethos.core.character import Character
from plethos.core.edits.bake import baked
from plethos.core.edits.twins import twinned
from plethos.core.errors import BadEditError
from plethos.core.formats.document import rules_from_document, rules_to_document
from plethos.core.formats.rules import InlineArrays
from plethos.core.rules.remedies import Remedy, remedy_from_document
from plethos.core.rules.remedies.remedy import MOST_AMOUNT
from plethos.core.rules.rules import Rules
from plethos.core.rules.triggers import trigger_from_document
from plethos.core.rules.triggers.hinge import unit_axis
from plethos.core.skeleton.names import free_name
from plethos.service.library.version import Version
from plethos.service.library.workbench import Workbench


def change_rules(workbench: Workbench, character_id: str, label: str, change: Callable[[Character], Rules]) -> Version:
    """Change the rules of a character in one undo step."""
    return workbench.edit(character_id, label, lambda c: c.with_rules(change(c)))


def _in_step(
    workbench: Workbench, character_id: str, label: str, remedy_id: str, change: Callable[[Character], Rules]
) -> Version:
    """Change a remedy, and its twin with it if it has one."""
    named = _of(workbench, character_id, label, remedy_id)
    return workbench.edit(character_id, named, lambda c: in_step(c.with_rules(change(c)), remedy_id))


def _of(workbench: Workbench, character_id: str, label: str, remedy_id: str) -> str:
    """An edit's label with the name of its remedy: a list of steps is read by that."""
    return f"{label}: {workbench.open(character_id).character.rules.remedy(remedy_id).name}"


def in_step(character: Character, remedy_id: str) -> Character:
    """The character with a remedy's twin brought to what the remedy is now; without a twin, as it is."""
    rules = character.rules
    twin = rules.remedy(remedy_id).twin
    return character if twin is None or not rules.has(twin) else twinned(character, remedy_id)


def change_remedy(workbench: Workbench, character_id: str, label: str, remedy_id: str, **changes: Any) -> Version:
    """Change fields of a remedy, and of its twin with it if it has one."""

    def change(character: Character) -> Rules:
        return character.rules.with_remedy(replace(character.rules.remedy(remedy_id), **changes))

    return _in_step(workbench, character_id, label, remedy_id, change)


def set_trigger(
    workbench: Workbench, character_id: str, remedy_id: str, rule: Mapping[str, Any] | None, value: str | None = None
) -> Version:
    """Tie a remedy to a trigger of its own, or break the tie (None) without losing the shape.

    Parameters
    ----------
    value
        Which of the trigger's values; None = the one it has, or the first.
    """

    def change(character: Character) -> Rules:
        rules = character.rules
        remedy = rules.remedy(remedy_id)
        if rule is None:
            return rules.tied(remedy_id, None)
        old = rules.trigger_of(remedy)
        given = {**rule, "id": None, "name": ""}
        if old is not None:
            # Its own trigger keeps its id; one that others read too stays, as does one that goes into a product now.
            readers = {n for v in old.writes() for n in rules.readers(v)}
            read = set(trigger_from_document(given, character.skeleton).reads())
            if not old.name and readers == {remedy.name} and not read & set(old.writes()):
                given["id"] = old.id
        return rules.tied(remedy_id, trigger_from_document(given, character.skeleton), value)

    return _in_step(workbench, character_id, "Change trigger" if rule else "Untie", remedy_id, change)


def tie(workbench: Workbench, character_id: str, remedy_id: str, value: str | None) -> Version:
    """Tie a remedy to any value by its id; None unties it."""
    return change_remedy(workbench, character_id, "Tie" if value else "Untie", remedy_id, by=value)


def switch(workbench: Workbench, character_id: str, remedy_id: str, on: bool) -> Version:
    """Switch a remedy on or off."""
    return change_remedy(workbench, character_id, "Switch on" if on else "Switch off", remedy_id, on=on)


def set_amount(workbench: Workbench, character_id: str, remedy_id: str, amount: float) -> Version:
    """How much of a remedy its full activation gives."""
    if not math.isfinite(amount) or not 0 <= amount <= MOST_AMOUNT:
        raise BadEditError(f"The amount has to lie between 0 and {MOST_AMOUNT:.0f}.")
    return change_remedy(workbench, character_id, "Change amount", remedy_id, amount=amount)


def with_body(character: Character, remedy_id: str, changes: Mapping[str, Any]) -> Character:
    """The character with other numbers or rules in a remedy's body.

    Raises
    ------
    BadEditError
        For what the body does not have, or numbers out of range.
    """
    remedy, arrays = character.rules.remedy(remedy_id), InlineArrays(character)
    told = remedy.body.to_document(character.skeleton, arrays)
    wrong = [k for k in changes if k not in told or k == "mask"]
    if wrong:
        raise BadEditError(f"“{remedy.name}” has nothing called “{wrong[0]}”.")
    body = type(remedy.body).from_document({**told, **changes}, character.skeleton, arrays)
    if remedy.mask is not None:
        # The same mask, not its like: what was made ready for it is used on.
        body = replace(body, mask=remedy.mask)  # type: ignore[type-var]
    return character.with_rules(character.rules.with_remedy(replace(remedy, body=body)))


def set_body(workbench: Workbench, character_id: str, remedy_id: str, changes: Mapping[str, Any]) -> Version:
    """Change what is told of a remedy's body: steps, share, how far, rules."""
    return _in_step(
        workbench, character_id, "Change remedy", remedy_id, lambda c: with_body(c, remedy_id, changes).rules
    )


def bake(
    workbench: Workbench,
    character_id: str,
    remedy_id: str,
    joint: str,
    axis: Sequence[float],
    angles_deg: Sequence[float],
) -> Version:
    """Turn a helper, a blend or a deformer into a corrective with in-betweens: see `baked`."""

    def change(character: Character) -> Character:
        number, unit = character.skeleton.find(joint), unit_axis(axis)
        return baked(character, remedy_id, number, unit, [math.radians(a) for a in angles_deg]).character

    return workbench.edit(character_id, "Bake", change)


def rename(workbench: Workbench, character_id: str, remedy_id: str, name: str) -> Version:
    """Give a remedy another name."""
    label = name.strip()[:120]
    if not label:
        raise BadEditError("A remedy needs a name.")
    return change_remedy(workbench, character_id, f"Rename to “{label}”", remedy_id, name=label)


def delete(workbench: Workbench, character_id: str, remedy_id: str) -> Version:
    """Take a remedy away, and the trigger that only it was tied to (undo brings both back)."""
    label = _of(workbench, character_id, "Delete remedy", remedy_id)
    return change_rules(workbench, character_id, label, lambda c: c.rules.without_remedy(remedy_id))


def add_twin(workbench: Workbench, character_id: str, remedy_id: str) -> Version:
    """The same remedy on the other side, with its trigger."""
    return workbench.edit(character_id, "Make twin", lambda c: twinned(c, remedy_id))


def add_twins(workbench: Workbench, character_id: str) -> Version:
    """Twins for all remedies that lie on one side and have none.

    Raises
    ------
    BadEditError
        When there is none to make.
    """

    def change(character: Character) -> Character:
        made = character
        for remedy in character.rules.remedies:
            if made.rules.remedy(remedy.id).twin is not None:
                continue
            with contextlib.suppress(BadEditError):  # what lies in the middle, or whose other side has its own
                made = twinned(made, remedy.id)
        if made is character:
            raise BadEditError("Every remedy has its twin already, or lies in the middle.")
        return made

    return workbench.edit(character_id, "Make all twins", change)


def free_twin(workbench: Workbench, character_id: str, remedy_id: str) -> Version:
    """Let a remedy and its twin go their own ways from now on."""

    def change(character: Character) -> Rules:
        rules = character.rules
        twin = rules.remedy(remedy_id).twin
        for one in (remedy_id, twin):
            if one is not None and rules.has(one):
                rules = rules.with_remedy(replace(rules.remedy(one), twin=None))
        return rules

    return change_rules(workbench, character_id, "Free from its twin", change)


def add_remedy(workbench: Workbench, character_id: str, document: Mapping[str, Any]) -> Version:
    """A remedy of any kind from plain data, its arrays as lists; one of the same id is replaced."""

    def change(character: Character) -> Rules:
        remedy = remedy_from_document(document, character.skeleton, InlineArrays(character))
        return character.rules.with_remedy(_freely_named(remedy, character.rules))

    return change_rules(workbench, character_id, f"Add {document.get('name') or 'a remedy'}", change)


def _freely_named(remedy: Remedy, rules: Rules) -> Remedy:
    taken = {r.name for r in rules.remedies if r.id != remedy.id}
    return replace(remedy, name=free_name(remedy.name, taken))


def put_trigger(workbench: Workbench, character_id: str, document: Mapping[str, Any]) -> Version:
    """A trigger of any kind; one of the same id is replaced, for all that read it and for their twins."""

    def change(character: Character) -> Character:
        trigger = trigger_from_document(document, character.skeleton)
        made = character.with_rules(character.rules.with_trigger(trigger))
        for remedy in character.rules.remedies:
            if remedy.by in trigger.writes():
                made = in_step(made, remedy.id)
        return made

    return workbench.edit(character_id, f"Set {document.get('name') or 'a trigger'}", change)


def delete_trigger(workbench: Workbench, character_id: str, trigger_id: str) -> Version:
    """Take a trigger away that nobody reads."""

    def change(character: Character) -> Rules:
        rules = character.rules
        gone = next((t for t in rules.triggers if t.id == trigger_id), None)
        if gone is None:
            raise BadEditError("That trigger is not there any more; it may have been deleted or undone.")
        refuse_read(rules, gone.writes(), rules.label(gone))
        return replace(rules, triggers=tuple(t for t in rules.triggers if t.id != trigger_id))

    return change_rules(workbench, character_id, "Delete trigger", change)


def refuse_read(rules: Rules, values: Sequence[str], name: str) -> None:
    for value in values:
        readers = rules.readers(value)
        if readers:
            raise BadEditError(f"“{readers[0]}” reads “{name}”: untie it first.")


def set_rules(workbench: Workbench, character_id: str, document: Mapping[str, Any]) -> Version:
    """All rules at once from plain data."""

    def change(character: Character) -> Rules:
        return rules_from_document(document, character.skeleton, InlineArrays(character))

    return change_rules(workbench, character_id, "Set all rules", change)


def rules_document(version: Version) -> dict[str, Any]:
    """All rules as plain data, arrays as lists."""
    character = version.character
    return rules_to_document(character.rules, character.skeleton, InlineArrays(character))
