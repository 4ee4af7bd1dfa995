"""Bringing a motion onto a character: its joints turn as the motion's own do, from a common stance."""

from __future__ import annotations

from dataclasses import dataclass
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.motion.motion import Motion
from plethos.core.skeleton.clips import Clip, Track
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skeleton.symmetry import joint_mirror

# Every edit makes another character; motions and skeletons seldom change.
_known: WeakKeyDictionary[Motion, tuple[Skeleton, str, float, Clip]] = WeakKeyDictionary()


def clip_of(motion: Motion, skeleton: Skeleton, up: str = "y", mirror_x: float = 0.0) -> Clip:
    """The clip that a motion makes of a character's joints, made once as long as it is asked of the same.

    Parameters
    ----------
    up
        Which axis is up for the character.
    mirror_x
        The plane that it is mirrored across, metres.

    Notes
    -----
    An own method, of the plain kind. At rest the two skeletons stand differently, arms down or out: each bone of the
    character is first turned onto the direction that the motion's own bone has at rest, by the shortest turn, and goes
    on from there as that bone does. The root goes where the motion's goes, scaled by how long the legs are.
    """
    known = _known.get(motion)
    if known is not None and known[0] is skeleton and known[1:3] == (up, mirror_x):
        return known[3]
    clip = _clip_of(motion, skeleton, _Fit.of(motion, skeleton, up, mirror_x))
    _known[motion] = (skeleton, up, mirror_x, clip)
    return clip


def _clip_of(motion: Motion, skeleton: Skeleton, fit: _Fit) -> Clip:
    frames = len(motion)
    times: Array = np.arange(frames, dtype=np.float64) * motion.frame_time
    rest_world = rotations.from_matrix(np.stack([rotations.rotation_part(m[:3, :3]) for m in skeleton.rest_global]))
    world = np.empty((len(skeleton), frames, 4))
    tracks = []
    moved = rotations.multiply(rotations.multiply(fit.turn, motion.world), rotations.conjugate(fit.turn))
    for j in range(len(skeleton)):
        parent = int(skeleton.parents[j])
        # Where a joint has nothing to take on it keeps to its parent as at rest.
        above = np.tile(rotations.IDENTITY, (frames, 1)) if parent < 0 else world[parent]
        rest_above = rotations.IDENTITY if parent < 0 else rest_world[parent]
        source = fit.source[j]
        if source < 0:
            world[j] = rotations.multiply(above, rotations.multiply(rotations.conjugate(rest_above), rest_world[j]))
            continue
        world[j] = rotations.multiply(moved[:, source], rotations.multiply(fit.stance[j], rest_world[j]))
        local = rotations.multiply(rotations.conjugate(above), world[j])
        # In the frame that the file keys: what stands between it and the pure rotation of the rest frame is kept.
        own = rotations.multiply(rotations.conjugate(rest_above), rest_world[j])
        away = rotations.multiply(rotations.conjugate(own), local)
        value = rotations.multiply(skeleton.rest_rotation[j], away)
        tracks.append(Track("rotation", j, times, _unbroken(rotations.normalize(value))))
        slide = fit.slide(motion, skeleton, j, world[parent] if parent >= 0 else None, rest_world)
        if slide is not None:
            tracks.append(Track("translation", j, times, slide))
    if fit.root >= 0:
        way = fit.root_way(motion, skeleton, _lowest(skeleton, world, rest_world, fit))
        tracks.append(Track("translation", fit.root, times, way))
    return Clip(motion.name, motion.duration, tuple(tracks))


@dataclass(frozen=True, eq=False)
class _Fit:
    """How two skeletons lie on each other.

    Parameters
    ----------
    source
        ``(J,)`` which joint of the motion each joint takes on, -1 for none.
    turn
        Quaternion from the motion's world to the character's.
    stance
        ``(J, 4)`` how each bone turns at rest onto its source's bone.
    root
        The joint that is moved about, -1 for none.
    scale
        Metres per unit of the motion.
    """

    source: NDArray[np.int32]
    turn: Array
    stance: Array
    root: int
    scale: float

    @classmethod
    def of(cls, motion: Motion, skeleton: Skeleton, up: str, mirror_x: float) -> _Fit:
        number = {name: s for s, name in enumerate(motion.joints)}
        source = np.full(len(skeleton), -1, np.int32)
        for theirs, ours in motion.mapping.items():
            if theirs in number and ours in skeleton.index_of:
                source[skeleton.index_of[ours]] = number[theirs]
        there, here = motion.rest_places, skeleton.rest_global[:, :3, 3]
        upright = rotations.IDENTITY if up == "y" else rotations.from_axis_angle([1.0, 0, 0], np.pi / 2)
        facing = _facing(skeleton, mirror_x, source, there, here, rotations.to_matrix(upright), up)
        turn = rotations.multiply(facing, upright)
        matrix = rotations.to_matrix(turn)
        stance = np.tile(rotations.IDENTITY, (len(skeleton), 1))
        ours_long = theirs_long = 0.0
        for j in range(len(skeleton)):
            if source[j] < 0:
                continue
            ends = _ends(skeleton, source, j)
            if len(ends) == 0 or (len(ends) == 1 and not _along_bone(skeleton, j, int(ends[0]))):
                # The end of a chain stands as what it hangs on, and so does a hand of which only the thumb is known.
                above = _above(skeleton, source, j)
                stance[j] = rotations.IDENTITY if above < 0 else stance[above]
                continue
            own = (here[ends] - here[j]).mean(axis=0)
            wanted = matrix @ (there[source[ends]] - there[source[j]]).mean(axis=0)
            ours_long += float(np.linalg.norm(own))
            theirs_long += float(np.linalg.norm(wanted))
            if len(ends) == 1:
                stance[j] = rotations.shortest(own, wanted)
        mapped = [j for j in range(len(skeleton)) if source[j] >= 0]
        root = mapped[0] if mapped and motion.parents[source[mapped[0]]] < 0 else -1
        scale = float(ours_long / theirs_long) if theirs_long > 1e-9 else 1.0
        return cls(source, turn, stance, root, scale)

    def slide(self, motion: Motion, skeleton: Skeleton, joint: int, above: Array | None, rest: Array) -> Array | None:
        """Where a joint is keyed to be ``(F, 3)`` in its parent, where the motion also slides the one that it takes on.

        Parameters
        ----------
        above
            How its parent is turned in the world ``(F, 4)``; None = it has none.
        rest
            How all are turned at rest ``(J, 4)``.
        """
        source, parent = int(self.source[joint]), int(skeleton.parents[joint])
        slid = motion.slide_of(source)
        if slid is None or above is None or joint == self.root:
            return None
        turned = rotations.multiply(self.turn, motion.world[:, motion.parents[source]])
        away = self.scale * np.einsum("fij,fj->fi", rotations.to_matrix(turned), slid)
        # The parent as it is turned, with whatever stretch it has at rest.
        back = rotations.to_matrix(rotations.multiply(above, rotations.conjugate(rest[parent])))
        frame = back @ skeleton.rest_global[parent, :3, :3]
        return np.asarray(skeleton.rest_translation[joint] + np.linalg.solve(frame, away[..., None])[..., 0])

    def root_way(self, motion: Motion, skeleton: Skeleton, lowest: Array) -> Array:
        """Where the root is keyed to be ``(F, 3)``, in its parent.

        Parameters
        ----------
        lowest
            How far ``(F,)`` below the root the lowest joint is, as the joints are turned.
        """
        matrix = rotations.to_matrix(self.turn)
        upwards = matrix @ np.array([0.0, 1.0, 0.0])
        moved = np.asarray(motion.places, np.float64) - motion.places[0]
        # It begins over where the character stands, and where its feet come lowest they are as low as at rest.
        away = self.scale * (moved @ matrix.T)
        here = skeleton.rest_global[:, :3, 3] @ upwards
        lift = here.min() - here[self.root] - (away @ upwards - lowest).min()
        away = away + lift * upwards
        parent = int(skeleton.parents[self.root])
        frame = np.eye(3) if parent < 0 else skeleton.rest_global[parent, :3, :3]
        return np.asarray(skeleton.rest_translation[self.root] + away @ np.linalg.inv(frame).T)


def _lowest(skeleton: Skeleton, world: Array, rest_world: Array, fit: _Fit) -> Array:
    """How far ``(F,)`` below the root the lowest joint is, as all are turned ``(J, F, 4)``."""
    upwards = rotations.to_matrix(fit.turn) @ np.array([0.0, 1.0, 0.0])
    rest = skeleton.rest_global[:, :3, 3]
    places = np.zeros((len(skeleton), world.shape[1], 3))
    for j in range(len(skeleton)):
        parent = int(skeleton.parents[j])
        if parent >= 0:
            back = rotations.to_matrix(rotations.multiply(world[parent], rotations.conjugate(rest_world[parent])))
            places[j] = places[parent] + back @ (rest[j] - rest[parent])
    heights = places @ upwards
    return np.asarray(heights[fit.root] - heights.min(axis=0))


def _facing(
    skeleton: Skeleton, mirror_x: float, source: NDArray[np.int32], there: Array, here: Array, upright: Array, up: str
) -> Array:
    """The turn about the upright axis that lays the motion's left and right onto the character's."""
    pairs = joint_mirror(skeleton, mirror_x)
    ours, theirs = np.zeros(3), np.zeros(3)
    for j, other in enumerate(pairs.tolist()):
        if other > j and source[j] >= 0 and source[other] >= 0:
            ours += here[j] - here[other]
            theirs += upright @ (there[source[j]] - there[source[other]])
    axis = np.array([0.0, 1, 0] if up == "y" else [0.0, 0, 1])
    ours, theirs = (v - (v @ axis) * axis for v in (ours, theirs))
    if min(np.linalg.norm(ours), np.linalg.norm(theirs)) < 1e-9:
        return rotations.IDENTITY
    angle = np.arctan2(np.cross(theirs, ours) @ axis, theirs @ ours)
    return rotations.from_axis_angle(axis, angle)


def _above(skeleton: Skeleton, source: NDArray[np.int32], joint: int) -> int:
    """The nearest joint above that takes something on, -1 for none."""
    up = int(skeleton.parents[joint])
    while up >= 0 and source[up] < 0:
        up = int(skeleton.parents[up])
    return up


def _along_bone(skeleton: Skeleton, joint: int, end: int) -> bool:
    """Whether a joint's bone goes on to another below it, or that one hangs beside."""
    child = skeleton.main_child(joint)
    while end >= 0 and int(skeleton.parents[end]) != joint:
        end = int(skeleton.parents[end])
    return child is None or child == end


def _ends(skeleton: Skeleton, source: NDArray[np.int32], joint: int) -> NDArray[np.intp]:
    """The joints that take something on and hang next below."""
    return np.array([j for j in np.flatnonzero(source >= 0) if _above(skeleton, source, int(j)) == joint], np.intp)


def _unbroken(values: Array) -> Array:
    """The same rotations ``(F, 4)`` with signs such that each is the near one to the last."""
    turns = np.sign(np.einsum("fc,fc->f", values[1:], values[:-1]))
    return np.asarray(values * np.concatenate([[1.0], np.cumprod(np.where(turns == 0, 1.0, turns))])[:, None])
