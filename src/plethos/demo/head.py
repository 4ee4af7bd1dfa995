"""The head: a simple, friendly face. Solids of the skull and its features, and where the eyes sit.

Proportions by eye on pictures: no source.
"""

from __future__ import annotations

import numpy as np

from plethos.demo.build import Build
from plethos.demo.implicit import Ellipsoid, Field, Group, Muscle, Points, turned

EYE = np.array([3.5, 168.3, 6.5])  # centre of the left eyeball
EYEBALL = 1.70
ROOM = 0.15  # between the ball and the lids
LID = 0.51  # from the ball to the outside of the lids

_SOCKET = Ellipsoid(EYE + np.array([0.35, -0.1, 3.3]), (2.5, 1.8, 2.2))
_LIDS = Ellipsoid(EYE, (EYEBALL + LID,) * 3)


def head_solids(build: Build) -> Group:
    """Skull, jaw, cheeks, nose, mouth."""
    jaw, nose = build.jaw, build.nose
    tip = 9.7 + 1.3 * nose
    return [
        (Ellipsoid((0, 170.4, -1.2), (8.0, 8.8, 9.6)), 0),
        (Ellipsoid((0, 172.6, 3.0), (6.9, 5.8, 5.9)), 3.5),  # forehead
        (Ellipsoid((0, 164.8, 2.2), (5.9 * jaw, 8.4, 6.8)), 4),
        (Muscle(((5.7 * jaw, 165.4, -1.2), 1.7), ((4.2 * jaw, 160.6, 2.0), 2.0), ((1.2, 158.4, 6.4), 2.2)), 4.0),  # jaw
        (Ellipsoid((0, 158.0, 7.0), (2.2 * jaw, 1.9, 1.8)), 2.6),  # chin
        (Muscle(((0, 159.2, 3.4), 2.6), ((0, 156.2, 1.2), 2.8), ((0, 152.5, -0.6), 3.2)), 4.5),  # under the chin
        (Muscle(((6.0, 171.0, 4.4), 0.5), ((3.5, 171.8, 7.0), 0.6), ((1.0, 171.6, 7.8), 0.5)), 3.6),  # brow
        (Ellipsoid((4.2, 164.3, 5.4), (2.3, 2.0, 2.2)).thicker(build.cheek), 2.6),  # cheek
        (Muscle(((0, 170.2, 8.3), 0.9), ((0, 167.4, 9.3), 1.0), ((0, 165.0, tip), 1.0 + 0.45 * nose)), 1.8),  # nose
        (Ellipsoid((1.2, 164.5, tip - 1.0), (1.0, 0.9, 1.15)).thicker(0.7 + 0.3 * nose), 0.9),  # nostril wing
        (Ellipsoid((0, 161.2, 6.9), (3.2, 2.8, 2.1)), 2.8),  # mouth
        (Muscle(((2.5, 161.4, 7.9), 0.35), ((1.2, 161.9, 8.8), 0.62), ((0, 161.8, 9.1), 0.6), samples=3), 0.7),  # lips
        (Muscle(((2.4, 161.1, 7.8), 0.35), ((1.2, 160.2, 8.7), 0.7), ((0, 160.1, 8.9), 0.75), samples=3), 0.7),
    ]


def ear_solids() -> Group:
    """The root of the ear; the ear itself is drawn out of the mesh."""
    return [(Ellipsoid((7.5, 167.2, -1.2), (0.8, 2.4, 1.5), turned((1, 0, 0), 12)), 0)]


def sockets(points: Points) -> Field:
    """What is taken away before the eyes are put in."""
    return _SOCKET(points)


def eye_lids(points: Points) -> Field:
    """The lids: a shell over each eyeball that the skin is drawn onto."""
    return _LIDS(points)
