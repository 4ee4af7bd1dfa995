"""Helper joints of ours: made where they are wanted, with the skin that is picked."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from plethos.core import rotations
from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.joints.draft import Draft
from plethos.core.mask import Mask
from plethos.core.names import free_name
from plethos.core.remedies import Helper, Remedy
from plethos.core.remedies.helper_rules import rule_from_document
from plethos.service.version import Version
from plethos.service.workbench import Workbench


def make_helper(
    workbench: Workbench,
    character_id: str,
    name: str,
    parent: str,
    place: Sequence[float],
    rules: Sequence[Mapping[str, Any]],
) -> Version:
    """A helper joint at a place at rest, a leaf below a joint; what is picked follows it by its shares."""
    return workbench.edit(
        character_id, f"Make the helper {name}", lambda c: with_helper(c, name, parent, place, rules)
    )  # fmt: skip


def with_helper(
    character: Character, name: str, parent: str, place: Sequence[float], rules: Sequence[Mapping[str, Any]]
) -> Character:
    """The character with one more helper joint, and its remedy."""
    shares = character.region()
    if not shares.any():
        raise BadEditError("Nothing is picked, so nothing would follow the helper: pick some skin first.")
    draft, up = Draft(character), character.skeleton.find(parent)
    label = free_name(name.strip(), set(character.skeleton.names))
    frame = rotations.rotation_part(draft.joints[up].world[:3, :3])
    draft.add(label, up, np.asarray(place, np.float64), frame, helper=True)
    made = draft.finish()
    joint = made.skeleton.find(label)
    given = tuple(rule_from_document(r, made.skeleton, joint) for r in rules)
    body = Helper(joint, given, Mask.of(shares))
    title = free_name(name.strip(), {r.name for r in made.rules.remedies})
    return made.with_remedy(Remedy(body, title))
