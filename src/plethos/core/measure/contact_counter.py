"""How much of a whole character passes through itself, counted anew in each pose."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from plethos.core.measure.contact import intersecting_pairs, new_contacts
from plethos.core.skin.mesh import Mesh

REMEMBERED = 2  # how many counts of contacts: of a figure without remedies and with them


@dataclass(eq=False)
class ContactCounter:
    """Counts triangles of the whole character that cross others and did not at rest.

    What was counted last is remembered: while one edits in a pose, the figure without remedies stays as it is.
    """

    mesh: Mesh
    _last: tuple[tuple[NDArray[np.floating], int], ...] = ()

    @cached_property
    def _at_rest(self) -> NDArray[np.int32]:
        return intersecting_pairs(self.mesh.rest, self.mesh.topology.triangles)

    def count(self, points: NDArray[np.floating]) -> int:
        """Number of triangles in new contacts for posed points ``(V, 3)``."""
        known = next((k for k in self._last if np.array_equal(k[0], points)), None)
        if known is None:
            held = points.copy()  # whoever gave them may go on moving them
            known = (held, len(new_contacts(held, self.mesh.topology.triangles, self._at_rest)))
        others = [k for k in self._last if k is not known]
        self._last = (known, *others[: REMEMBERED - 1])
        return known[1]
