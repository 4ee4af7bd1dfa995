"""Girth: how thick a limb is at stations along its bone, and where it is pinched.

The slices are cut once, at rest, by planes across the bone; each slice is a closed loop of points on mesh edges that
is carried along with the skin. The area of a carried loop against its area at rest is the girth there; the least over
all stations is the **pinch**. Cutting at rest keeps the slices comparable over the whole bend, and keeps other
limbs that come near out of them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plethos.core.geometry.rotations import Array
from plethos.core.measure.kernels import loop_areas
from plethos.core.measure.region import Region
from plethos.core.skeleton.skeleton import Skeleton

STATIONS = 13


@dataclass(frozen=True)
class Slice:
    """A closed loop of points on edges of the region: ``(1 - t) * points[a] + t * points[b]``.

    Parameters
    ----------
    station
        Metres along the bone from the joint; negative towards the parent.
    a, b, t
        ``(N,)`` edge ends and place on the edge.
    """

    station: float
    a: NDArray[np.int32]
    b: NDArray[np.int32]
    t: NDArray[np.float64]

    def area(self, points: NDArray[np.floating]) -> float:
        """Area of the loop, square metres: the length of its vector area, so that folding counts as loss."""
        p = points[self.a] * (1 - self.t)[:, None] + points[self.b] * self.t[:, None]
        p = p - p.mean(axis=0)
        return float(np.linalg.norm(np.cross(p, np.roll(p, -1, axis=0)).sum(axis=0)) / 2)


@dataclass(frozen=True, eq=False)
class Cuts:
    """Slices packed for every frame of a drag: see `loop_areas`.

    Parameters
    ----------
    at_rest
        ``(S,)`` areas at rest, none of them zero.
    """

    offsets: NDArray[np.int64]
    a: NDArray[np.int32]
    b: NDArray[np.int32]
    t: NDArray[np.float64]
    at_rest: NDArray[np.float64]

    @classmethod
    def of(cls, slices: Sequence[Slice], rest: NDArray[np.floating]) -> Cuts:
        """Those that have an area at rest, of a region whose points there are `rest` ``(N, 3)``."""
        slices = [s for s in slices if s.area(rest) > 0]
        offsets = np.cumsum([0, *(len(s.a) for s in slices)])
        a, b = (np.concatenate([np.zeros(0, np.int32), *(getattr(s, n) for s in slices)]) for n in "ab")
        t = np.concatenate([np.zeros(0), *(s.t for s in slices)])
        return cls(offsets, a, b, t, loop_areas(rest, offsets, a, b, t))

    def areas(self, points: NDArray[np.floating]) -> NDArray[np.float64]:
        """The areas ``(S,)`` of all in a pose."""
        return np.asarray(loop_areas(points, self.offsets, self.a, self.b, self.t))


def bone_directions(skeleton: Skeleton, joint: int) -> tuple[Array, Array]:
    """Unit directions of the bone before and after a joint at rest; each stands in for a missing other."""
    at = skeleton.rest_global[:, :3, 3]
    parent, children = skeleton.joint_parents[joint], skeleton.children(joint)
    # The longest way down is the bone; twist joints lie on it, thumbs and jaws do not.
    below = max(children, key=lambda c: float(np.linalg.norm(at[c] - at[joint])), default=None)
    before = at[joint] - at[parent] if parent >= 0 else np.zeros(3)
    after = at[below] - at[joint] if below is not None else np.zeros(3)
    if np.linalg.norm(before) < 1e-9:
        before = after
    if np.linalg.norm(after) < 1e-9:
        after = before
    if np.linalg.norm(before) < 1e-9:
        before = after = np.array([0.0, 1.0, 0.0])
    return before / np.linalg.norm(before), after / np.linalg.norm(after)


def cut_slices(skeleton: Skeleton, joint: int, region: Region, rest: NDArray[np.floating]) -> list[Slice]:
    """The slices of a joint's region at rest, along both its bones.

    Parameters
    ----------
    rest
        ``(N, 3)`` rest points of the region's vertices.
    """
    before, after = bone_directions(skeleton, joint)
    at = skeleton.rest_global[joint, :3, 3]
    slices = []
    for station in np.linspace(-0.75, 0.75, STATIONS) * region.radius:
        direction = after if station > 1e-9 else before if station < -1e-9 else before + after
        if np.linalg.norm(direction) < 1e-6:
            direction = after
        normal = direction / np.linalg.norm(direction)
        centre = at + station * normal
        height = (rest - centre) @ normal
        best = None
        for a, b, t in _loops(region.triangles, height):
            cut = Slice(float(station), a, b, t)
            p = rest[a] * (1 - t)[:, None] + rest[b] * t[:, None]
            off_axis = float(np.linalg.norm(p.mean(axis=0) - centre))
            area = cut.area(rest)
            # The bone has to run through the loop: this leaves out fingers, ears and the other leg.
            if off_axis < 1.2 * np.sqrt(area / np.pi) and (best is None or area > best[0]):
                best = (area, cut)
        if best:
            slices.append(best[1])
    return slices


def _loops(
    triangles: NDArray[np.int32], height: NDArray[np.floating]
) -> list[tuple[NDArray[np.int32], NDArray[np.int32], NDArray[np.float64]]]:
    """Closed loops in which the zero level of `height` crosses the triangles."""
    above = height > 0
    crossed = triangles[(above[triangles].sum(axis=1) % 3) != 0]
    following: dict[tuple[int, int], list[tuple[int, int]]] = {}
    for tri in crossed.tolist():
        cuts = []
        for k in range(3):
            i, j = tri[k], tri[(k + 1) % 3]
            if above[i] != above[j]:
                cuts.append((min(i, j), max(i, j)))
        following.setdefault(cuts[0], []).append(cuts[1])
        following.setdefault(cuts[1], []).append(cuts[0])
    loops, seen = [], set()
    for start in following:
        if start in seen:
            continue
        chain, previous, here = [start], None, start
        seen.add(start)
        closed = False
        while True:
            ahead = [e for e in following[here] if e != previous]
            if len(following[here]) != 2 or not ahead:
                break
            previous, here = here, ahead[0]
            if here == start:
                closed = True
                break
            if here in seen:
                break
            seen.add(here)
            chain.append(here)
        if closed and len(chain) > 2:
            ends = np.array(chain, dtype=np.int32)
            ha, hb = height[ends[:, 0]], height[ends[:, 1]]
            loops.append((ends[:, 0], ends[:, 1], np.asarray(ha / (ha - hb), dtype=np.float64)))
    return loops
