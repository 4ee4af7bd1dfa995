"""Brushes over the outlines of a drawing that is held in a pose: its control points move, its corners round, its
strokes widen.

A brush takes hold of one control point, or of all that are picked, and of what lies near along the outline; what it
does follows the pointer's whole way from there.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from math import isfinite

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse import csgraph

from plethos.core.errors import BadEditError
from plethos.core.geometry.outlines import AFTER, BEFORE, POINT
from plethos.core.geometry.rotations import Array
from plethos.core.sculpt.session import MOST, Dab
from plethos.core.skin.mesh import Mesh

STRAIGHT = 0.996  # cosine: handles this much in line are one tangent, and stay one
ROUNDEST = 3.0


@dataclass(frozen=True, eq=False)
class HeldPoints:
    """What a stroke took hold of.

    Parameters
    ----------
    heads
        The first vertices ``(N,)`` of control points.
    shares
        How strongly each is held ``(N,)``, 1 at the point itself.
    points, channels
        Where all was ``(V, 3)``, ``(V, C)``.
    """

    heads: NDArray[np.int64]
    shares: Array
    points: Array
    channels: Array


@dataclass
class OutlineSurface:
    """The posed outlines under a brush, changed in place.

    Parameters
    ----------
    points, channels
        ``(V, 3)`` in the world and ``(V, C)``: what the brushes change.
    start, start_channels
        What they were when the session began.
    picked
        First vertices of control points that move together when one of them is taken hold of.
    others
        Whether points of other outlines within the brush are taken along, through the air.
    """

    mesh: Mesh
    points: Array
    channels: Array
    start: Array
    start_channels: Array
    picked: tuple[int, ...] = ()
    others: bool = False
    _held: HeldPoints | None = field(default=None, init=False)

    def check(self, dab: Dab) -> None:
        """Refuse a touch whose vertex or numbers are out of range.

        Raises
        ------
        BadEditError
            Before anything is moved.
        """
        numbers = (*dab.at, *dab.drag, dab.radius, dab.strength)
        if not 0 <= dab.triangle < len(self.points) or not all(map(isfinite, numbers)) or dab.radius < 0:
            raise BadEditError("That touch of the brush lies on no point of an outline.")
        if max(map(abs, numbers)) > MOST or any(not 0 <= p < len(self.points) for p in self.picked):
            raise BadEditError("That touch of the brush is too large to mean anything.")

    @cached_property
    def _along(self) -> tuple[NDArray[np.int64], sparse.csr_matrix]:
        return along_outlines(self.mesh)

    @cached_property
    def beside(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """The control points before and after each ``(V / 3,)`` on its outline, by number; itself at an open end."""
        count = len(self.points) // 3
        before, after = np.arange(count), np.arange(count)
        for part, surface in self.mesh.outlines():
            first = part.vertices[0] // 3
            for curve in surface.curves:
                own = first + np.array(curve.controls, np.int64)
                if curve.closed:
                    before[own], after[own] = np.roll(own, 1), np.roll(own, -1)
                else:
                    before[own[1:]], after[own[:-1]] = own[:-1], own[1:]
        return before, after

    def held(self, dab: Dab) -> HeldPoints:
        """What the stroke took hold of at its first touch."""
        if self._held is None:
            heads, graph = self._along
            taken = int(dab.triangle) // 3
            grips = {taken, *(p // 3 for p in self.picked)} if 3 * taken in self.picked else {taken}
            found = np.array(sorted(grips))
            shares = np.zeros(len(heads))
            shares[found] = 1
            if dab.radius > 0:
                away = csgraph.dijkstra(graph, directed=False, indices=found, min_only=True, limit=dab.radius)
                if self.others:
                    through = np.linalg.norm(self.points[heads][:, None] - self.points[3 * found][None], axis=2)
                    away = np.minimum(away, through.min(axis=1))
                near = away < dab.radius
                shares[near] = np.maximum(shares[near], (1 - (away[near] / dab.radius) ** 2) ** 2)
            on = np.flatnonzero(shares > 0)
            self._held = HeldPoints(heads[on], shares[on], self.points.copy(), self.channels.copy())
        return self._held

    def let_go(self) -> None:
        """Take hold anew at the next touch."""
        self._held = None


def along_outlines(mesh: Mesh) -> tuple[NDArray[np.int64], sparse.csr_matrix]:
    """The first vertices of all control points, and a graph of how far neighbours on an outline are from each other at
    rest."""
    heads = np.arange(0, len(mesh), 3)
    lines = mesh.topology.edges
    lines = lines[(lines % 3 == 0).all(axis=1)]
    rest = mesh.rest.astype(np.float64)
    length = np.maximum(np.linalg.norm(rest[lines[:, 0]] - rest[lines[:, 1]], axis=1), 1e-9)
    count = len(heads)
    graph = sparse.coo_matrix((length, (lines[:, 0] // 3, lines[:, 1] // 3)), (count, count)).tocsr()
    return heads, graph


def move(surface: OutlineSurface, dab: Dab) -> None:
    """The point follows the pointer, its handles with it; a handle that is taken itself turns about its point."""
    held, drag = surface.held(dab), np.array(dab.drag) * [1, 1, 0]
    which = dab.triangle % 3
    if which != POINT:
        _move_handle(surface, held, dab.triangle - which, which, drag)
        return
    for k in (POINT, BEFORE, AFTER):
        surface.points[held.heads + k] = held.points[held.heads + k] + held.shares[:, None] * drag


def _move_handle(surface: OutlineSurface, held: HeldPoints, head: int, which: int, drag: Array) -> None:
    """The other handle stays in line with it where the two were in line."""
    other = AFTER if which == BEFORE else BEFORE
    at = held.points[head]
    own, across = held.points[head + which] - at, held.points[head + other] - at
    long, short = float(np.linalg.norm(own)), float(np.linalg.norm(across))
    surface.points[head + which] = held.points[head + which] + drag
    if long > 0 and short > 0 and float(own @ across) < -STRAIGHT * long * short:
        now = surface.points[head + which] - at
        length = float(np.linalg.norm(now))
        if length > 1e-9:
            surface.points[head + other] = at - now / length * short


def roundness(surface: OutlineSurface, dab: Dab) -> None:
    """Both handles grow or shrink about their point, 0 = a corner, 1 = as it was; a corner opens along its outline."""
    held = surface.held(dab)
    before, after = surface.beside
    for head, share in zip(held.heads.tolist(), held.shares.tolist(), strict=True):
        factor = min(max(1 + share * dab.strength, 0.0), ROUNDEST)
        at = held.points[head]
        arms = [held.points[head + k] - at for k in (BEFORE, AFTER)]
        if max(np.linalg.norm(a) for a in arms) < 1e-9:
            one, other = held.points[3 * before[head // 3]], held.points[3 * after[head // 3]]
            way = (other - one) / max(float(np.linalg.norm(other - one)), 1e-12)
            grown = max(factor - 1, 0.0) / 3
            arms = [-way * grown * np.linalg.norm(one - at), way * grown * np.linalg.norm(other - at)]
            factor = 1.0
        surface.points[head + BEFORE] = at + factor * arms[0]
        surface.points[head + AFTER] = at + factor * arms[1]


def width(surface: OutlineSurface, dab: Dab) -> None:
    """The stroke gets wider or thinner, never below nothing."""
    held = surface.held(dab)
    factor = np.maximum(1 + held.shares * dab.strength, 0.0)
    surface.channels[held.heads, 0] = held.channels[held.heads, 0] * factor


def smooth(surface: OutlineSurface, dab: Dab) -> None:
    """The outline is faired: points go between their neighbours, handles along the line through these."""
    held = surface.held(dab)
    before, after = surface.beside
    points = surface.points.copy()
    for head, share in zip(held.heads.tolist(), held.shares.tolist(), strict=True):
        k = head // 3
        one, other = points[3 * before[k]], points[3 * after[k]]
        if before[k] == k or after[k] == k:
            continue
        s = min(max(share * dab.strength, 0.0), 1.0)
        shift = 0.5 * s * (0.5 * (one + other) - points[head])
        way = (other - one) / max(float(np.linalg.norm(other - one)), 1e-12)
        for which, sign in ((BEFORE, -1.0), (AFTER, 1.0)):
            arm = points[head + which] - points[head]
            wanted = sign * way * float(np.linalg.norm(arm))
            surface.points[head + which] = points[head] + shift + (1 - s) * arm + s * wanted
        surface.points[head] = points[head] + shift


def put_back(surface: OutlineSurface, dab: Dab) -> None:
    """Back to where the session began, widths too."""
    held = surface.held(dab)
    s = np.clip(held.shares * dab.strength, 0, 1)[:, None]
    for k in (POINT, BEFORE, AFTER):
        rows = held.heads + k
        surface.points[rows] += s * (surface.start[rows] - surface.points[rows])
    surface.channels[held.heads] += s * (surface.start_channels[held.heads] - surface.channels[held.heads])


OUTLINE_BRUSHES: dict[str, Callable[[OutlineSurface, Dab], None]] = {
    "move": move, "roundness": roundness, "width": width, "smooth": smooth, "put_back": put_back,
}  # fmt: skip
# Brushes that work on and on while the pointer stays down, each touch on top of the one before.
REPEATED = ("smooth", "put_back")
