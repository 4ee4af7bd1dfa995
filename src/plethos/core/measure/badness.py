"""Badness: how bad a bend is at a joint, as one number. Strip, body map and *Which kind?* read it, and nothing else.

Each measure has a bound, up to which nothing is wrong, and a value at which the limb is ruined; between them badness
rises from 0 to 100, and the worst measure counts. The bounds are ours, by trial on the demo; no source.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

from plethos.core.measure.measured import Measured

Measure = Literal[
    "volume_loss",
    "volume_gain",
    "girth_loss",
    "girth_gain",
    "stretch",
    "fold",
    "contacts",
    "clipping",
    "area_loss",
    "area_gain",
    "width_loss",
    "open_fill",
]
Bounds = Mapping[Measure, tuple[float, float]]

BOUNDS: Bounds = {
    "volume_loss": (5.0, 40.0),  # percent of rest
    "volume_gain": (8.0, 40.0),
    "girth_loss": (10.0, 70.0),
    "girth_gain": (15.0, 60.0),
    "stretch": (1.5, 3.0),  # times as long as at rest, the edge at 99.9 % of all
    "fold": (0.5, 10.0),  # percent of the edges' length
    "contacts": (1.0, 50.0),  # pairs that cross and did not at rest, for a thousand triangles of the region
    "clipping": (0.1, 1.5),  # percent of the character's height
    "area_loss": (5.0, 40.0),  # percent, of drawings
    "area_gain": (8.0, 40.0),
    "width_loss": (10.0, 70.0),
    "open_fill": (0.1, 10.0),  # percent of the area
}


@dataclass(frozen=True)
class Badness:
    """How bad something is.

    Parameters
    ----------
    percent
        0 = within all bounds, 100 = ruined.
    measure
        What it is worst in, one of `BOUNDS`; also where that is within its bound. Empty when nothing was measured.
    value
        Of that measure.
    near
        That value against its bound, or, beyond it, 1 and how far it is towards what ruins and on: by it one is told
        worse than another, also of two that are both ruined.
    shade
        All measures against what ruins them, added up, percent: what tells two apart that are equally bad.
    """

    percent: float
    measure: Measure | Literal[""]
    value: float
    near: float
    shade: float

    @property
    def rank(self) -> float:
        """By which the better of two is told: badness, and a little of what lies within the bounds."""
        return self.percent + SHADE * self.shade


SHADE = 0.1


def badness(values: Mapping[Measure, float], bounds: Bounds = BOUNDS) -> Badness:
    """How bad measures are.

    Parameters
    ----------
    values
        By name: see `values_of`.
    bounds
        The bound of each, and what ruins it; a character or a joint may have its own.
    """
    worst, shade = Badness(0.0, "", 0.0, -1.0, 0.0), 0.0
    for name, value in values.items():
        bound, ruined = bounds[name]
        over = 100 * (value - bound) / (ruined - bound)
        percent = min(max(over, 0.0), 100.0)
        rest = AT_REST.get(name, 0.0)
        shade += 100 * (value - rest) / (ruined - rest)
        # What is within its bound counts by how near it comes to it.
        near = 1 + over if over > 0 else (value - rest) / (bound - rest)
        if near > worst.near:
            worst = Badness(percent, name, value, near, 0.0)
    return replace(worst, shade=shade)


AT_REST: Mapping[Measure, float] = {"stretch": 1.0}  # all others are 0 there
UNITS: Mapping[Measure, str] = {**{name: "%" for name in BOUNDS}, "stretch": "ratio", "contacts": "‰"}


def values_of(measured: Measured, contacts_per_mille: float | None = None) -> dict[Measure, float]:
    """What is measured of a joint's region, by the names of `BOUNDS`; what cannot be measured is left out."""
    flat = measured.open_fill is not None
    found: dict[Measure, float] = {}
    if measured.volume is not None:
        found["area_loss" if flat else "volume_loss"] = max(0.0, 100 - measured.volume)
        found["area_gain" if flat else "volume_gain"] = max(0.0, measured.volume - 100)
    if measured.girth is not None:
        found["width_loss" if flat else "girth_loss"] = max(0.0, 100 - measured.girth)
    if measured.most_girth is not None:
        found["girth_gain"] = max(0.0, measured.most_girth - 100)
    if measured.stretch is not None:
        found["stretch"] = measured.stretch
    if measured.fold is not None:
        found["fold"] = measured.fold
    if measured.open_percent is not None:
        found["open_fill"] = measured.open_percent
    if contacts_per_mille is not None:
        found["contacts"] = contacts_per_mille
    return found


def badness_of(measured: Measured, contacts_per_mille: float | None = None, bounds: Bounds = BOUNDS) -> Badness:
    """How bad a joint's region is in one pose."""
    return badness(values_of(measured, contacts_per_mille), bounds)
