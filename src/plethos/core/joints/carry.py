"""What follows a changed skeleton: bones, weights, clips and remedies go on meaning what they meant."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core import rotations
from plethos.core.character import Bones, Character
from plethos.core.clips import Clip, Track
from plethos.core.errors import BadEditError
from plethos.core.rotations import Array
from plethos.core.skeleton import Skeleton, rotation_from_json


@dataclass(frozen=True)
class JointChange:
    """From one skeleton to another.

    Parameters
    ----------
    before, after
        The two skeletons.
    origin
        ``(J',)`` which joint each of `after` was in `before`; -1 = it is new.
    heir
        ``{joint of before: joint of before}`` who takes the weights of each joint that is gone, -1 where nothing
        follows it.
    """

    before: Skeleton
    after: Skeleton
    origin: NDArray[np.int32]
    heir: Mapping[int, int]

    @cached_property
    def place(self) -> NDArray[np.int32]:
        """Where each joint of `before` is in `after` ``(J,)``; -1 = gone."""
        place = np.full(len(self.before), -1, dtype=np.int32)
        known = np.flatnonzero(self.origin >= 0)
        place[self.origin[known]] = known
        return place

    @property
    def keeps_order(self) -> bool:
        """Whether every joint has the number that it had."""
        return len(self.before) == len(self.after) and bool((self.place == np.arange(len(self.before))).all())

    @cached_property
    def still(self) -> NDArray[np.bool_]:
        """Which joints of `before` are still there, where and how they were in the world at rest ``(J,)``."""
        off = np.abs(self.before.rest_global - self.after.rest_global[np.maximum(self.place, 0)]).max(axis=(1, 2))
        return np.asarray((off < 1e-12) & (self.place >= 0))

    @cached_property
    def turn(self) -> Array:
        """How each joint's own frame was turned at rest ``(J, 4)``: new frame = old frame, then this."""
        out = np.tile(rotations.IDENTITY, (len(self.before), 1))
        for j in np.flatnonzero(~self.still & (self.place >= 0)).tolist():
            old, new = self.before.rest_global[j, :3, :3], self.after.rest_global[self.place[j], :3, :3]
            if _off(old, new) > 1e-12:
                out[j] = rotations.from_matrix(rotations.rotation_part(old).T @ rotations.rotation_part(new))
        return out

    def rotation(self, joint: int, rotation: Array) -> Array:
        """A rotation ``(..., 4)`` from rest in the joint's old frame, in its new one."""
        if self.still[joint]:
            return rotation
        turn = self.turn[joint]
        return rotations.multiply(rotations.multiply(rotations.conjugate(turn), rotation), turn)

    def axis(self, joint: int, axis: tuple[float, float, float]) -> tuple[float, float, float]:
        """An axis of the joint's old frame, in its new one."""
        x, y, z = (rotations.to_matrix(self.turn[joint]).T @ np.array(axis)).tolist()
        return (x, y, z)

    def pose(self, pose: Mapping[str, Any]) -> dict[str, Any]:
        """A pose as in a pose file, said of the new joints; joints that are gone are left out."""
        joints: dict[str, Any] = {}
        for name, entry in pose.get("joints", {}).items():
            j = self.before.index_of.get(name, -1)
            if j >= 0 and self.place[j] >= 0:
                turned = self.rotation(j, rotation_from_json(name, entry))
                joints[self.after.names[self.place[j]]] = {"quaternion_xyzw": turned.tolist()}
        return {"joints": joints}


def carried(character: Character, change: JointChange) -> Character:
    """The character on the changed skeleton. At rest its skin is where it was.

    Raises
    ------
    BadEditError
        When a joint is gone that a remedy is tied to.

    Notes
    -----
    A bone of a joint whose frame changed gets the inverse bind matrix that leaves the skin at rest as it was:
    ``G' B' = G B``, so ``B' = G'^-1 G B``. The same holds for a bone that passes from a deleted joint to its heir.
    """
    for remedy in character.remedies:
        lost = [j for j in (remedy.trigger.joints if remedy.trigger else ()) if change.place[j] < 0]
        if lost:
            raise BadEditError(
                f"“{character.skeleton.names[lost[0]]}” switches “{remedy.name}” on: untie or delete that remedy first."
            )
    bones, influences, weights = _bones(character, change)
    edited = replace(
        character,
        skeleton=change.after,
        bones=bones,
        influences=influences,
        weights=weights,
        clips=tuple(_clip(c, change) for c in character.clips),
        remedies=tuple(r.carried(change) for r in character.remedies),
    )
    kept = ("topology", "joint_weights") if change.keeps_order else ("topology",)
    edited.__dict__.update({k: v for k, v in character.__dict__.items() if k in kept})
    return edited


def _bones(character: Character, change: JointChange) -> tuple[Bones, NDArray[np.int32], NDArray[np.float32]]:
    bones, before, after = character.bones, change.before.rest_global, change.after.rest_global
    joint: list[int] = []
    binds: list[Array] = []
    group: list[int] = []
    row_of: dict[tuple[int, int], int] = {}
    fresh = np.zeros(len(bones.joint), dtype=np.int32)
    old = bones.joint.tolist()
    # Joints that are still there first: a deleted joint's weights go to the bone that its heir has already.
    for row in sorted(range(len(old)), key=lambda r: bool(change.place[old[r]] < 0)):
        now = int(change.place[old[row]])
        gone = now < 0
        if gone:
            heir = change.heir[old[row]]
            if heir < 0:
                continue  # nothing follows it
            now = int(change.place[heir])
        key = (int(bones.group[row]), now)
        if gone and key in row_of:
            fresh[row] = row_of[key]
            continue
        same = not gone and change.still[old[row]]
        inverse = bones.inverse_bind[row]
        row_of.setdefault(key, len(joint))
        fresh[row] = len(joint)
        joint.append(now)
        binds.append(inverse if same else np.linalg.solve(after[now], before[old[row]] @ inverse))
        group.append(key[0])
    same_rows = joint == old and np.array_equal(fresh, np.arange(len(old)))
    # The same array says that weights by joint number still mean what they meant.
    numbers = bones.joint if same_rows else np.array(joint, dtype=np.int32)
    table = Bones(numbers, np.array(binds).reshape(-1, 4, 4), bones.group if same_rows else np.array(group, np.int32))
    if np.array_equal(fresh, np.arange(len(old))):
        return table, character.influences, character.weights
    merged = _merged(fresh[character.influences], character.weights.copy())
    return table, merged[0], merged[1]


def _merged(
    influences: NDArray[np.int32], weights: NDArray[np.float32]
) -> tuple[NDArray[np.int32], NDArray[np.float32]]:
    """Rows in which no bone is named twice with a weight; changes the weights in place."""
    for k in range(1, influences.shape[1]):
        for i in range(k):
            twice = (influences[:, k] == influences[:, i]) & (weights[:, k] > 0) & (weights[:, i] > 0)
            weights[twice, i] += weights[twice, k]
            weights[twice, k] = 0
    return np.ascontiguousarray(influences, dtype=np.int32), weights


def _clip(clip: Clip, change: JointChange) -> Clip:
    tracks = []
    for track in clip.tracks:
        if track.channel == "weights":
            tracks.append(track)
        elif change.place[track.target] >= 0:
            tracks.append(_track(track, change))
    return replace(clip, tracks=tuple(tracks))


def _track(track: Track, change: JointChange) -> Track:
    """The same motion away from rest, in the joint's new frame."""
    j, before, after = track.target, change.before, change.after
    now, up = int(change.place[j]), int(before.parents[j])
    hangs_there = int(after.parents[now]) == (int(change.place[up]) if up >= 0 else -1)
    if change.still[j] and hangs_there and (up < 0 or change.still[up]):
        return track if now == j else replace(track, target=now)
    values: Array = track.values
    if track.channel == "rotation":
        rest = rotations.multiply(after.rest_rotation[now], rotations.conjugate(change.turn[j]))
        left = rotations.multiply(rest, rotations.conjugate(before.rest_rotation[j]))
        if max(_off(left, rotations.IDENTITY), _off(change.turn[j], rotations.IDENTITY)) > 1e-12:
            values = rotations.multiply(rotations.multiply(left, values), change.turn[j])
    elif track.channel == "translation":
        frame: Array = np.eye(3)
        shift = after.rest_translation[now] - before.rest_translation[j]
        new = int(after.parents[now])
        if up >= 0 and new >= 0:
            frame = np.asarray(np.linalg.solve(after.rest_global[new, :3, :3], before.rest_global[up, :3, :3]))
        if _off(frame, np.eye(3)) > 1e-12 or np.abs(shift).max() > 1e-12:
            # Tangents of a cubic track are differences: they turn with the frame but do not shift.
            rest = np.zeros_like(values)
            moved = np.zeros_like(values)
            keys = (slice(None), 1) if track.interpolation == "CUBICSPLINE" else (slice(None),)
            rest[keys], moved[keys] = before.rest_translation[j], after.rest_translation[now]
            values = np.asarray(moved + (values - rest) @ frame.T)
    return replace(track, target=now, values=values)


def _off(a: Array, b: Array) -> float:
    return float(np.abs(a - b).max())
