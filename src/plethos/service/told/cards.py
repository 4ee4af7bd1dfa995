"""A remedy as its card shows it."""

from __future__ import annotations

from typing import Any
from weakref import WeakKeyDictionary

from pydantic import TypeAdapter

from plethos.core.character import Character
from plethos.core.propose.soft import joints_under
from plethos.core.rules.remedies import Remedy
from plethos.core.rules.rules import Rules
from plethos.core.skin.binding import Binding
from plethos.core.skin.mask import Mask
from plethos.service.desk.response_curves import response_curve
from plethos.service.schemas.remedies import RemedyCard
from plethos.service.schemas.rules import TriggerRule, ValueInfo

TRIGGER: TypeAdapter[TriggerRule] = TypeAdapter(TriggerRule)


# What a kind that says nothing of it shows.
PLAIN: dict[str, Any] = {"pose": {}, "report": {}, "targets": [], "eased": False, "numbers": {}}


def cards(character: Character) -> list[RemedyCard]:
    rules = character.rules
    # Every edit tells of all remedies; masks, weights and joints seldom change.
    masks = [r.mask for r in rules.remedies if r.mask is not None and not rules.joints_read(r)]
    new = [m for m in masks if m not in _known_joints or _known_joints[m][0] is not character.binding]
    found = joints_under(character.skeleton, character.binding, new) if new else []
    for mask, joints in zip(new, found, strict=True):
        _known_joints[mask] = (character.binding, tuple(character.skeleton.names[j] for j in joints))
    under: dict[Mask | None, list[str]] = {m: list(_known_joints[m][1]) for m in masks}
    return [_card(character, r, under.get(r.mask, [])) for r in rules.remedies]


_known_joints: WeakKeyDictionary[Mask, tuple[Binding, tuple[str, ...]]] = WeakKeyDictionary()


def _card(character: Character, remedy: Remedy, under: list[str]) -> RemedyCard:
    """A remedy for its card; `under`: the joints whose skin its mask lies on, for one that reads no joint."""
    rules, skeleton = character.rules, character.skeleton
    trigger = rules.trigger_of(remedy)
    return RemedyCard(
        id=remedy.id,
        kind=remedy.kind,  # type: ignore[arg-type]
        name=remedy.name,
        on=remedy.on,
        amount=remedy.amount,
        by=remedy.by,
        trigger=TRIGGER.validate_python(trigger.to_document(skeleton)) if trigger else None,
        curve=response_curve(trigger) if trigger else [],
        joints=sorted(skeleton.names[j] for j in rules.joints_read(remedy)) or under,
        group=remedy.group,
        twin=remedy.twin,
        notes=list(remedy.notes),
        stage=remedy.body.stage.name.lower(),  # type: ignore[arg-type]
        needs_tie=remedy.body.stage.needs_tie,
        masked=None if remedy.mask is None else len(remedy.mask.vertices),
        **{**PLAIN, **remedy.body.card(skeleton)},
    )


def values(rules: Rules) -> list[ValueInfo]:
    """All values, dials first."""
    out = [ValueInfo(id=d.id, name=d.name, kind="dial") for d in rules.dials]
    out += [ValueInfo(id=g.id, name=g.name, kind="group") for g in rules.groups]
    for trigger in rules.triggers:
        names = trigger.named()
        for value in trigger.writes():
            out.append(ValueInfo(id=value, name=names.get(value) or rules.label(trigger), kind=trigger.kind))
    return out
