"""How a joint moves: the axes that it turns about, how far, and who says so."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from plethos.core.character import Character
from plethos.core.joints.flat import RANGE
from plethos.core.skeleton.hinge import Hinge

Said = Literal["file", "proposed", "guessed"]
Turn = Literal["bend", "roll", "swing"]
GUESS = math.radians(90)  # either way, where nobody says anything
LEAST = math.radians(1)  # what turns less than that has no range to speak of


@dataclass(frozen=True)
class JointMotion:
    """One of the ways in which a joint turns.

    Parameters
    ----------
    axis
        Unit axis in the joint's rest frame.
    low, high
        Radians; rest lies at 0, between them or not.
    said
        By the file or an edit; proposed by how the bones lie; or guessed.
    turn
        About its hinge, along its bone, or about what lies across both.
    """

    joint: int
    axis: tuple[float, float, float]
    low: float
    high: float
    said: Said
    turn: Turn = "bend"

    def end(self, direction: int) -> float:
        """Where the way from rest in a direction (1 or -1) ends, radians; 0 where there is none to go."""
        end = self.high if direction > 0 else self.low
        return end if direction * end > LEAST else 0.0


def motions_of(character: Character, joint: int, proposed: Mapping[int, Hinge]) -> tuple[JointMotion, ...]:
    """The motions of a joint: its hinge first, then roll and the other swing where their ranges are told.

    Parameters
    ----------
    proposed
        Hinges by joint for those of which nothing is known.
    """
    skeleton = character.skeleton
    said: Said = "file"
    known = skeleton.known_hinge(joint)
    if known is not None and character.mesh.is_flat and (known.low, known.high) == (-RANGE, RANGE):
        known = None  # laid without a range
    if known is None:
        known, said = proposed.get(joint), "proposed"
    if known is None:
        return (JointMotion(joint, skeleton.hinge(joint).axis, -GUESS, GUESS, "guessed"),)
    spans = [(known.axis, (known.low, known.high))]
    turns: tuple[Turn, ...] = ("bend", "roll", "swing")
    if known.others is not None:
        across = skeleton.across(joint, known.axis)
        spans += [(_plain(axis.tolist()), span) for axis, span in zip(across, known.others, strict=True)]
    found = zip(spans, turns, strict=False)
    return tuple(
        JointMotion(joint, axis, *span, said, turn) for (axis, span), turn in found if span[1] - span[0] > LEAST
    )


def _plain(axis: list[float]) -> tuple[float, float, float]:
    x, y, z = (round(c, 9) + 0.0 for c in axis)
    return (x, y, z)
