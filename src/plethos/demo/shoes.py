"""What turns a shod foot into a boot or a clog: a sole under it, a band round its opening, and its colour."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.spatial import cKDTree

from plethos.demo.build import Build
from plethos.demo.cage import Cage
from plethos.demo.foot import leg
from plethos.demo.implicit import Field, Points
from plethos.demo.pieces import MIRROR, Colour, Piece, plain
from plethos.demo.quads import crossing_vertices

Body = Callable[[Points], Field]
AROUND = 40
CUFF = 23.0  # height of a boot's cuff, centimetres
INSTEP, HEEL = leg(10.3, 9.6, 5.6), leg(10.5, 6.2, -9.5)  # where the opening of a clog lies


def boots(cage: Cage, build: Build, field: Body, cuff: Colour, sole: Colour) -> list[Piece]:
    """Soles with a heel, and the turned-down cuffs of the shafts."""
    centre = leg(10.3, CUFF, -1.9) + [build.stance, 0, 0]
    section = ((0.12, 1.6), (0.5, 1.75), (0.75, 1.3), (0.75, -1.5), (0.5, -1.85), (0.12, -1.7))
    return [
        *_both("sole", cage, *_sole(build, field, heel=0.75), sole),
        *_both("cuff", cage, *_band(field, centre, [0, 0, 1.0], [1.0, 0, 0], section), cuff),
    ]


def clogs(cage: Cage, build: Build, field: Body, wood: Colour) -> list[Piece]:
    """Thick soles and the rims of the openings."""
    aside = np.array([build.stance, 0, 0])
    instep, heel = INSTEP + aside, HEEL + aside
    section = ((0.1, 0.5), (0.4, 0.62), (0.62, 0.0), (0.4, -0.62), (0.1, -0.5))
    return [
        *_both("sole", cage, *_sole(build, field, heel=1.1), wood),
        *_both("rim", cage, *_band(field, (instep + heel) / 2, instep - heel, [1.0, 0, 0], section), wood),
    ]


def boot_colours(points: Points, colours: NDArray[np.float64], leather: Colour) -> NDArray[np.float64]:
    """The body's colours with leather below the cuff."""
    return np.where((points[:, 1] < CUFF + 1.2)[:, None], leather, colours)


def clog_colours(points: Points, colours: NDArray[np.float64], wood: Colour) -> NDArray[np.float64]:
    """The body's colours with wood below the opening."""
    forward = (points[:, 2] - HEEL[2]) / (INSTEP[2] - HEEL[2])
    return np.where((points[:, 1] < HEEL[1] + 0.3 + forward * (INSTEP[1] - HEEL[1]))[:, None], wood, colours)


def _both(name: str, cage: Cage, points: Points, quads: NDArray[np.int64], colour: Colour) -> list[Piece]:
    """The left one and the right one, moved out of the body; they go with the body next to them.

    The points are rings ``(R * AROUND, 3)`` round the foot: what lies at one place of each ring moves together.
    """
    rings = points.reshape(-1, AROUND, 3).copy()
    middle = rings.mean(axis=(0, 1))
    for _ in range(30):
        _, crossing = crossing_vertices([(rings.reshape(-1, 3), quads), (cage.points, cage.quads)])
        if not crossing.any():
            break
        near = crossing.reshape(-1, AROUND).any(axis=0).astype(float)
        for _ in range(3):
            near = np.maximum(near, 0.5 * (np.roll(near, 1) + np.roll(near, -1)))
        away = (rings.mean(axis=0) - middle) * [1, 0, 1]
        rings += 0.05 * (near / np.linalg.norm(away, axis=1))[:, None] * away
    places = rings.reshape(-1, 3)
    _, body = cKDTree(cage.points).query(places)
    colours = plain(len(places), colour)
    return [
        Piece(f"left {name}", places, quads, colours, None, body),
        Piece(f"right {name}", places * MIRROR, quads[:, ::-1].copy(), colours, None, cage.mirror[body]),
    ]


def _outline(field: Body, centre: NDArray[np.float64], e1: ArrayLike, e2: ArrayLike) -> tuple[Points, Points]:
    """Where a plane cuts the surface round `centre`, and the way outwards in the plane, ``(AROUND, 3)`` each."""
    e1, e2 = (np.asarray(e, float) / np.linalg.norm(e) for e in (e1, e2))
    angle = np.linspace(0, 2 * np.pi, AROUND, endpoint=False)
    ways = np.cos(angle)[:, None] * e1 + np.sin(angle)[:, None] * e2
    reach = np.full(AROUND, 0.3)
    for _ in range(400):
        value = field(centre + reach[:, None] * ways)
        reach += np.where(value < 0, np.clip(-0.6 * value, 0.005, 0.4), 0.0)
    points = centre + reach[:, None] * ways
    along = np.roll(points, -1, axis=0) - np.roll(points, 1, axis=0)
    out = np.cross(along, np.cross(e1, e2))
    return points, out / np.linalg.norm(out, axis=1, keepdims=True)


def _band(
    field: Body, centre: NDArray[np.float64], e1: ArrayLike, e2: ArrayLike, section: tuple[tuple[float, float], ...]
) -> tuple[Points, NDArray[np.int64]]:
    """A closed band round a limb; `section` tells how far outwards and upwards each of its edges lies."""
    points, out = _outline(field, centre, e1, e2)
    for _ in range(3):
        points, out = (0.5 * a + 0.25 * (np.roll(a, 1, axis=0) + np.roll(a, -1, axis=0)) for a in (points, out))
    out = out / np.linalg.norm(out, axis=1, keepdims=True)
    up = np.cross(np.asarray(e2, float), np.asarray(e1, float))
    up = up / np.linalg.norm(up) * (1 if up[1] > 0 else -1)
    rings = np.stack([points + away * out + high * up for away, high in section])
    ids = np.arange(rings.shape[0] * AROUND).reshape(-1, AROUND)
    quads = _strips(np.vstack([ids, ids[:1]]))
    return _wound(rings.reshape(-1, 3), quads)


def _strips(ids: NDArray[np.int64]) -> NDArray[np.int64]:
    """Quads between each closed ring of numbers and the next."""
    right = np.roll(ids, -1, axis=1)
    return np.stack([ids[:-1], right[:-1], right[1:], ids[1:]], axis=-1).reshape(-1, 4)


def _sole(build: Build, field: Body, heel: float) -> tuple[Points, NDArray[np.int64]]:
    """A slab under the foot, its rim a little wider, hollow between heel and ball."""
    top = build.sole - 0.08
    centre = leg(10.8, build.sole + 2.4, 3.5) + [build.stance, 0, 0]
    outline, out = _outline(field, centre, [0, 0, 1.0], [1.0, 0, 0])
    for _ in range(4):
        outline = 0.5 * outline + 0.25 * (np.roll(outline, 1, axis=0) + np.roll(outline, -1, axis=0))
    edge = outline + 0.35 * out
    z = edge[:, 2]
    hollow = heel * np.clip((z + 3.2) / 0.8, 0, 1) * np.clip((7.0 - z) / 4.0, 0, 1)
    rings = []
    for shrink, lower in ((1.5, True), (0.3, True), (0.0, None), (0.0, False), (0.3, False), (1.5, False)):
        ring = edge - shrink * out
        low = np.minimum(hollow, top - 0.45)
        ring[:, 1] = low if lower else low + 0.2 if lower is None else top + (0.3 if shrink < 0.3 else 0.0)
        rings.append(ring)
    ids = np.arange(len(rings) * AROUND).reshape(-1, AROUND)
    k = np.arange(AROUND // 2 - 1)  # closed by rungs across, from the toe to the heel
    under, over = (np.stack([row[k], row[-1 - k], row[-2 - k], row[k + 1]], axis=1) for row in (ids[0], ids[-1]))
    return _wound(np.concatenate(rings), np.vstack([_strips(ids), under, over[:, ::-1]]))


def _wound(points: Points, quads: NDArray[np.int64]) -> tuple[Points, NDArray[np.int64]]:
    """Quads that face outwards."""
    a, b, c, d = (points[quads[:, k]] for k in range(4))
    volume = np.einsum("qi,qi->", a, np.cross(b, c) + np.cross(c, d))
    return points, quads if volume > 0 else quads[:, ::-1].copy()
