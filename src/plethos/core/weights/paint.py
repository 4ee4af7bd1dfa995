"""Painting weights: what one touch of a brush does to the weights of the vertices under it.

A stroke changes one joint's weight; the joints that are not locked make up for it in proportion, so that every row
goes on summing to 1.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadEditError
from plethos.core.geometry.topology import Topology
from plethos.core.sculpt.session import Touched
from plethos.core.skeleton.symmetry import across
from plethos.core.weights.bones import Segment
from plethos.core.weights.gradient import evened
from plethos.core.weights.rows import Rows, WeightRows


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
    bone
        What *even* levels: the bone and the joints that share it.
    """

    mode: str
    joint: int
    value: float
    strength: float
    locked: NDArray[np.bool_]
    bone: Segment | None = None

    def mirrored(self, other: NDArray[np.int32], plane: float) -> Paint:
        """The same for the other side, across x = `plane`; `other` ``(J,)`` is each joint's mirror image."""
        bone = self.bone
        if bone is not None:
            ends = (across(bone.start, plane), across(bone.end, plane))
            bone = Segment(int(other[bone.joint]), *ends, tuple(int(other[t]) for t in bone.twists))
        return replace(self, joint=int(other[self.joint]), locked=self.locked[other], bone=bone)


@dataclass
class PaintedWeights:
    """The weights under the brush, changed in place.

    Parameters
    ----------
    rows
        ``(V, J)`` float64.
    parents
        ``(J,)`` each joint's parent, -1 for none: takes what a vertex gives up that follows nothing else.
    twin, other
        Mirror image of each vertex (-1 for none) and joint; None paints one side only.
    rest
        ``(V, 3)`` points at rest in the world; only *even* asks for them.
    plane
        The x of the plane between the sides.
    """

    topology: Topology
    rows: WeightRows
    parents: tuple[int, ...]
    twin: NDArray[np.int32] | None = None
    other: NDArray[np.int32] | None = None
    rest: NDArray[np.floating] | None = None
    plane: float = 0.0
    _shown: tuple[int, NDArray[np.float32]] | None = None

    def of_joint(self, joint: int) -> NDArray[np.float32]:
        """One joint's weights ``(V,)``; kept up to date by `dab`, since every frame of a stroke shows them."""
        if self._shown is None or self._shown[0] != joint:
            self._shown = (joint, self.rows.column(joint).astype(np.float32))
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
        share = np.clip(paint.strength, 0, 1) * touched.shares
        self.rows[vertices] = MODES[paint.mode](self, vertices, share, paint)
        changed = vertices
        if self.twin is not None and self.other is not None:
            changed = self._reflect(vertices, share, paint, self.twin, self.other)
        if self._shown is not None:
            joint, column = self._shown
            column[changed] = self.rows[changed][:, joint]
        return changed

    def _reflect(
        self,
        vertices: NDArray[np.int32],
        share: Rows,
        paint: Paint,
        twin: NDArray[np.int32],
        other: NDArray[np.int32],
    ) -> NDArray[np.int32]:
        """Do the same on the other side; returns all vertices that changed."""
        there = twin[vertices]
        both = np.isin(there, vertices)
        alone = (there >= 0) & ~both
        self.rows[there[alone]] = self.rows[vertices[alone]][:, other]
        # Under the brush with their own mirror image: the mirrored touch reaches them too, and both come out alike.
        inner = vertices[both]
        if len(inner):
            order = np.argsort(vertices)
            mirrored = share[order[np.searchsorted(vertices[order], twin[inner])]]
            if paint.mode in OF_ONE_JOINT and other[paint.joint] != paint.joint:
                self.rows[inner] = MODES[paint.mode](self, inner, mirrored, paint.mirrored(other, self.plane))
            self.rows[inner] = 0.5 * (self.rows[inner] + self.rows[twin[inner]][:, other])
        return np.concatenate([vertices, there[alone]])

    def with_weight(self, vertices: NDArray[np.int32], wanted: NDArray[np.float64], paint: Paint) -> Rows:
        """Rows in which the painted joint has the wanted weight, and the others make up for it."""
        rows = self.rows[vertices]
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
    now = weights.rows[vertices][:, paint.joint]
    return weights.with_weight(vertices, now + share, paint)


def _subtract(weights: PaintedWeights, vertices: NDArray[np.int32], share: Rows, paint: Paint) -> Rows:
    now = weights.rows[vertices][:, paint.joint]
    return weights.with_weight(vertices, now - share, paint)


def _draw(weights: PaintedWeights, vertices: NDArray[np.int32], share: Rows, paint: Paint) -> Rows:
    now = weights.rows[vertices][:, paint.joint]
    return weights.with_weight(vertices, now + share * (np.clip(paint.value, 0, 1) - now), paint)


def _smooth(weights: PaintedWeights, vertices: NDArray[np.int32], share: Rows, paint: Paint) -> Rows:
    """Draw the whole row towards the mean of its neighbours over the surface; locked joints stay."""
    mean = weights.rows.mean_beside(weights.topology, vertices)
    now = weights.rows[vertices]
    fresh = now + share[:, None] * (mean - now)
    fresh[:, paint.locked] = now[:, paint.locked]
    free, held = ~paint.locked, now[:, paint.locked].sum(axis=1)
    total = fresh[:, free].sum(axis=1)
    bare = total < 1e-9  # those around follow locked joints only: what the lock leaves over stays where it is
    fresh[np.ix_(bare, free)] = now[np.ix_(bare, free)]
    total[bare] = now[np.ix_(bare, free)].sum(axis=1)
    fresh[:, free] *= ((1 - held) / np.maximum(total, 1e-12))[:, None]
    return np.asarray(fresh)


def _even(weights: PaintedWeights, vertices: NDArray[np.int32], share: Rows, paint: Paint) -> Rows:
    """Spread what the bone's joints hold together evenly along it; all others stay."""
    if paint.bone is None or weights.rest is None:
        raise BadEditError("To even out, a joint with a bone has to be chosen.")
    if paint.locked[[paint.bone.joint, *paint.bone.twists]].any():
        raise BadEditError("A joint along that bone is locked: unlock it to even its weights out.")
    return evened(weights.rows[vertices], weights.rest[vertices], paint.bone, share)


Mode = Callable[[PaintedWeights, NDArray[np.int32], Rows, Paint], Rows]
MODES: dict[str, Mode] = {"add": _add, "subtract": _subtract, "replace": _draw, "smooth": _smooth, "even": _even}
OF_ONE_JOINT = ("add", "subtract", "replace", "even")  # what they do depends on the joint that is chosen
