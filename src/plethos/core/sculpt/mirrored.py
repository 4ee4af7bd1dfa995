"""Mirrored strokes: the other side moves alike, across the symmetry that the pose itself has."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadEditError
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import extent
from plethos.core.skeleton.symmetry import SYMMETRIC

ALIKE = 1e-3  # of the character's height: how far off its mirror image a posed vertex may be


@dataclass(frozen=True, eq=False)
class PosedMirror:
    """The mirror of a pose.

    Parameters
    ----------
    twin
        ``(V,)`` mirror image of each vertex, -1 for none.
    normal
        Of the plane, a unit vector ``(3,)``.
    """

    twin: NDArray[np.int32]
    normal: Array

    @classmethod
    def of(cls, points: NDArray[np.floating], twin: NDArray[np.int32]) -> PosedMirror:
        """The plane that posed points ``(V, 3)`` are mirrored across: turned and shifted with the whole character.

        Raises
        ------
        BadEditError
            When the character has no two sides, or the pose is not the same on both.
        """
        here = np.flatnonzero((twin >= 0) & (twin > np.arange(len(twin))))
        if (twin >= 0).mean() < SYMMETRIC or len(here) == 0:
            raise BadEditError("This character has no two sides that match: sculpt without the mirror.")
        p = np.asarray(points, np.float64)
        apart, middle = p[here] - p[twin[here]], 0.5 * (p[here] + p[twin[here]])
        # All pairs stand apart along the normal: it is the greatest axis of what lies between them.
        normal = np.linalg.eigh(apart.T @ apart)[1][:, 2]
        off = np.abs((middle - middle.mean(axis=0)) @ normal)
        along = apart - (apart @ normal)[:, None] * normal
        if max(off.max(), np.linalg.norm(along, axis=1).max()) > ALIKE * extent(p):
            raise BadEditError("The pose is not the same on both sides: sculpt without the mirror, or pose both alike.")
        return cls(twin, normal)

    def both(self, moved: Array) -> Array:
        """What a one-sided stroke moved ``(V, 3)``, on both sides.

        Where both reach, as over the middle, they are shared out by how far each goes: nothing moves twice as far.
        """
        there = np.flatnonzero(self.twin >= 0)
        other = np.zeros_like(moved)
        other[self.twin[there]] = moved[there] - 2 * (moved[there] @ self.normal)[:, None] * self.normal
        here, far = (np.linalg.norm(m, axis=1)[:, None] ** 2 for m in (moved, other))
        whole = here + far
        return np.asarray(np.where(whole > 0, (here * moved + far * other) / np.where(whole > 0, whole, 1), 0.0))
