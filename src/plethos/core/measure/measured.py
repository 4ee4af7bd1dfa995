"""What a bend does to a limb, in numbers."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Measured:
    """A joint's region in one pose, against rest, in percent but for the stretch.

    Parameters
    ----------
    volume
        Region volume; None where the skin is a sheet that goes round none.
    girth
        Least girth over the stations; None where no closed slice goes round the limb.
    open_fill, open_percent
        Of a drawing: how much more of its fills is open than at rest, square units, and percent of their area at rest.
        None for a solid.
    most_girth
        Greatest girth over the stations of a solid: where it swells.
    stretch
        How many times as long as at rest the edge at 99.9 % of all is; None for a drawing, and where only what a
        remedy can give back was measured: skin that bends is stretched outside, whatever mends it.
    fold
        How much of the length of its edges is folded onto itself, percent; None as the stretch.

    Notes
    -----
    On a drawing the volume is the area inside its outlines, and the girth the least width across the bone.
    """

    volume: float | None
    girth: float | None
    open_fill: float | None = None
    open_percent: float | None = None
    most_girth: float | None = None
    stretch: float | None = None
    fold: float | None = None
