"""Painting weights: what one touch of a brush does to the weights of the vertices under it.

A stroke changes one joint's weight; the joints that are not locked make up for it in proportion, so that every row
goes on summing to 1.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadEditError
from plethos.core.mesh import Topology
from plethos.core.sculpt.session import Touched

Rows = NDArray[np.float64]


@dataclass(frozen=True)
class Paint:
    """What the brush is set to.

    Parameters
    ----------
    mode
        One of `MODES`.
    joint
        Whose weight is painted.
    value
        What *replace* draws the weight towards, 0 to 1.
    strength
        How much of it one touch does, 0 to 1, pen pressure already in it.
    locked
        ``(J,)`` joints whose weights stay as they are.
    """

    mode: str
    joint: int
    value: float
    strength: float
    locked: NDArray[np.bool_]


@dataclass
class PaintedWeights:
    """The weights under the brush ``(V, J)`` float64, changed in place.

    Parameters
    ----------
    parents
        ``(J,)`` each joint's parent, -1 for none: takes what a vertex gives up that follows nothing else.
    twin, other
        Mirror image of each vertex (-1 for none) and joint; None paints one side only.
    """

    topology: Topology
    dense: Rows
    parents: tuple[int, ...]
    twin: NDArray[np.int32] | None = None
    other: NDArray[np.int32] | None = None
    _shown: tuple[int, NDArray[np.float32]] | None = None

    def of_joint(self, joint: int) -> NDArray[np.float32]:
        """One joint's weights ``(V,)``; kept up to date by `dab`, since every frame of a stroke shows them."""
        if self._shown is None or self._shown[0] != joint:
            self._shown = (joint, self.dense[:, joint].astype(np.float32))
        return self._shown[1]

    def dab(self, touched: Touched, paint: Paint) -> NDArray[np.int32]:
        """Apply one touch, on the other side too when painting is mirrored. Returns the vertices that changed.

        Raises
        ------
        BadEditError
            For an unknown mode, or a joint that is locked.
        """
        if paint.mode not in MODES:
            raise BadEditError(f"There is no way to paint called “{paint.mode}”; there are {', '.join(MODES)}.")
        if paint.locked[paint.joint]:
            raise BadEditError("The weights of that joint are locked: unlock it to paint them.")
        vertices = touched.vertices
        share = np.clip(paint.strength, 0, 1) * touched.falloff
        fresh = MODES[paint.mode](self, vertices, share, paint)
        self.dense[vertices] = fresh
        changed = vertices if self.twin is None or self.other is None else self._reflect(vertices, fresh)
        if self._shown is not None:
            joint, column = self._shown
            column[changed] = self.dense[changed, joint]
        return changed

    def _reflect(self, vertices: NDArray[np.int32], fresh: Rows) -> NDArray[np.int32]:
        """Do the same on the other side; returns all vertices that changed."""
        assert self.twin is not None
        assert self.other is not None
        there = self.twin[vertices]
        paired = (there >= 0) & (there != vertices)
        self.dense[there[paired]] = fresh[paired][:, self.other]
        # On the plane itself both sides have to come out alike.
        middle = vertices[there == vertices]
        self.dense[middle] = 0.5 * (self.dense[middle] + self.dense[middle][:, self.other])
        return np.concatenate([vertices, there[paired]])

    def with_weight(self, vertices: NDArray[np.int32], wanted: NDArray[np.float64], paint: Paint) -> Rows:
        """Rows in which the painted joint has the wanted weight, and the others make up for it."""
        rows = self.dense[vertices].copy()
        held = rows[:, paint.locked].sum(axis=1)
        wanted = np.clip(wanted, 0, 1 - held)
        free = ~paint.locked
        free[paint.joint] = False
        others = rows[:, free].sum(axis=1)
        left = 1 - held - wanted
        alone = (others < 1e-9) & (left > 1e-9)
        scale = np.where(others > 1e-9, left / np.maximum(others, 1e-9), 0.0)
        rows[:, free] *= scale[:, None]
        rows[:, paint.joint] = wanted
        heir = self.parents[paint.joint]
        if alone.any():
            # Nothing else to follow: the parent takes over, or, at the root, nothing changes.
            if heir >= 0 and free[heir]:
                rows[alone, heir] += left[alone]
            else:
                rows[alone, paint.joint] += left[alone]
        return rows


def _add(weights: PaintedWeights, vertices: NDArray[np.int32], share: Rows, paint: Paint) -> Rows:
    now = weights.dense[vertices, paint.joint]
    return weights.with_weight(vertices, now + share, paint)


def _subtract(weights: PaintedWeights, vertices: NDArray[np.int32], share: Rows, paint: Paint) -> Rows:
    now = weights.dense[vertices, paint.joint]
    return weights.with_weight(vertices, now - share, paint)


def _replace(weights: PaintedWeights, vertices: NDArray[np.int32], share: Rows, paint: Paint) -> Rows:
    now = weights.dense[vertices, paint.joint]
    return weights.with_weight(vertices, now + share * (np.clip(paint.value, 0, 1) - now), paint)


def _smooth(weights: PaintedWeights, vertices: NDArray[np.int32], share: Rows, paint: Paint) -> Rows:
    """Draw the whole row towards the mean of its neighbours over the surface; locked joints stay."""
    beside = weights.topology.adjacency[vertices]
    count = np.maximum(np.asarray(beside.sum(axis=1)).ravel(), 1)
    mean = np.asarray(beside @ weights.dense) / count[:, None]
    now = weights.dense[vertices]
    fresh = now + share[:, None] * (mean - now)
    fresh[:, paint.locked] = now[:, paint.locked]
    free, held = ~paint.locked, now[:, paint.locked].sum(axis=1)
    total = np.maximum(fresh[:, free].sum(axis=1), 1e-12)
    fresh[:, free] *= ((1 - held) / total)[:, None]
    return np.asarray(fresh)


Mode = Callable[[PaintedWeights, NDArray[np.int32], Rows, Paint], Rows]
MODES: dict[str, Mode] = {"add": _add, "subtract": _subtract, "replace": _replace, "smooth": _smooth}
