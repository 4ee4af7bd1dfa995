"""The axis that a joint bends about, and how far."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Hinge:
    """The axis a joint mainly bends about, and how far it goes.

    Parameters
    ----------
    axis
        Unit axis in the joint's rest frame.
    low, high
        Range of motion about it, radians; less than a whole turn apart, so that an angle can be told.
    others
        Ranges about the two axes across it, where they are known: first about the one along the bone (roll), then
        sideways.
    """

    axis: tuple[float, float, float]
    low: float
    high: float
    others: tuple[tuple[float, float], tuple[float, float]] | None = None
