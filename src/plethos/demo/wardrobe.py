"""Who wears what."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from plethos.demo.build import FERRY_COOK, LOCK_KEEPER, Build
from plethos.demo.cage import Cage
from plethos.demo.garments import Cloth, Faces, cover
from plethos.demo.implicit import Field, Points
from plethos.demo.pieces import Colour, Piece, brim, bun, eyeballs, mirrored, plain, teeth
from plethos.demo.quads import quad_normals
from plethos.demo.shoes import boot_colours, boots, clog_colours, clogs
from plethos.demo.tufts import tuft

Body = Callable[[Points], Field]
SKIN, LIPS = (0.60, 0.45, 0.37), (0.42, 0.20, 0.18)
NAVY, EARTH, FELT, HAIR = (0.16, 0.24, 0.31), (0.33, 0.27, 0.22), (0.17, 0.17, 0.20), (0.42, 0.39, 0.37)
LINEN, SCARF, BRASS, AUBURN = (0.66, 0.62, 0.55), (0.45, 0.20, 0.17), (0.55, 0.42, 0.20), (0.30, 0.16, 0.10)
LEATHER, CUFFS, RUBBER, WOOD = (0.13, 0.075, 0.05), (0.20, 0.12, 0.075), (0.05, 0.045, 0.045), (0.42, 0.29, 0.16)


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


def complexion(cage: Cage, build: Build) -> NDArray[np.float64]:
    """Colours of the body ``(N, 3)``: skin, lips, dark red behind them, leather or wood."""
    out = plain(len(cage.points), SKIN)
    row, column = np.nan_to_num(cage.grid, nan=-1.0).T
    head = cage.parts == "head"
    mouth = head & (row >= 4.2) & (row <= 5.3) & (column <= 1.6)
    out[mouth & ~cage.pinned] = 0.92 * np.array(SKIN) + 0.08 * np.array(LIPS)
    inside = cage.pinned & (row >= 4.4) & (row <= 5.1) & (column <= 1.6)
    out[inside] = LIPS
    if build.feet == "boots":
        return boot_colours(cage.points, out, LEATHER)
    return clog_colours(cage.points, out, WOOD) if build.feet == "clogs" else out


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
    neckline = np.where(z > -1.5, 128 + x * 2.4, 146.6)
    neckline[x > 9.0] = 200  # the straps
    armhole = (x > 13.2) & (y > 127)
    chosen = on.part("torso") & (y > 94.5) & (y < neckline) & ~armhole
    return cover("waistcoat", cage, field, chosen, Cloth(1.25, thick=0.35, smooth=16), NAVY, under)


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
    return cover("hair", cage, field, scalp | top, Cloth(0.45, thick=0.36, smooth=6), colour)


def cap(cage: Cage, field: Body, under: tuple[Piece, ...], colour: Colour = FELT) -> Piece:
    """A soft cap, lower at the back."""
    on = _Chooser(cage)
    chosen = on.part("head") & on.free & (on.row > 9.7 - 0.25 * np.clip(on.column - 2, 0, 4))
    return cover("cap", cage, field, chosen, Cloth(1.0, thick=0.4, smooth=16, puff=1.0), colour, under)


def moustache(cage: Cage, field: Body) -> Piece:
    """Over the upper lip: parted in the middle, tapered, its tips a little raised."""
    half = np.array(
        [(0.0, 163.0, 9), (0.9, 162.9, 9), (1.9, 162.55, 9), (2.9, 161.9, 8), (3.8, 161.5, 8), (4.6, 161.7, 7)]
    )
    wide = np.array([0.34, 0.62, 0.66, 0.52, 0.32, 0.07])
    curve = np.vstack([half[:0:-1] * [-1, 1, 1], half])
    return tuft("moustache", cage, field, curve, np.concatenate([wide[:0:-1], wide]), HAIR)


def brows(cage: Cage, field: Body, colour: Colour, thick: float = 1.0) -> list[Piece]:
    """Over the eyes, raised: he is glad to see one."""
    curve = np.array([(1.45, 171.3, 9), (2.6, 171.95, 9), (3.9, 172.2, 8), (5.1, 171.75, 7), (5.8, 171.1, 6)])
    wide = thick * np.array([0.09, 0.38, 0.42, 0.3, 0.07])
    left = tuft("left brow", cage, field, curve, wide, colour)
    right = tuft("right brow", cage, field, curve[::-1] * [-1, 1, 1], wide[::-1], colour)
    return [left, right]


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
        *worn_by_all(), locks, moustache(cage, field), *brows(cage, field, HAIR), cap(cage, field, (locks,)), brim(),
        legs, waistcoat(cage, field, (legs,)), *boots(cage, LOCK_KEEPER, field, CUFFS, RUBBER),
    ]  # fmt: skip


def lock_diver_wears(cage: Cage, field: Body) -> list[Piece]:
    """Trousers and the plates of a harness."""
    legs = trousers(cage, field)
    return [
        *worn_by_all(),
        hair(cage, field),
        moustache(cage, field),
        *brows(cage, field, HAIR),
        legs,
        *plates(cage, field, (legs,)),
    ]


def ferry_cook_wears(cage: Cage, field: Body) -> list[Piece]:
    """Blouse, rolled trousers and a headscarf over full hair."""
    legs, locks = trousers(cage, field), hair(cage, field, AUBURN, full=True)
    return [
        *worn_by_all(), locks, *brows(cage, field, AUBURN, 0.6), bun(), cap(cage, field, (locks,), SCARF),
        legs, blouse(cage, field, (legs,)), *clogs(cage, FERRY_COOK, field, WOOD),
    ]  # fmt: skip
