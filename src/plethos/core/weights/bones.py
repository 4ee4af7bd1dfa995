"""The segments that automatic weights are measured against, and which of them each vertex is nearest to."""

# mypy: disable-error-code="untyped-decorator, no-any-return"
from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numba as nb
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import extent
from plethos.core.skeleton.names import is_tip
from plethos.core.skeleton.skeleton import Skeleton

BEHIND = 3.0  # a bone that lies outside the surface at a vertex counts as so many times further away
OUTWARD = 0.2  # cosine between the way to a bone and the normal from which on it lies outside
LEAST = 1e-3  # of the character's height: no vertex is nearer to a bone
TIED = 1.001  # bones so many times as far as the nearest are as near
BLOCK = 1024  # vertices that are looked at together
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


def segment_distances(
    points: NDArray[np.floating], normals: NDArray[np.floating], segments: list[Segment]
) -> NDArray[np.float64]:
    """Distance ``(V, S)`` of each vertex to each bone, longer where the bone lies outside the surface.

    The test is against the vertex's own normal: a rib faces away from the arm bone beside it. That keeps an arm from
    taking the ribs at a fraction of the cost of shooting rays at every bone.
    """
    starts, ends = np.array([s.start for s in segments]), np.array([s.end for s in segments])
    p, n = (np.ascontiguousarray(a, dtype=np.float64) for a in (points, normals))
    return np.asarray(_distances(p, n, starts.reshape(-1, 3), ends.reshape(-1, 3)).T)


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _distances(points, normals, starts, ends):  # type: ignore[no-untyped-def]
    out = np.empty((len(starts), len(points)))  # a bone's distances side by side: that is how they are asked for
    for s in range(len(starts)):
        ax, ay, az = ends[s, 0] - starts[s, 0], ends[s, 1] - starts[s, 1], ends[s, 2] - starts[s, 2]
        length = max(ax * ax + ay * ay + az * az, 1e-18)
        for v in range(len(points)):
            x, y, z = points[v, 0] - starts[s, 0], points[v, 1] - starts[s, 1], points[v, 2] - starts[s, 2]
            t = min(max((x * ax + y * ay + z * az) / length, 0.0), 1.0)
            x, y, z = t * ax - x, t * ay - y, t * az - z
            distance = np.sqrt(x * x + y * y + z * z)
            outward = x * normals[v, 0] + y * normals[v, 1] + z * normals[v, 2] > OUTWARD * distance
            out[s, v] = BEHIND * distance if outward else distance
    return out


def nearest_bones(
    points: NDArray[np.floating], normals: NDArray[np.floating], segments: list[Segment]
) -> tuple[NDArray[np.float64], NDArray[np.int32], NDArray[np.int32]]:
    """The bones that each vertex is nearest to, distances as in `segment_distances`.

    Returns
    -------
    least
        ``(V,)`` the distance to the nearest, at least a thousandth of the character's height.
    vertices, numbers
        ``(N,)`` each vertex with the number of a segment that is that near; several where bones meet.
    """
    starts, ends = (np.array([getattr(s, name) for s in segments]).reshape(-1, 3) for name in ("start", "end"))
    p, n = (np.ascontiguousarray(np.asarray(a, np.float64).T) for a in (points, normals))
    return _nearest(p, n, starts, ends, LEAST * extent(points))


_FINITE: dict[str, Any] = {
    "cache": True, "nogil": True, "error_model": "numpy", "fastmath": {"reassoc", "contract", "nsz", "nnan", "ninf"}
}  # fmt: skip


@nb.njit(**_FINITE)
def _squares(x, y, z, a, b, c, start, way, row) -> None:  # type: ignore[no-untyped-def]
    """Squared distances of points to one bone, written to `row`: a loop by itself, which the compiler vectorises."""
    over = 1 / max(way[0] * way[0] + way[1] * way[1] + way[2] * way[2], 1e-18)
    for v in range(len(row)):
        px, py, pz = x[v] - start[0], y[v] - start[1], z[v] - start[2]
        t = min(max((px * way[0] + py * way[1] + pz * way[2]) * over, 0.0), 1.0)
        px, py, pz = t * way[0] - px, t * way[1] - py, t * way[2] - pz
        square = px * px + py * py + pz * pz
        facing = px * a[v] + py * b[v] + pz * c[v]
        outward = (facing > 0) & (facing * facing > OUTWARD**2 * square)
        row[v] = BEHIND**2 * square if outward else square


@nb.njit(**_FINITE)
def _as_near(squares, least, first, vertices, numbers, found):  # type: ignore[no-untyped-def]
    """Add the bones that are as near as the nearest, by themselves too: where arrays may grow nothing is fast."""
    for s in range(len(squares)):
        for v in range(len(least)):
            if squares[s, v] <= (least[v] * TIED) ** 2:
                vertices[found], numbers[found] = first + v, s
                found += 1
    return found


@nb.njit(**_FINITE)
def _nearest(points, normals, starts, ends, floor):  # type: ignore[no-untyped-def]
    """Some vertices at a time: nothing of the size of vertices times bones is held."""
    count = points.shape[1]
    least = np.empty(count)
    squares = np.empty((len(starts), BLOCK))
    room = 2 * count + squares.size
    vertices, numbers, found = np.empty(room, np.int32), np.empty(room, np.int32), 0
    for first in range(0, count, BLOCK):
        size = min(BLOCK, count - first)
        x, y, z = points[0, first : first + size], points[1, first : first + size], points[2, first : first + size]
        a, b, c = normals[0, first : first + size], normals[1, first : first + size], normals[2, first : first + size]
        here = least[first : first + size]
        here[:] = 1e300
        for s in range(len(starts)):
            o, e = starts[s], ends[s]
            row = squares[s, :size]
            _squares(x, y, z, a, b, c, (o[0], o[1], o[2]), (e[0] - o[0], e[1] - o[1], e[2] - o[2]), row)
            for v in range(size):
                here[v] = min(here[v], row[v])
        for v in range(size):
            here[v] = max(np.sqrt(here[v]), floor)
        if found + squares.size > len(vertices):
            vertices, numbers = np.append(vertices, vertices[:found]), np.append(numbers, numbers[:found])
        found = _as_near(squares[:, :size], here, first, vertices, numbers, found)
    return least, vertices[:found].copy(), numbers[:found].copy()


def along_segment(points: NDArray[np.floating], segment: Segment) -> NDArray[np.float64]:
    """Where each vertex lies along a bone ``(V,)``, 0 at its joint, 1 at its end, not clamped."""
    along = segment.end - segment.start
    return np.asarray(((points - segment.start) @ along) / max(float(along @ along), 1e-18))
