"""Who wears what."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from plethos.demo.cage import Cage
from plethos.demo.garments import Cloth, Faces, cover
from plethos.demo.implicit import Field, Points
from plethos.demo.pieces import Colour, Piece, brim, bun, eyeballs, mirrored, plain, teeth
from plethos.demo.quads import quad_normals

Body = Callable[[Points], Field]
SKIN, LIPS = (0.60, 0.45, 0.37), (0.42, 0.20, 0.18)
NAVY, EARTH, FELT, HAIR = (0.16, 0.24, 0.31), (0.33, 0.27, 0.22), (0.17, 0.17, 0.20), (0.42, 0.39, 0.37)
LINEN, SCARF, BRASS, AUBURN = (0.66, 0.62, 0.55), (0.45, 0.20, 0.17), (0.55, 0.42, 0.20), (0.30, 0.16, 0.10)
BROWS = (0.20, 0.17, 0.15)


class _Chooser:
    """Faces of a body by where they are."""

    def __init__(self, cage: Cage) -> None:
        self.centre = cage.points[cage.quads].mean(axis=1)
        self.normal = quad_normals(cage.points, cage.quads)[cage.quads].mean(axis=1)
        self.row = np.nan_to_num(cage.grid[cage.quads, 0].mean(axis=1), nan=-1.0)
        self.column = np.nan_to_num(cage.grid[cage.quads, 1].mean(axis=1), nan=-1.0)
        self.free = ~cage.pinned[cage.quads].any(axis=1)
        self._parts = cage.parts[cage.quads]

    def part(self, *names: str) -> Faces:
        """Faces all of whose vertices belong to one of the parts."""
        return np.asarray(np.isin(self._parts, names).all(axis=1))


def complexion(cage: Cage, brows: Colour) -> NDArray[np.float64]:
    """Colours of the body ``(N, 3)``: skin, brows, lips, and dark red behind them."""
    out = plain(len(cage.points), SKIN)
    row, column = np.nan_to_num(cage.grid, nan=-1.0).T
    head = cage.parts == "head"
    brow = head & (row > 9.2) & (row < 9.3) & (column > 0.8) & (column < 2.8)
    out[brow] = 0.3 * np.array(SKIN) + 0.7 * np.array(brows)
    mouth = head & (row >= 4.2) & (row <= 5.3) & (column <= 1.6)
    out[mouth & ~cage.pinned] = 0.85 * np.array(SKIN) + 0.15 * np.array(LIPS)
    inside = cage.pinned & (row >= 4.4) & (row <= 5.1) & (column <= 1.6)
    out[inside] = LIPS
    return out


def worn_by_all() -> list[Piece]:
    """What every figure has: eyes and teeth."""
    return [*eyeballs(), *teeth()]


def trousers(cage: Cage, field: Body, colour: Colour = EARTH) -> Piece:
    """From the waist to the middle of the shin, rolled up."""
    on = _Chooser(cage)
    seat = on.part("torso", "leg") & (on.centre[:, 1] < 99.5) & (on.centre[:, 1] > 29.0)
    return cover("trousers", cage, field, seat, Cloth(0.75, thick=0.2, smooth=14, roll=2.2), colour)


def waistcoat(cage: Cage, field: Body, under: tuple[Piece, ...]) -> Piece:
    """Sleeveless, with a pointed neckline."""
    on = _Chooser(cage)
    x, y, z = np.abs(on.centre[:, 0]), on.centre[:, 1], on.centre[:, 2]
    neckline = np.where(z > -1.5, 128 + x * 2.4, 144.5 + 0.5 * x)
    chosen = on.part("torso") & (y > 94.5) & (y < neckline) & ((x < 13.0) | (y < 127))
    return cover("waistcoat", cage, field, chosen, Cloth(1.35, smooth=16), NAVY, under)


def blouse(cage: Cage, field: Body, under: tuple[Piece, ...]) -> Piece:
    """Short sleeves, round neckline."""
    on = _Chooser(cage)
    x, y, z = np.abs(on.centre[:, 0]), on.centre[:, 1], on.centre[:, 2]
    neckline = np.where(z > -1.5, 138 + x * 1.2, 145 + 0.5 * x)
    chosen = on.part("torso", "arm") & (y > 93.0) & (y < neckline) & (x < 34)
    return cover("blouse", cage, field, chosen, Cloth(1.5, smooth=18), LINEN, under)


def hair(cage: Cage, field: Body, colour: Colour = HAIR, full: bool = False) -> Piece:
    """Round the back and the sides of the head, in front of the ears too."""
    on = _Chooser(cage)
    scalp = on.part("head") & on.free & (on.row > (5.0 if full else 5.6)) & (on.column > 3.3)
    top = on.part("head") & on.free & (on.row > 9.8)
    behind = on.column < 4.6
    scalp &= ~(behind & (on.row < 7.9) & (on.column > 3.8))
    return cover("hair", cage, field, scalp | top, Cloth(0.45, thick=0.2, smooth=6), colour)


def cap(cage: Cage, field: Body, under: tuple[Piece, ...], colour: Colour = FELT) -> Piece:
    """A soft cap, lower at the back."""
    on = _Chooser(cage)
    chosen = on.part("head") & on.free & (on.row > 9.7 - 0.25 * np.clip(on.column - 2, 0, 4))
    return cover("cap", cage, field, chosen, Cloth(1.0, thick=0.4, smooth=16, puff=1.6), colour, under)


def moustache(cage: Cage, field: Body) -> Piece:
    """Over the upper lip."""
    on = _Chooser(cage)
    chosen = on.part("head") & on.free & (on.row > 5.15) & (on.row < 5.85) & (on.column < 1.7)
    return cover("moustache", cage, field, chosen, Cloth(0.75, thick=0.5, smooth=3, solid=True), HAIR)


def plates(cage: Cage, field: Body, under: tuple[Piece, ...]) -> list[Piece]:
    """A diver's harness: a rigid plate over each shoulder and each thigh."""
    on = _Chooser(cage)
    left = on.centre[:, 0] > 1
    outer = on.normal @ np.array([0.62, 0.72, 0.1])
    high = (on.centre[:, 1] > 131) & (on.centre[:, 0] < 31)
    shoulder = left & high & on.part("arm", "torso") & ~on.part("torso") & (on.row < 1.9) & (outer > 0.1)
    front = on.normal @ np.array([0.42, 0.0, 0.9])
    thigh = left & on.part("leg") & (on.row > 0.2) & (on.row < 2.4) & (front > 0.1)
    out = []
    for name, faces, joint, gap in (
        ("shoulder plate", shoulder, "upper_arm", 1.5),
        ("thigh plate", thigh, "thigh", 2.0),
    ):
        one = cover(
            f"left {name}",
            cage,
            field,
            faces,
            Cloth(gap, thick=0.5, smooth=10, solid=True),
            BRASS,
            under,
            f"left_{joint}",
        )
        out += [one, mirrored(one, f"right {name}", f"right_{joint}")]
    return out


def lock_keeper_wears(cage: Cage, field: Body) -> list[Piece]:
    """Waistcoat, rolled trousers, cap and moustache."""
    legs, locks = trousers(cage, field), hair(cage, field)
    return [
        *worn_by_all(), locks, moustache(cage, field), cap(cage, field, (locks,)), brim(),
        legs, waistcoat(cage, field, (legs,)),
    ]  # fmt: skip


def lock_diver_wears(cage: Cage, field: Body) -> list[Piece]:
    """Trousers and the plates of a harness."""
    legs = trousers(cage, field)
    return [*worn_by_all(), hair(cage, field), moustache(cage, field), legs, *plates(cage, field, (legs,))]


def ferry_cook_wears(cage: Cage, field: Body) -> list[Piece]:
    """Blouse, rolled trousers and a headscarf over full hair."""
    legs, locks = trousers(cage, field), hair(cage, field, AUBURN, full=True)
    return [*worn_by_all(), locks, bun(), cap(cage, field, (locks,), SCARF), legs, blouse(cage, field, (legs,))]
