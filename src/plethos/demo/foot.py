"""The foot: bare with toes, or the shape of a boot or a clog.

Proportions by eye on pictures: no source.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from plethos.demo.build import Build
from plethos.demo.implicit import Ellipsoid, Group, Muscle

# from the big toe outwards: x of its middle, z of its root, length, radius
TOES = (
    (8.5, 12.4, 4.7, 1.22),
    (10.75, 12.9, 3.9, 0.86),
    (12.35, 12.2, 3.5, 0.82),
    (13.8, 11.1, 3.1, 0.78),
    (15.1, 9.6, 2.8, 0.78),
)
WEBS = (7.2, 9.75, 11.55, 13.1, 14.5, 15.9)  # x of the gaps between the toes, with the sides of the foot


def leg(x: float, y: float, z: float) -> NDArray[np.float64]:
    """A place in the leg, which stands a little outwards towards the foot."""
    return np.array([x + (92 - y) * 0.035, y, z], float)


def toe_joints(toe: tuple[float, float, float, float]) -> list[NDArray[np.float64]]:
    """Root, joint and tip of a toe; it turns a little towards the middle of the foot."""
    x, z, length, radius = toe
    aside = 0.06 * (11.5 - x)
    return [
        leg(x, 1.1 * radius + 0.35, z),
        leg(x + 0.5 * aside, 1.15 * radius + 0.15, z + 0.5 * length),
        leg(x + aside, 0.85 * radius, z + length),
    ]


def foot_solids(build: Build) -> Group:
    """What the foot is made of below the ankle."""
    return {"bare": _bare, "boots": _boot, "clogs": _clog}[build.feet]()


def _bare() -> Group:
    return [
        (Ellipsoid(leg(10.5, 3.6, -5.0), (3.3, 3.9, 3.6)), 2),
        (Muscle((leg(10.4, 7.4, -1.4), 3.4), (leg(9.9, 5.6, 4), 3.0), (leg(9.6, 2.9, 10.6), 2.1)), 2.2),
        (Muscle((leg(11.4, 5.5, -2), 2.8), (leg(12.6, 3.2, 4), 2.6), (leg(14.4, 1.8, 8.2), 1.8)), 2.2),
        (Muscle((leg(9.4, 3.3, 6), 2.3), (leg(8.8, 2.1, 10.0), 2.0), (leg(8.7, 1.9, 12.0), 1.6)), 1.4),
        (Muscle((leg(11.5, 2.7, 7), 2.2), (leg(11.8, 1.7, 11.2), 1.4)), 2.0),
        (Muscle((leg(13.2, 2.2, 7), 1.9), (leg(13.8, 1.5, 9.8), 1.2)), 2.0),
        *((Muscle(*_toe(toe), samples=4), 0.5) for toe in TOES),
    ]


def _toe(toe: tuple[float, float, float, float]) -> list[tuple[NDArray[np.float64], float]]:
    (a, b, c), r = toe_joints(toe), toe[3]
    return [(a - (b - a) * 0.6, r * 0.95), (a, r * 0.95), (b, r * 0.88), (c - (c - b) * 0.45, r * 1.0)]


def _boot() -> Group:
    return [
        (Muscle((leg(10.3, 24, -1.9), 4.2), (leg(10.4, 15, -2.0), 4.1), (leg(10.5, 8, -2.4), 4.3)), 2.0),  # shaft
        (Ellipsoid(leg(10.6, 5.0, -4.6), (3.9, 5.2, 4.3)), 1.8),
        (Muscle((leg(10.6, 4.2, -4.6), 3.6), (leg(10.7, 4.0, 3), 3.2), (leg(11.2, 4.2, 10), 3.6)), 1.8),
        (Muscle((leg(10.5, 8.4, -0.5), 4.1), (leg(10.4, 6.4, 5), 3.8), (leg(10.8, 4.6, 11), 3.6)), 2.4),
        (Ellipsoid(leg(11.3, 4.0, 12.4), (4.1, 3.2, 5.0)), 2.2),
    ]


def _clog() -> Group:
    return [
        (Muscle((leg(10.4, 8.6, -1.4), 3.2), (leg(10.3, 7.0, 4.0), 2.8)), 2.0),  # the bare instep
        (Muscle((leg(10.6, 4.4, -5.2), 3.5), (leg(10.6, 3.8, 2), 3.6), (leg(11.2, 4.0, 9), 3.7)), 0.9),
        (Ellipsoid(leg(11.4, 4.3, 11.3), (4.2, 3.3, 5.0)), 1.6),
        (Ellipsoid(leg(10.8, 5.6, 15.8), (1.9, 1.6, 2.2)), 2.6),  # its tip turns up
    ]
