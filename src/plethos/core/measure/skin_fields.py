"""What is measured of the skin, at each vertex: to be seen where it is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numba as nb
import numpy as np
from numpy.typing import NDArray

from plethos.core.geometry.topology import extent
from plethos.core.measure.clipping import Crossings
from plethos.core.measure.strain import Strain

SkinField = Literal["stretch", "fold", "contacts", "clipping"]
Points = NDArray[np.floating]
Floats = NDArray[np.float32]


@dataclass(eq=False)
class SkinFields:
    """The skin of a whole character, made ready.

    Parameters
    ----------
    crossings
        Its triangles.
    """

    crossings: Crossings

    def at(self, name: SkinField, points: Points) -> Floats:
        """A field ``(V,)`` for posed points ``(V, 3)``.

        Stretch is how much longer or shorter than at rest the edge at the vertex is that changed most (0.5 = half as
        long again, -0.5 = half as long); fold and contacts are 1 where the skin is folded over or crosses itself;
        clipping is how much deeper than at rest it lies in another part, percent of the height.
        """
        fields: dict[SkinField, Callable[[Points], Floats]] = {
            "stretch": self.stretch, "fold": self.fold, "contacts": self.contacts, "clipping": self.clipping,
        }  # fmt: skip
        return fields[name](points)

    @cached_property
    def _strain(self) -> Strain:
        mesh = self.crossings.mesh
        return Strain.of(mesh.topology.triangles, mesh.rest)

    def stretch(self, points: Points) -> Floats:
        """See `at`."""
        strain = self._strain
        return np.asarray(furthest_changed(strain.edges, strain.ratios(points), len(points)), np.float32)

    def fold(self, points: Points) -> Floats:
        """See `at`."""
        out = np.zeros(len(points), np.float32)
        out[self._strain.wings[self._strain.folded(points), :2]] = 1
        return out

    def contacts(self, points: Points) -> Floats:
        """See `at`."""
        posed = self.crossings.posed(points)
        out = np.zeros(len(points), np.float32)
        out[self.crossings.mesh.topology.triangles[posed.fresh[posed.within_a_part]]] = 1
        return out

    def clipping(self, points: Points) -> Floats:
        """See `at`."""
        posed = self.crossings.posed(points)
        depths = posed.depths(posed.fresh[~posed.within_a_part])
        return np.asarray(100 * depths / max(extent(self.crossings.mesh.rest), 1e-9), np.float32)


@nb.njit(cache=True, nogil=True)
def furthest_changed(edges, ratios, count):  # type: ignore[no-untyped-def]
    """Of the edges ``(E, 2)`` at each vertex the ratio ``(count,)`` that is furthest from 1, less 1."""
    out = np.zeros(count)
    for e in range(len(edges)):
        change = ratios[e] - 1
        # Half as long counts as much as twice as long.
        size = change if change > 0 else 1 / max(ratios[e], 1e-6) - 1
        for k in range(2):
            v = edges[e, k]
            known = out[v] if out[v] > 0 else 1 / max(out[v] + 1, 1e-6) - 1
            if size > known:
                out[v] = change
    return out
