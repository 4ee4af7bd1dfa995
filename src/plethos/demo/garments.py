"""Garments, hair and plates: parts of the body's own surface, pushed out, so that hems are edge loops of the body."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plethos.demo.cage import Cage
from plethos.demo.implicit import Field, Points, value_and_gradient
from plethos.demo.pieces import Colour, Piece, plain
from plethos.demo.quads import (
    Quads,
    average_along,
    border,
    crossing_vertices,
    neighbour_average,
    quad_normals,
    uncrossed,
)

Faces = NDArray[np.bool_]


@dataclass(frozen=True)
class Cloth:
    """How a piece of surface becomes a garment, centimetres.

    Parameters
    ----------
    gap
        Distance from what lies under it.
    thick
        How far the turned-in hem lies inside the outer face.
    smooth
        Rounds of smoothing while it is pushed out.
    roll
        Width of a cuff that is rolled up over the outside at the lowest hems; 0 = none.
    puff
        How much more room there is away from the hem.
    solid
        Close the inside too, all over (plates).
    """

    gap: float
    thick: float = 0.3
    smooth: int = 12
    roll: float = 0.0
    puff: float = 0.0
    solid: bool = False


def cover(
    name: str, cage: Cage, field: Callable[[Points], Field], faces: Faces, cloth: Cloth, colour: Colour,
    under: tuple[Piece, ...] = (), joint: str | None = None,
) -> Piece:  # fmt: skip
    """Cover some faces of the body.

    Parameters
    ----------
    faces
        ``(Q,)`` which quads of the body.
    under
        Pieces that it lies over; it is pushed out until it crosses neither them nor the body.
    joint
        Carries the piece rigidly; None = it moves with the body under it.
    """
    body_of, flat = np.unique(cage.quads[faces], return_inverse=True)
    quads = flat.reshape(-1, 4)
    average, rim = neighbour_average(quads, len(body_of)), border(quads)
    on_rim = np.zeros(len(body_of), dtype=bool)
    on_rim[rim.ravel()] = True
    # Along a hem only the hem counts, or it would creep inwards.
    along = average_along(rim, len(body_of))
    normals = quad_normals(cage.points, cage.quads)[body_of]
    away = on_rim.astype(float)
    for _ in range(12):
        away = np.where(on_rim, 1.0, average @ away)
    gap = cloth.gap + cloth.puff * (1 - away)
    points = _even_hems(cage.points[body_of], along, average, on_rim) + normals * gap[:, None]

    def settle(rounds: int) -> None:
        nonlocal points
        for _ in range(rounds):
            smooth = np.where(on_rim[:, None], along @ points, average @ points)
            points = points + 0.5 * (smooth - points)
            points = _pushed(points, field, gap)

    settle(cloth.smooth)
    others = [(cage.points, cage.quads), *((p.points, p.quads) for p in under)]
    for _ in range(25):
        _, crossing = crossing_vertices([(points, quads), *others])
        if not crossing.any():
            break
        near = _spread(crossing, average)
        gap = gap + 0.12 * near
        points = points + 0.12 * near[:, None] * normals
        settle(1)
    points, quads, body_of = _finished(points, quads, body_of, rim, average, along, cloth)
    away_from_body = quad_normals(cage.points, cage.quads)[body_of]
    for _ in range(12):
        points = uncrossed(points, quads, rounds=3)
        _, crossing = crossing_vertices([(points, quads), *others])
        if not crossing.any():
            break
        points = points + 0.1 * _spread(crossing, neighbour_average(quads, len(points)))[:, None] * away_from_body
    points = uncrossed(points, quads)
    return Piece(name, points, quads, plain(len(points), colour), joint, None if joint else body_of)


def _even_hems(points: Points, along, average, on_rim: NDArray[np.bool_]) -> Points:  # type: ignore[no-untyped-def]
    """Points whose hems no longer step from one loop of the body to the next.

    Smoothed along the hem without shrinking it (Taubin 1995), then what lies within follows.
    """
    points = points.copy()
    for _ in range(40):
        for share in (0.5, -0.53):
            points = np.where(on_rim[:, None], points + share * (along @ points - points), points)
    for _ in range(10):
        points = np.where(on_rim[:, None], points, 0.5 * (points + average @ points))
    return points


def _spread(where: NDArray[np.bool_], average) -> NDArray[np.float64]:  # type: ignore[no-untyped-def]
    """1 there, less around it: cloth that gives way at one vertex only gets a dent."""
    near = where.astype(float)
    for _ in range(6):
        near = np.maximum(near, average @ near)
    return near


def _pushed(points: Points, field: Callable[[Points], Field], gap: NDArray[np.float64]) -> Points:
    value, gradient = value_and_gradient(field, points)
    short = np.clip(gap - value, 0, 1.0)
    length = np.maximum(np.linalg.norm(gradient, axis=1), 0.3)
    return np.asarray(points + gradient / length[:, None] * short[:, None])


def _finished(points: Points, quads: Quads, body_of: Quads, rim: Quads, average, along, cloth: Cloth):  # type: ignore[no-untyped-def]
    """Give the hem a thickness: turned in, or rolled up outside; or close the whole inside."""
    normals = quad_normals(points, quads)
    if cloth.solid:
        inner = points - normals * cloth.thick
        count = len(points)
        strip = np.stack([rim[:, 1], rim[:, 0], rim[:, 0] + count, rim[:, 1] + count], axis=1)
        quads = np.vstack([quads, quads[:, ::-1] + count, strip])
        return np.vstack([points, inner]), quads, np.concatenate([body_of, body_of])
    edge = np.unique(rim)
    towards = average @ points - points
    for _ in range(6):
        towards, normals = along @ towards, along @ normals
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-6)
    number = np.full(len(points), -1)
    number[edge] = np.arange(len(edge))
    # Into the garment: away from the hem within its surface.
    inward = towards[edge]
    inward -= normals[edge] * (inward * normals[edge]).sum(1, keepdims=True)
    inward /= np.maximum(np.linalg.norm(inward, axis=1, keepdims=True), 1e-6)
    low = cloth.roll > 0 and points[edge, 1].min() + 8
    rolled = (points[edge, 1] < low)[:, None] if cloth.roll else np.zeros((len(edge), 1), dtype=bool)
    n, w = normals[edge], cloth.roll
    turned = [points[edge] - n * cloth.thick, points[edge] - n * cloth.thick + inward * 0.9]
    cuff = [
        points[edge] + n * 0.55 - inward * 0.2,
        points[edge] + n * 0.75 + inward * w,
        points[edge] + n * 0.3 + inward * (w + 0.1),
    ]
    rings = [np.where(rolled, c, t) for c, t in zip(cuff, [*turned, turned[1] + inward * 0.25], strict=True)]
    rings = rings if cloth.roll else rings[:2]
    start, last = len(points), rim
    pieces, more = [quads], [points]
    for ring in rings:
        here = number[rim] + start
        pieces.append(np.stack([last[:, 1], last[:, 0], here[:, 0], here[:, 1]], axis=1))
        more.append(ring)
        last, start = here, start + len(edge)
    return np.vstack(more), np.vstack(pieces), np.concatenate([body_of, *([body_of[edge]] * len(rings))])
