"""Responses that are fitted to correctives, and targets that are solved for them."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from plethos.core.errors import BadEditError
from plethos.core.measure.travel import straight
from plethos.core.propose.between import with_between
from plethos.core.propose.response import Fitted, fitted_response
from plethos.core.rules.remedies import Corrective
from plethos.core.rules.triggers import Trigger, trigger_from_document
from plethos.core.rules.triggers.hinge import HingeTrigger, hinge_of
from plethos.core.sculpt.solve import solve_corrective
from plethos.service.edits.rule_edits import in_step
from plethos.service.library.version import Version
from plethos.service.library.workbench import Workbench
from plethos.service.library.worked_out import put
from plethos.service.sculpts.session import current


def add_between(workbench: Workbench, character_id: str, remedy_id: str, angle_deg: float) -> Version:
    """Solve one more target of a corrective at an angle of its hinge, on both sides if it has a twin."""
    opened = workbench.open(character_id)
    opened.refuse_while_sculpting()
    version = opened.version
    rest = version.character.skeleton.rest_pose()
    made = with_between(version.character, remedy_id, math.radians(angle_deg), rest)
    return put(workbench, opened, version, f"Add a target at {angle_deg:.0f}°", in_step(made, remedy_id))


def fit(version: Version, rule: Mapping[str, Any]) -> Fitted:
    """The response that suits the sculpt in progress, for a hinge trigger given as plain data.

    Raises
    ------
    BadEditError
        When nothing was sculpted, or the joint's skin encloses no volume.
    """
    held, character = current(version), version.character
    trigger = _hinge(trigger_from_document(rule, character.skeleton))
    shape, _ = solve_corrective(held.base, held.points, "fitted", trigger=trigger)
    if held.note.remedy_id is not None:
        character = character.with_rules(character.rules.without_remedy(held.note.remedy_id))
    return fitted_response(character, Corrective.of(shape), trigger, straight(held.pose, trigger.joint, trigger.axis))


def fit_remedy(version: Version, remedy_id: str, rule: Mapping[str, Any] | None) -> Fitted:
    """The response that suits a corrective, for its own trigger or another hinge.

    Raises
    ------
    BadEditError
        When it is no corrective, or is not tied to a hinge.
    """
    rules, character = version.character.rules, version.character
    remedy = rules.remedy(remedy_id)
    body = remedy.shapes_or_refuse("is no corrective, so there is no response to be fitted.")
    trigger = _hinge(trigger_from_document(rule, character.skeleton) if rule else rules.trigger_of(remedy))
    others = character.with_rules(rules.without_remedy(remedy_id))
    return fitted_response(others, body, trigger, character.skeleton.rest_pose())


def _hinge(trigger: Trigger | None) -> HingeTrigger:
    hinge = hinge_of(trigger)
    if hinge is None:
        raise BadEditError("Only the response of a hinge trigger can be fitted: tie the corrective to a hinge first.")
    return hinge
