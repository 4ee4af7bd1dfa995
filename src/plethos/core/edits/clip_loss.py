"""What a clip that is baked into a file cannot hold: players know joints and shapes, and nothing after the skin."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from plethos.core.character import Character
from plethos.core.evaluate import ALL, Acting, Evaluator
from plethos.core.geometry.rotations import Array
from plethos.core.skeleton.clips import Clip

BAKED_RATE = 30.0  # keys a second


@dataclass(frozen=True)
class ClipLoss:
    """How far the skin of a baked clip is off from what it is here, where it is most.

    Parameters
    ----------
    metres, time, vertex
        How far, when (seconds), and which vertex.
    remedies
        The names of those that no key carries.
    """

    metres: float
    time: float
    vertex: int
    remedies: tuple[str, ...]


def baked_times(clip: Clip) -> Array:
    """The moments (seconds) at which a clip is keyed."""
    return np.append(np.arange(0.0, clip.duration - 1e-6, 1 / BAKED_RATE), clip.duration)


def clip_loss(character: Character, clip: Clip) -> ClipLoss:
    """What baking a clip leaves behind."""
    on = character.rules.on
    left = tuple(r.name for r in on if not r.body.stage.is_keyed)
    worst = ClipLoss(0.0, 0.0, 0, left)
    if not left:
        return worst
    evaluator = Evaluator.of(character)
    played = Acting.these(*(r.id for r in on if r.body.stage.is_keyed))
    for time in baked_times(clip).tolist():
        pose = clip.pose_at(character.skeleton, time)
        off = evaluator.pose(pose, ALL).points - evaluator.pose(pose, played).points
        far = np.linalg.norm(off.astype(np.float64), axis=1)
        vertex = int(far.argmax())
        if far[vertex] > worst.metres:
            worst = ClipLoss(float(far[vertex]), time, vertex, left)
    return worst
