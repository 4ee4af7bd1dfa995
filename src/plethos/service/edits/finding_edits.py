"""What is wrong with the rules of a version, and the click that mends it."""

from __future__ import annotations

from dataclasses import dataclass, replace

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.findings.finding import Finding
from plethos.core.findings.findings import findings_of, twice_in
from plethos.core.rules.remedies import Remedy
from plethos.core.skeleton.pose import Pose
from plethos.service.edits.rule_edits import in_step
from plethos.service.library.version import Version
from plethos.service.library.workbench import Workbench


@dataclass(frozen=True)
class Told:
    """A finding and the remedy that it is about."""

    remedy: Remedy
    finding: Finding


def findings(version: Version, pose: Pose | None = None) -> list[Told]:
    """What is wrong with a version's remedies, and what a pose applies twice."""
    found = [Told(r, f) for r in version.character.rules.remedies for f in version.findings_of(r)]
    if pose is not None:
        found += [Told(r, f) for r, f in twice_in(version.evaluator, pose)]
    return found


def mend_finding(workbench: Workbench, character_id: str, remedy_id: str, kind: str) -> Version:
    """Do what the click of a finding says.

    Raises
    ------
    BadEditError
        When it is not there any more, or has no click.
    """

    def change(character: Character) -> Character:
        evaluator = workbench.open(character_id).version.evaluator
        remedy = character.rules.remedy(remedy_id)
        found = next((f for f in findings_of(evaluator, remedy) if f.kind == kind), None)
        if kind == "twice" and found is None:
            return character.with_remedy(replace(remedy, on=False))
        if found is None or not (found.trigger or found.remedy):
            raise BadEditError("That is not wrong any more; it may have been mended or undone.")
        rules = character.rules
        if found.trigger is not None:
            rules = rules.with_trigger(found.trigger)
        if found.remedy is not None:
            rules = rules.with_remedy(found.remedy)
        return in_step(character.with_rules(rules), remedy_id)

    name = workbench.open(character_id).character.rules.remedy(remedy_id).name
    return workbench.edit(character_id, f"Mend “{name}”", change)
