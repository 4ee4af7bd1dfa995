"""What is put on and into the body: eyeballs, teeth, hair, garments, plates. Each is a piece with its own weights."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plethos.demo.face import MOUTH
from plethos.demo.head import EYE, EYEBALL
from plethos.demo.implicit import Points

Colour = tuple[float, float, float]
IVORY, WHITE, IRIS, PUPIL = (0.86, 0.82, 0.72), (0.92, 0.91, 0.88), (0.25, 0.40, 0.42), (0.05, 0.05, 0.07)
MIRROR = np.array([-1.0, 1.0, 1.0])


@dataclass(frozen=True)
class Piece:
    """One part of the figure besides its body, centimetres.

    Parameters
    ----------
    name
        Of the part in the file.
    points, quads
        ``(N, 3)`` and ``(Q, 4)``, seen from outside counter-clockwise.
    colours
        ``(N, 3)`` linear RGB.
    joint
        The joint that carries all of it rigidly, or None.
    body
        ``(N,)`` the body vertex whose weights each vertex takes; None for a rigid piece.
    """

    name: str
    points: Points
    quads: NDArray[np.int64]
    colours: NDArray[np.float64]
    joint: str | None = None
    body: NDArray[np.int64] | None = None


def mirrored(piece: Piece, name: str, joint: str) -> Piece:
    """The same rigid piece for the other side."""
    return Piece(name, piece.points * MIRROR, piece.quads[:, [0, 3, 2, 1]].copy(), piece.colours, joint)


def plain(count: int, colour: Colour) -> NDArray[np.float64]:
    """One colour for all vertices."""
    return np.tile(np.array(colour), (count, 1))


def swept(rings: NDArray[np.float64]) -> tuple[Points, NDArray[np.int64]]:
    """A closed tube through rings ``(R, K, 3)``, K even, its ends closed by quads."""
    count, around = rings.shape[:2]
    ids = np.arange(count * around).reshape(count, around)
    quads = [
        [ids[r, k], ids[r, (k + 1) % around], ids[r + 1, (k + 1) % around], ids[r + 1, k]]
        for r in range(count - 1)
        for k in range(around)
    ]
    for end, row in ((False, ids[0]), (True, ids[-1])):
        for k in range(around // 2 - 1):
            quad = [row[k], row[k + 1], row[around - 2 - k], row[around - 1 - k]]
            quads.append(quad if end else quad[::-1])
    return rings.reshape(-1, 3), np.array(quads)


def eyeballs() -> list[Piece]:
    """Two balls that look straight ahead; iris and pupil are coloured rings about their poles."""
    around, polar = 24, np.radians([4, 10, 16, 19, 27, 36, 40, 55, 72, 90, 112, 135, 156, 172])
    angle = np.linspace(0, 2 * np.pi, around, endpoint=False)
    rings = np.stack(
        [
            np.stack([np.sin(p) * np.cos(angle), np.sin(p) * np.sin(angle), np.full(around, np.cos(p))], axis=1)
            for p in polar
        ]
    )
    points, quads = swept(rings[::-1] * EYEBALL)
    shade = [PUPIL if p < np.radians(17.5) else IRIS if p < np.radians(38) else WHITE for p in polar[::-1]]
    left = Piece("left eye", EYE + points, quads, np.repeat(np.array(shade), around, axis=0), "head")
    return [left, mirrored(left, "right eye", "head")]


def teeth() -> list[Piece]:
    """An upper and a lower row on an arch behind the lips."""
    turns = np.radians(np.linspace(-60, 60, 25))
    centre = np.stack([1.8 * np.sin(turns), np.zeros(25), 4.6 + 2.5 * np.cos(turns)], axis=1)
    out = np.stack([np.sin(turns), np.zeros(25), np.cos(turns)], axis=1)
    up = np.array([0, 1.0, 0])
    # Rounded section, thicker at the root; between two teeth the edge draws back a little.
    section = np.array(
        [(-0.26, 0.0), (-0.18, -0.42), (0.1, -0.46), (0.24, -0.36), (0.3, 0.0), (0.2, 0.45), (-0.2, 0.45)]
    )
    section = np.vstack([section, [(-0.28, 0.3)]])
    pieces = []
    for name, side, joint in (("upper teeth", 1.0, "head"), ("lower teeth", -1.0, "jaw")):
        rings = []
        for k in range(25):
            edge = 1.0 if k % 3 else 0.82
            height = np.where(section[:, 1] < 0, section[:, 1] * edge, section[:, 1])
            at = centre[k] + up * (MOUTH + side * 0.58 + 0.04)
            ring = at + section[:, :1] * out[k] + (side * height)[:, None] * up
            rings.append(ring if side > 0 else ring[::-1])
        points, quads = swept(np.array(rings))
        pieces.append(Piece(name, points, quads, plain(len(points), IVORY), joint))
    return pieces


def brim() -> Piece:
    """The stiff brim of a cap, over the brow."""
    turns = np.radians(np.linspace(-56, 56, 21))
    inner = np.stack([10.3 * np.sin(turns), 174.2 - 1.1 * np.cos(turns), 12.35 * np.cos(turns) - 0.4], axis=1)
    reach = np.maximum(np.cos(turns * 1.55), 0.02)[:, None]
    outer = inner + reach * np.stack([0.8 * np.sin(turns), np.full(21, -1.7), 3.9 * np.ones(21)], axis=1)
    up = np.array([0, 0.22, 0.03])
    rings = [
        np.array([a - up, m - up + [0, 0.35, 0], b - up * 0.6, b + up * 0.6, m + up + [0, 0.35, 0], a + up])
        for a, b in zip(inner, outer, strict=True)
        for m in [(a + b) / 2]
    ]
    points, quads = swept(np.array(rings))
    return Piece("brim", points, quads[:, ::-1].copy(), plain(len(points), (0.13, 0.13, 0.15)), "head")


def bun() -> Piece:
    """A knot of hair at the nape."""
    turns, polar = np.linspace(0, 2 * np.pi, 16, endpoint=False), np.radians([8, 30, 55, 80, 105, 130, 152, 172])
    ring = np.stack([3.1 * np.cos(turns), 2.9 * np.sin(turns), np.zeros(16)], axis=1)
    rings = [np.sin(p) * ring + np.array([0, 169.0, -13.7 + 2.5 * np.cos(p)]) for p in polar[::-1]]
    points, quads = swept(np.array(rings))
    return Piece("bun", points, quads, plain(len(points), (0.30, 0.16, 0.10)), "head")
