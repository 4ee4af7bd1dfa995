"""What a delivery leaves behind, told before it is made."""

from __future__ import annotations

import math

from plethos.core.character import Character
from plethos.core.edits.clip_loss import clip_loss
from plethos.service.library.delivery import limit
from plethos.service.library.poses import clip_named
from plethos.service.library.version import Version
from plethos.service.schemas.character import LimitShift, LossOfClip


def limit_shift(character: Character, influences: int) -> LimitShift:
    """What a limit of joints a vertex does to the skin."""
    fit = limit(character, influences)
    if fit.greatest is None:
        return LimitShift(vertices=0, millimetres=0.0)
    shift, vertex, joint, angle = fit.greatest
    return LimitShift(
        vertices=len(fit.vertices),
        millimetres=round(1e3 * shift, 2),
        joint=character.skeleton.names[joint],
        angle_deg=round(math.degrees(angle), 1),
        part=_part_of(character, vertex),
    )


def clip_loss_info(version: Version, clip: str) -> LossOfClip:
    """What baking a clip leaves behind: what acts after the skin, and other skinning than linear."""
    character = version.character
    found = clip_loss(character, clip_named(version, clip))
    return LossOfClip(
        remedies=list(found.remedies),
        millimetres=round(1e3 * found.metres, 2),
        time_s=round(found.time, 3),
        part=_part_of(character, found.vertex),
    )


def _part_of(character: Character, vertex: int) -> str:
    return character.mesh.parts[int(character.mesh.part_numbers[vertex])].name
