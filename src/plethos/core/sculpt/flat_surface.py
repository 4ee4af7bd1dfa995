"""The surface under a brush where there are no triangles: a drawing's control points."""

from __future__ import annotations

from math import isfinite

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadEditError
from plethos.core.geometry.rotations import Array
from plethos.core.sculpt.session import MOST, Dab, SculptSurface, Touched
from plethos.core.skin.mesh import Mesh


class FlatSurface(SculptSurface):
    """Outlines under a brush: it reaches the control points within it, and their handles with them."""

    def check(self, dab: Dab) -> None:
        numbers = (*dab.at, *dab.drag, dab.radius, dab.strength, dab.falloff)
        if not all(map(isfinite, numbers)) or dab.radius <= 0 or max(map(abs, numbers)) > MOST:
            raise BadEditError("That touch of the brush lies outside of the drawing.")

    def touch(self, dab: Dab) -> Touched:
        self.check(dab)
        away = np.linalg.norm(self.points[::3, :2] - np.array(dab.at)[:2], axis=1)
        near = np.flatnonzero(away < dab.radius)
        fade = min(max(dab.falloff, 1e-6), 1.0)
        out = np.maximum(away[near] / dab.radius - (1 - fade), 0) / fade
        shares = np.repeat((1 - out**2) ** 2, 3)
        vertices = (3 * near[:, None] + np.arange(3)).ravel().astype(np.int32)
        if self.within is not None:
            shares = shares * self.within[vertices]
            vertices, shares = vertices[shares > 0], shares[shares > 0]
        return Touched(vertices, shares)


def surface_under(
    mesh: Mesh, points: Array, start: Array, at_rest: NDArray[np.floating] | None = None
) -> SculptSurface:
    """What a brush touches of a character, skin or outlines; see `SculptSurface`."""
    kind = FlatSurface if mesh.is_flat else SculptSurface
    return kind(mesh.topology, points, start, at_rest=at_rest)
