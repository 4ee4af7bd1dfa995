"""Edits of remedies. Each is one undo step, named for the person who may want it back."""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Mapping
from typing import Any

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.remedies.corrective import CorrectiveShape
from plethos.core.triggers import trigger_from_rule
from plethos.service.open_character import OpenCharacter
from plethos.service.workbench import Workbench

MOST_AMOUNT = 4.0


def _replace(character: Character, remedy_id: str, **changes: Any) -> Character:
    remedy = character.remedy(remedy_id)
    assert dataclasses.is_dataclass(remedy)
    return character.with_remedy(dataclasses.replace(remedy, **changes))


def set_trigger(
    workbench: Workbench, character_id: str, remedy_id: str, rule: Mapping[str, Any] | None
) -> OpenCharacter:
    """Tie a remedy to a trigger, or break the tie (None) without losing the shape."""

    def change(character: Character) -> Character:
        trigger = trigger_from_rule(rule, character.skeleton) if rule else None
        return _replace(character, remedy_id, trigger=trigger)

    return workbench.edit(character_id, "Change trigger" if rule else "Break tie", change)


def switch(workbench: Workbench, character_id: str, remedy_id: str, on: bool) -> OpenCharacter:
    """Switch a remedy on or off."""
    label = "Switch on" if on else "Switch off"
    return workbench.edit(character_id, label, lambda c: _replace(c, remedy_id, on=on))


def set_amount(workbench: Workbench, character_id: str, remedy_id: str, amount: float) -> OpenCharacter:
    """How much of a remedy its full activation gives."""
    if not math.isfinite(amount) or not 0 <= amount <= MOST_AMOUNT:
        raise BadEditError(f"The amount has to lie between 0 and {MOST_AMOUNT:.0f}.")
    return workbench.edit(character_id, "Change amount", lambda c: _replace(c, remedy_id, amount=amount))


def rename(workbench: Workbench, character_id: str, remedy_id: str, name: str) -> OpenCharacter:
    """Give a remedy another name."""
    label = name.strip()[:120]
    if not label:
        raise BadEditError("A remedy needs a name.")

    def change(character: Character) -> Character:
        remedy = character.remedy(remedy_id)
        if not isinstance(remedy, CorrectiveShape):
            raise BadEditError("This remedy has no name of its own.")
        return character.with_remedy(dataclasses.replace(remedy, shape=dataclasses.replace(remedy.shape, name=label)))

    return workbench.edit(character_id, f"Rename to “{label}”", change)


def delete(workbench: Workbench, character_id: str, remedy_id: str) -> OpenCharacter:
    """Take a remedy away (undo brings it back)."""

    def change(character: Character) -> Character:
        gone = character.remedy(remedy_id)
        return character.with_remedies(tuple(r for r in character.remedies if r.id != gone.id))

    return workbench.edit(character_id, "Delete remedy", change)
