"""Edits of dials and of groups."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.rules.dials import Dial, Group
from plethos.core.rules.rules import Rules
from plethos.service.edits.rule_edits import change_remedy, change_rules, refuse_read
from plethos.service.library.version import Version
from plethos.service.library.workbench import Workbench


def put_dial(workbench: Workbench, character_id: str, document: Mapping[str, Any]) -> Version:
    """A dial; one of the same id is replaced."""

    def change(character: Character) -> Rules:
        return character.rules.with_dial(Dial.from_document(document))

    return change_rules(workbench, character_id, f"Set the dial {document.get('name')}", change)


def delete_dial(workbench: Workbench, character_id: str, dial_id: str) -> Version:
    """Take a dial away that nobody reads."""

    def change(character: Character) -> Rules:
        rules = character.rules
        gone = [d for d in rules.dials if d.id == dial_id]
        if not gone:
            raise BadEditError("That dial is not there any more; it may have been deleted or undone.")
        refuse_read(rules, [dial_id], gone[0].name)
        return replace(rules, dials=tuple(d for d in rules.dials if d.id != dial_id))

    return change_rules(workbench, character_id, "Delete dial", change)


def put_group(
    workbench: Workbench, character_id: str, document: Mapping[str, Any], members: Sequence[str] | None
) -> Version:
    """A group; one of the same id is replaced. With `members`, these remedies are in it, and no others."""

    def change(character: Character) -> Rules:
        group = Group.from_document(document)
        rules = character.rules.with_group(group)
        if members is None:
            return rules
        for remedy_id in members:
            rules.remedy(remedy_id)
        remedies = tuple(
            replace(r, group=group.id if r.id in members else None if r.group == group.id else r.group)
            for r in rules.remedies
        )
        return replace(rules, remedies=remedies)

    return change_rules(workbench, character_id, f"Set the group {document.get('name')}", change)


def delete_group(workbench: Workbench, character_id: str, group_id: str) -> Version:
    """Take a group away; the remedies in it stay, on their own."""

    def change(character: Character) -> Rules:
        rules = character.rules
        gone = [g for g in rules.groups if g.id == group_id]
        if not gone:
            raise BadEditError("That group is not there any more; it may have been deleted or undone.")
        refuse_read(rules, [group_id], gone[0].name)
        remedies = tuple(replace(r, group=None) if r.group == group_id else r for r in rules.remedies)
        return replace(rules, groups=tuple(g for g in rules.groups if g.id != group_id), remedies=remedies)

    return change_rules(workbench, character_id, "Delete group", change)


def join_group(workbench: Workbench, character_id: str, remedy_id: str, group_id: str | None) -> Version:
    """Put a remedy into a group, or out of any (None)."""
    label = "Leave its group" if group_id is None else "Join a group"
    return change_remedy(workbench, character_id, label, remedy_id, group=group_id)
