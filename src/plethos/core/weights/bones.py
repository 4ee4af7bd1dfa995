"""The segments that automatic weights are measured against, and which of them each vertex is nearest to."""

# mypy: disable-error-code="untyped-decorator, no-any-return"
from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import extent
from plethos.core.skeleton.names import is_tip
from plethos.core.skeleton.skeleton import Skeleton

GOES_ON = 1.4  # a joint that only carries ends goes on for so many lengths of the bone before it
SAMPLES = (0.1, 0.3, 0.5, 0.7, 0.9)  # places along a bone
BESIDE = 0.005  # of the character's height: nearer to the skin than that is on it
STRAIGHT = 0.8  # cosine: an end that lies this straight ahead of a joint is where its bone ends
AHEAD = 0.9  # cosine of how far off its axis a sibling may lie to be the next of a line
IN_LINE = 0.06  # how far off a bone, as a share of its length, a twist joint may sit


@dataclass(frozen=True)
class Segment:
    """A bone: from a joint to where it ends, with the twist joints along it.

    Parameters
    ----------
    joint
        Whose bone it is.
    start, end
        ``(3,)`` in the world at rest.
    twists
        Joints on the bone, from `start` on, which share its weight evenly along it.
    """

    joint: int
    start: Array
    end: Array
    twists: tuple[int, ...] = ()


def segments_of(skeleton: Skeleton) -> list[Segment]:
    """The bones of a skeleton at rest.

    A joint has a bone to each child. A joint that only ends (a toe, a jaw), or only carries ends (a head), also goes on
    along its own axis, as far as the bone before it; a joint alone is a point. Children without children of their own
    that sit on a longer bone are its twist joints, and one that is named as a tip has no bone. Where joints are all
    siblings, their frames tell: see `_in_line`.
    """
    siblings = _siblings(skeleton)
    if len(siblings):
        return _in_line(skeleton, siblings)
    at = skeleton.rest_global[:, :3, 3]
    axis = _bone_axis(skeleton)
    found: list[Segment] = []
    twist_of_any: set[int] = set()
    for j in range(len(skeleton)):
        if not skeleton.is_joint[j]:
            continue
        children, twists = skeleton.children(j), _twists_along(skeleton, j)
        twist_of_any |= set(twists)
        if j in twist_of_any:
            continue
        ends = [c for c in children if c not in twists]
        for child in ends:
            found.append(Segment(j, at[j], at[child], twists if child == skeleton.main_child(j) else ()))
        parent = skeleton.joint_parents[j]
        if parent >= 0 and not children and is_tip(skeleton.names[j]):
            continue
        if all(not skeleton.children(c) for c in ends) and not twists:
            before = at[j] - at[parent] if parent >= 0 else np.zeros(3)
            reach = float(np.linalg.norm(before)) * (GOES_ON if ends else 0.9)
            way = skeleton.rest_global[j, :3, :3] @ axis if axis is not None else before
            way = way / max(float(np.linalg.norm(way)), 1e-12)
            # Where an end lies ahead (a last finger joint, the toes) the bone that goes there is the whole of it.
            ahead = [float((at[c] - at[j]) @ way) / max(float(np.linalg.norm(at[c] - at[j])), 1e-12) for c in ends]
            if max(ahead, default=0.0) < STRAIGHT:
                found.append(Segment(j, at[j], at[j] + way * reach))
    return found


def _twists_along(skeleton: Skeleton, joint: int) -> tuple[int, ...]:
    """The twist joints on a joint's bone, from its start on: ends that sit on the way to its main child."""
    main = skeleton.main_child(joint)
    if main is None:
        return ()
    at = skeleton.rest_global[:, :3, 3] - skeleton.rest_global[joint, :3, 3]
    along, length = at[main], float(np.linalg.norm(at[main]))
    found = []
    for child in skeleton.children(joint):
        if child == main or skeleton.children(child):
            continue
        share = float(at[child] @ along) / length**2
        off = float(np.linalg.norm(at[child] - share * along))
        if 0.02 < share < 0.98 and off < IN_LINE * length:
            found.append((share, child))
    return tuple(child for _, child in sorted(found))


def twist_joints(skeleton: Skeleton) -> set[int]:
    """The joints that sit on bones and share their weight."""
    return {t for bone in segments_of(skeleton) for t in bone.twists}


def skin_bones(skeleton: Skeleton, points: NDArray[np.floating], normals: NDArray[np.floating]) -> list[Segment]:
    """The bones that the skin can follow: those of `segments_of` without what stands beside the skin above all chains.

    A root on the ground carries the pelvis through the air between the legs, and controls hang on it: no bones.

    Parameters
    ----------
    points, normals
        ``(V, 3)`` at rest in the world; unit normals that point out of the skin, or 0.
    """
    every = segments_of(skeleton)
    if len(_siblings(skeleton)):
        return every
    bones: dict[int, list[Segment]] = {}
    for segment in every:
        bones.setdefault(segment.joint, []).append(segment)
    near, skin = BESIDE * extent(points), cKDTree(points)
    waiting = [j for j in bones if skeleton.joint_parents[j] < 0]
    while waiting:
        top = waiting.pop()
        children = skeleton.children(top)
        inside = [b for b in bones.get(top, []) if not _stands_outside(b, skin, normals, near)]
        if inside or not children:
            bones[top] = inside or bones.get(top, [])
            continue
        bones[top] = []
        chains = [c for c in children if skeleton.children(c)]
        for end in set(children) - set(chains) if chains else ():
            bones[end] = []
        waiting += chains or children
    kept = [s for s in every if any(s is b for b in bones[s.joint])]
    return kept or every


def _stands_outside(bone: Segment, skin: cKDTree, normals: NDArray[np.floating], near: float) -> bool:
    """Whether most of a bone lies in front of the skin that is nearest to it, and not as near as to be on it."""
    places = bone.start + np.array(SAMPLES)[:, None] * (bone.end - bone.start)
    away, nearest = (np.asarray(found) for found in skin.query(places))
    ahead = ((places - skin.data[nearest]) * normals[nearest]).sum(axis=1)
    return int(((away > near) & (ahead > 0.3 * away)).sum()) > len(SAMPLES) / 2


def _siblings(skeleton: Skeleton) -> NDArray[np.intp]:
    """The joints of a skeleton that tells nothing of chains: none hangs on another. Else nothing."""
    joints = np.flatnonzero(skeleton.is_joint)
    flat = len(joints) >= 3 and all(skeleton.joint_parents[j] < 0 for j in joints.tolist())
    return joints if flat else np.zeros(0, np.intp)


def _in_line(skeleton: Skeleton, joints: NDArray[np.intp]) -> list[Segment]:
    """The bones of joints that are all siblings: each goes along an axis of its frame to the next joint there.

    The axis is the one, of the six, along which most joints find a next. The last of a line goes on as the one before,
    if it is not named as a tip.
    """
    at = skeleton.rest_global[joints, :3, 3]
    between = at[None] - at[:, None]
    distance = np.linalg.norm(between, axis=2)
    np.fill_diagonal(distance, np.inf)
    best: tuple[int, Array, NDArray[np.intp]] | None = None
    for column in range(3):
        for sign in (1.0, -1.0):
            own = sign * skeleton.rest_global[joints, :3, column]
            own = own / np.maximum(np.linalg.norm(own, axis=1, keepdims=True), 1e-12)
            ahead = np.einsum("ijk,ik->ij", between, own) / np.maximum(distance, 1e-12)
            # The nearer the better, and the straighter ahead: the finger beside is often no further than the next.
            far = np.where(ahead > AHEAD, distance / np.maximum(ahead, 1e-3) ** 8, np.inf)
            found = np.where(np.isfinite(far.min(axis=1)), far.argmin(axis=1), -1)
            # Many bones can start at a joint, but only one ends there: the other way lines run together.
            told = found[found >= 0]
            good = 2 * len(np.unique(told)) - len(told)
            if best is None or good > best[0]:
                best = (good, own, found)
    assert best is not None
    _, way, follows = best
    segments = []
    for k, joint in enumerate(joints.tolist()):
        end = at[follows[k]] if follows[k] >= 0 else at[k]
        before = np.flatnonzero(follows == k)
        if follows[k] < 0 and len(before):
            if is_tip(skeleton.names[joint]):
                continue
            end = at[k] + 0.9 * float(distance[before, k].min()) * way[k]
        segments.append(Segment(joint, at[k], end))
    return segments


def _bone_axis(skeleton: Skeleton) -> Array | None:
    """The axis of the joints' own frames along which most bones lie, when most agree on one."""
    at, votes = skeleton.rest_global[:, :3, 3], np.zeros((3, 2))
    for j in range(len(skeleton)):
        for child in skeleton.children(j) if skeleton.is_joint[j] else []:
            local = np.linalg.solve(skeleton.rest_global[j, :3, :3], at[child] - at[j])
            k = int(np.abs(local).argmax())
            if np.abs(local[k]) > 0.9 * np.linalg.norm(local) > 0:
                votes[k, int(local[k] > 0)] += 1
    if votes.max() < 0.5 * max(votes.sum(), 1):
        return None
    most, sign = divmod(int(votes.argmax()), 2)
    axis = np.zeros(3)
    axis[most] = 1.0 if sign else -1.0
    return axis
