"""Masks of remedies: painted, made of what is picked, of a joint or of a part, softened."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.geometry.falloff import seen
from plethos.core.geometry.topology import extent
from plethos.core.propose.blend import full_mask
from plethos.core.propose.soft import evened, soft_region
from plethos.core.regions import pick
from plethos.core.rules.remedies import Body, Relaxer, Remedy, SkinBlend, VolumeKeeper
from plethos.core.skeleton.names import free_name
from plethos.core.skin.mask import Mask
from plethos.core.skin.picked import PICKED
from plethos.service.edits.rule_edits import in_step
from plethos.service.library.version import Version
from plethos.service.library.workbench import Workbench

SOFTER = 3  # rounds
KEEPER_WAY = 0.03  # of the character's height: how far a new volume keeper may move the skin


def mask_of(character: Character, remedy_id: str) -> Mask:
    """The mask of a remedy.

    Raises
    ------
    BadEditError
        When it has none.
    """
    remedy = character.rules.remedy(remedy_id)
    if remedy.mask is None:
        raise BadEditError(f"“{remedy.name}” has no mask.")
    return remedy.mask


def with_mask(character: Character, remedy_id: str, shares: NDArray[np.floating]) -> Character:
    """The character with the shares ``(V,)`` for a remedy's mask, and its twin's with it."""
    rules = character.rules
    mask_of(character, remedy_id)
    return in_step(
        character.with_rules(rules.with_remedy(rules.remedy(remedy_id).with_mask(Mask.of(shares)))), remedy_id
    )  # fmt: skip


def _picked(character: Character, now: Mask, name: str) -> NDArray[np.floating]:
    shares = character.region()
    if not shares.any():
        raise BadEditError("Nothing is picked: pick some skin in Bind, or paint the mask here.")
    return shares


def _soften(character: Character, now: Mask, name: str) -> NDArray[np.floating]:
    dense = now.dense(len(character.mesh)).astype(np.float64)
    return seen(evened(character.mesh.topology, dense, SOFTER))


def _of_joint(character: Character, now: Mask, name: str) -> NDArray[np.floating]:
    return seen(soft_region(character, character.skeleton.find(name)))


def _of_part(character: Character, now: Mask, name: str) -> NDArray[np.floating]:
    return np.maximum(now.dense(len(character.mesh)), pick.by_part(character, name))


def _of_region(character: Character, now: Mask, name: str) -> NDArray[np.floating]:
    return character.region(name)


def _clear(character: Character, now: Mask, name: str) -> NDArray[np.floating]:
    return np.zeros(len(character.mesh))


MADE: dict[str, tuple[str, Callable[[Character, Mask, str], NDArray[np.floating]]]] = {
    "picked": ("Mask from what is picked", _picked),
    "soften": ("Soften the mask", _soften),
    "joint": ("Mask what a joint bends", _of_joint),
    "part": ("Add a part to the mask", _of_part),
    "region": ("Mask from a kept region", _of_region),
    "clear": ("Clear the mask", _clear),
}


def set_mask(workbench: Workbench, character_id: str, remedy_id: str, how: str, name: str = "") -> Version:
    """Make a remedy's mask anew, or pick what lies under it.

    Parameters
    ----------
    how
        One of `MADE`, or ``pick``.
    name
        Of the joint, the part or the region.
    """

    def change(character: Character) -> Character:
        now = mask_of(character, remedy_id)
        if how == "pick":
            return character.with_region(PICKED, now.dense(len(character.mesh)))
        return with_mask(character, remedy_id, MADE[how][1](character, now, name))

    if how != "pick" and how not in MADE:
        raise BadEditError(f"A mask cannot be made by “{how}”.")
    return workbench.edit(character_id, "Pick the mask" if how == "pick" else MADE[how][0], change)


def _soft(character: Character, joint: int) -> Mask:
    return Mask.of(seen(soft_region(character, joint)))


def _keeper(character: Character, joint: int) -> Body:
    body = VolumeKeeper(_soft(character, joint), most=KEEPER_WAY * extent(character.mesh.rest))
    if body.ready(character.mesh).target == 0:
        raise BadEditError("The skin here encloses no volume that could be kept.")
    return body


# How one of a kind starts on what a joint bends.
MASKED: dict[str, Callable[[Character, int], Body]] = {
    "skin_blend": lambda character, joint: SkinBlend(full_mask(character, joint)),
    "relaxer": lambda character, joint: Relaxer(_soft(character, joint)),
    "volume_keeper": _keeper,
}


def add_masked(workbench: Workbench, character_id: str, kind: str, joint: str) -> Version:
    """A skin blend, a relaxer or a volume keeper on all the skin that a joint bends, with a soft border."""

    def change(character: Character) -> Character:
        number = character.skeleton.find(joint)
        name = free_name(
            f"{joint}: {kind.replace('_', ' ')}", {r.name for r in character.rules.remedies}
        )  # fmt: skip
        return character.with_remedy(Remedy(MASKED[kind](character, number), name))

    if kind not in MASKED:
        raise BadEditError(f"“{kind}” is nothing that acts under a mask.")
    return workbench.edit(character_id, f"Add a {kind.replace('_', ' ')}", change)
