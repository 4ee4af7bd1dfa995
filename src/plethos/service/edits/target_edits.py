"""The targets of a corrective: its in-betweens moved, eased, deleted. They are sculpted in `sculpting`."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from plethos.core.character import Character
from plethos.core.rules.remedies import Corrective
from plethos.service.edits.rule_edits import in_step
from plethos.service.library.version import Version
from plethos.service.library.workbench import Workbench


def retime(workbench: Workbench, character_id: str, remedy_id: str, at: float, to: float) -> Version:
    """Let an in-between stand at another activation."""
    return _edit(workbench, character_id, remedy_id, "Move an in-between", lambda b: b.retimed(at, round(to, 6)))


def delete(workbench: Workbench, character_id: str, remedy_id: str, at: float) -> Version:
    """Take an in-between away."""
    return _edit(workbench, character_id, remedy_id, "Delete an in-between", lambda b: b.without_target(at))


def ease(workbench: Workbench, character_id: str, remedy_id: str, eased: bool) -> Version:
    """Let the way between targets start and end slowly, or go in straight lines."""
    label = "Ease between targets" if eased else "Straight lines between targets"
    return _edit(workbench, character_id, remedy_id, label, lambda b: replace(b, eased=eased))


def _edit(
    workbench: Workbench, character_id: str, remedy_id: str, label: str, change: Callable[[Corrective], Corrective]
) -> Version:
    def changed(character: Character) -> Character:
        rules = character.rules
        remedy = rules.remedy(remedy_id)
        fresh = replace(remedy, body=change(remedy.shapes_or_refuse("is no corrective, so it has no targets.")))
        return in_step(character.with_rules(rules.with_remedy(fresh)), remedy_id)

    return workbench.edit(character_id, label, changed)
