"""Which bones a thing in a drawing follows, when things lie over each other: an arm before a trunk, a leg before a leg.

Distance does not tell: the arm's bone lies as deep in the trunk as the spine. So the bones are sought that explain the
area: each place of it lies across from some bone, inside of the thing, and little of the bones lies outside.
"""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from plethos.core.geometry.rotations import Array
from plethos.core.skeleton.names import words_of
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.weights.bones import Segment

# What is named for one side follows no joint of the other.
SIDES = (("front", "back"), ("near", "far"), ("left", "right"), ("fore", "hind"))
PLACES = 300  # of an area that are asked for a bone
ALONG = 9  # places along a bone
OUTSIDE = 2.0  # how much the share of a chain that lies outside counts against what it explains
ENOUGH = 0.7  # of the best chain's score: one nearer to the root with so much is preferred
MORE = 0.08  # of the area: a further bone explains at least so much of it that no other does


def bones_of(area: BaseGeometry, bones: list[Segment], skeleton: Skeleton, name: str) -> list[Segment]:
    """The bones that a thing follows.

    Parameters
    ----------
    area
        What it covers.
    name
        What it and its part are called.
    """
    words = set(words_of(name))
    barred = {b for a, b in (*SIDES, *((b, a) for a, b in SIDES)) if a in words and b not in words}
    ends = {_key(skeleton.rest_global[j, :2, 3]): skeleton.names[j] for j in np.flatnonzero(skeleton.is_joint)}
    allowed = [
        s for s in bones
        if not barred & {*words_of(skeleton.names[s.joint]), *words_of(ends.get(_end(s), ""))}
    ] or bones  # fmt: skip
    places = _inside(area)
    explains = np.array([_explained(area, places, s) for s in allowed])
    length = np.array([np.linalg.norm(s.end - s.start) for s in allowed])
    within = np.array([_share_inside(area, s) for s in allowed])
    chains = _chains(allowed, skeleton)
    score = [
        float(explains[c].any(axis=0).mean())
        - OUTSIDE * (1 - float((within[c] * length[c]).sum() / max(length[c].sum(), 1e-12)))
        for c in chains
    ]
    # An arm that hangs before a trunk explains as much of it as the spine: the chain nearer to the root has it.
    deep = [sum(skeleton.subtree(p)[allowed[c[0]].joint] for p in range(len(skeleton))) for c in chains]
    good = [k for k, s in enumerate(score) if s >= ENOUGH * max(score) > 0]
    first = min(good, key=lambda k: (deep[k], -score[k])) if good else int(np.argmax(score))
    taken = [k for k in chains[first] if within[k] > 0 or len(chains) == 1]
    if not taken:
        middle = np.array(area.centroid.coords[0])
        away = [_distance(middle[None], s)[0] for s in allowed]
        return [allowed[int(np.argmin(away))]]
    while True:
        known = explains[taken].any(axis=0)
        joined = {_end(allowed[k]) for k in taken} | {_start(allowed[k]) for k in taken}
        gain = np.array([float((e & ~known).mean()) for e in explains])
        # Of bones that explain about as much, one that hangs together with those that are taken.
        bonus = np.array([1.5 if {_start(s), _end(s)} & joined else 1.0 for s in allowed])
        best = int(np.argmax(gain * bonus * within))
        if gain[best] * within[best] < MORE or best in taken:
            break
        taken.append(best)
    return [allowed[k] for k in sorted(taken)]


def _key(place: Array) -> tuple[float, float]:
    return (round(float(place[0]), 6), round(float(place[1]), 6))


def _start(segment: Segment) -> tuple[float, float]:
    return _key(segment.start)


def _end(segment: Segment) -> tuple[float, float]:
    return _key(segment.end)


def _inside(area: BaseGeometry) -> Array:
    """Places ``(P, 2)`` spread evenly over an area."""
    low_x, low_y, high_x, high_y = area.bounds
    step = max((area.area / PLACES) ** 0.5, 1e-9)
    x, y = np.meshgrid(np.arange(low_x + step / 2, high_x, step), np.arange(low_y + step / 2, high_y, step))
    every = np.column_stack([x.ravel(), y.ravel()])
    found = every[shapely.contains_xy(area, every)]
    return found if len(found) else np.array(area.representative_point().coords)


def _explained(area: BaseGeometry, places: Array, bone: Segment) -> NDArray[np.bool_]:
    """Which places ``(P,)`` lie across from a bone, the way there inside of the area."""
    along = bone.end[:2] - bone.start[:2]
    t = (places - bone.start[:2]) @ along / max(float(along @ along), 1e-18)
    foot = bone.start[:2] + np.clip(t, 0, 1)[:, None] * along
    seen = shapely.contains_xy(area, foot) & shapely.contains_xy(area, 0.5 * (foot + places))
    return np.asarray((t >= -0.02) & (t <= 1.02) & seen, np.bool_)


def _share_inside(area: BaseGeometry, bone: Segment) -> float:
    t = np.linspace(0, 1, ALONG)[:, None]
    return float(shapely.contains_xy(area, (1 - t) * bone.start[:2] + t * bone.end[:2]).mean())


def _distance(places: Array, bone: Segment) -> Array:
    along = bone.end[:2] - bone.start[:2]
    t = np.clip((places - bone.start[:2]) @ along / max(float(along @ along), 1e-18), 0, 1)
    return np.asarray(np.linalg.norm(places - bone.start[:2] - t[:, None] * along, axis=1))


def _chains(bones: list[Segment], skeleton: Skeleton) -> list[list[int]]:
    """The bones in chains, by their numbers: each goes on where one bone ends and one only begins."""
    starts: dict[tuple[float, float], list[int]] = {}
    for k, s in enumerate(bones):
        starts.setdefault(_start(s), []).append(k)
    ends = {_end(s): k for k, s in enumerate(bones)}
    firsts = [k for k, s in enumerate(bones) if _start(s) not in ends or len(starts[_start(s)]) > 1]
    chains = []
    for first in firsts:
        chain, at = [first], _end(bones[first])
        while len(starts.get(at, [])) == 1 and starts[at][0] not in chain:
            chain.append(starts[at][0])
            at = _end(bones[chain[-1]])
        chains.append(chain)
    return chains or [[k] for k in range(len(bones))]
