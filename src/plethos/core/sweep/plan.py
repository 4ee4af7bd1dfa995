"""The plan of a sweep: which poses a character is walked through."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.geometry import rotations
from plethos.core.joints.motions import JointMotion, Said, Turn, motions_of
from plethos.core.measure.region import shared_with
from plethos.core.measure.travel import bent
from plethos.core.skeleton.clips import Clip
from plethos.core.skeleton.hinge import Hinge
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.pose_files import pose_from_document
from plethos.core.weights.bones import twist_joints

Kind = Literal["joint", "pair", "kept_pose", "clip"]
THIRDS = (1 / 3, 2 / 3, 1.0)
SAME_SKIN = 0.1  # of the smaller region: two joints that share so much of it bend the same skin
FAR = math.radians(20)  # a way of a pair has to go as far
TURNED = math.radians(5)  # a joint that turns less in a kept pose or a clip is not measured there


@dataclass(frozen=True, eq=False)
class Stop:
    """One pose on a way.

    Parameters
    ----------
    at
        Radians of the last of the way's joints; seconds of a clip.
    """

    at: float
    pose: Pose


@dataclass(frozen=True, eq=False)
class Way:
    """A run of poses that is measured as one: a joint in one direction, a pair of them, a kept pose, a clip.

    Parameters
    ----------
    joints
        That are measured: the joint that turns, a parent and its child; of a kept pose or a clip those that turn in it.
    axis, direction
        About which and which way the last of the joints turns; None and 0 for kept poses and clips.
    said
        Who says how far; *file* for kept poses and clips.
    name
        Of the kept pose or the clip.
    turn
        How the last of the joints turns; None for kept poses and clips.
    """

    kind: Kind
    joints: tuple[int, ...]
    stops: tuple[Stop, ...]
    axis: tuple[float, float, float] | None = None
    direction: int = 0
    said: Said = "file"
    name: str = ""
    turn: Turn | None = None


@dataclass(frozen=True)
class Scope:
    """What of a character is swept.

    Parameters
    ----------
    joints
        Of which; None = of all.
    step
        Radians between two poses of a joint.
    past
        How much further than the end of its range, as a share of that.
    pairs, kept_poses
        Whether pairs and kept poses are.
    clips
        Names of clips; None = all.
    clip_step
        Seconds between two moments of a clip.
    """

    joints: frozenset[int] | None = None
    step: float = math.radians(10)
    past: float = 0.1
    pairs: bool = True
    kept_poses: bool = True
    clips: tuple[str, ...] | None = None
    clip_step: float = 0.1

    def has(self, joint: int) -> bool:
        return self.joints is None or joint in self.joints


def swept_joints(character: Character) -> dict[int, NDArray[np.bool_]]:
    """The joints that bend skin, from the root outwards, with the vertices ``(V,)`` that they share with others.

    Not those that others turn: twist joints and helpers.

    Raises
    ------
    BadEditError
        When there is none.
    """
    skeleton = character.skeleton
    if not skeleton.is_joint.any():
        raise BadEditError("There are no joints to turn: lay a skeleton in Bind first.")
    if not character.is_bound:
        raise BadEditError("No skin follows the joints yet: bind it first.")
    twists = twist_joints(skeleton)
    shared = {j: shared_with(character, j) for j in np.flatnonzero(skeleton.is_joint).tolist() if j not in twists}
    own = {j: mask for j, mask in shared.items() if mask.any()}
    if not own:
        raise BadEditError("No joint bends any skin here: all of it follows one joint at a time.")
    return own


def joint_ways(character: Character, joint: int, proposed: Mapping[int, Hinge], scope: Scope) -> Iterator[Way]:
    """The ways of one joint: each of its motions in both directions."""
    rest = character.skeleton.rest_pose()
    for motion in motions_of(character, joint, proposed):
        for direction in (1, -1):
            end = abs(motion.end(direction))
            if not end:
                continue
            steps = [k * scope.step for k in range(1, math.ceil(end / scope.step - 1e-9))]
            angles = [*steps, end, *([(1 + scope.past) * end] if scope.past > 0 else [])]
            stops = tuple(Stop(direction * a, bent(rest, joint, motion.axis, direction * a)) for a in angles)
            yield Way("joint", (joint,), stops, motion.axis, direction, motion.said, turn=motion.turn)


def pairs_of(character: Character, swept: Mapping[int, NDArray[np.bool_]], scope: Scope) -> list[tuple[int, int]]:
    """Joints that bend the same skin as their parents."""
    parents, found = character.skeleton.joint_parents, []
    for j, shared in swept.items():
        parent = parents[j]
        if parent in swept and (scope.has(j) or scope.has(parent)):
            both = int((shared & swept[parent]).sum())
            if both >= SAME_SKIN * min(shared.sum(), swept[parent].sum()):
                found.append((parent, j))
    return found


def pair_ways(
    character: Character, pairs: Sequence[tuple[int, int]], proposed: Mapping[int, Hinge], scope: Scope
) -> Iterator[Way]:
    """The ways of parents with their children: both hinges at thirds of their longer sides."""
    rest = character.skeleton.rest_pose()
    for parent, child in pairs:
        first, second = (_longer(motions_of(character, j, proposed)[0]) for j in (parent, child))
        if first is None or second is None:
            continue
        (upper, a), (lower, b) = first, second
        stops = []
        for share in THIRDS:
            held = bent(rest, parent, upper.axis, share * a)
            stops += [Stop(t * b, bent(held, child, lower.axis, t * b)) for t in THIRDS]
        said = max((upper.said, lower.said), key=("file", "proposed", "guessed").index)
        yield Way("pair", (parent, child), tuple(stops), lower.axis, 1 if b > 0 else -1, said, turn=lower.turn)


def _longer(motion: JointMotion) -> tuple[JointMotion, float] | None:
    end = max((motion.end(1), motion.end(-1)), key=abs)
    return (motion, end) if abs(end) >= FAR else None


def kept_pose_ways(character: Character, swept: Sequence[int]) -> Iterator[Way]:
    """Each kept pose."""
    for kept in character.poses:
        pose = pose_from_document(character.skeleton, kept.pose)
        turned = _turned([pose], swept)
        if turned:
            yield Way("kept_pose", turned, (Stop(0.0, pose),), name=kept.name)


def clip_ways(character: Character, swept: Sequence[int], scope: Scope) -> Iterator[Way]:
    """Each clip, at ten frames a second."""
    for clip in character.all_clips:
        if scope.clips is not None and clip.name not in scope.clips:
            continue
        stops = clip_stops(character, clip, np.arange(0, clip.duration + 1e-9, scope.clip_step).tolist())
        turned = _turned([s.pose for s in stops], swept)
        if turned:
            yield Way("clip", turned, stops, name=clip.name)


def clip_stops(character: Character, clip: Clip, times: Sequence[float]) -> tuple[Stop, ...]:
    """Moments (seconds) of a clip."""
    return tuple(Stop(t, clip.pose_at(character.skeleton, t)) for t in times)


def _turned(poses: Sequence[Pose], swept: Sequence[int]) -> tuple[int, ...]:
    """Which joints turn by more than a little in any of the poses."""
    most = np.max([rotations.angle(p.rotations[list(swept)]) for p in poses], axis=0)
    return tuple(j for j, angle in zip(swept, most.tolist(), strict=True) if angle > TURNED)
