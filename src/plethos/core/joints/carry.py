"""What follows a changed skeleton: bones, weights, clips and remedies go on meaning what they meant."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError, JointNeededError
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.skeleton.clips import Clip, Track
from plethos.core.skeleton.mapping import Vector, permuted, turned_axis, vector
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skin.binding import Binding, Bones


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

    @cached_property
    def still(self) -> NDArray[np.bool_]:
        """Which joints of `before` are still there, where and how they were in the world at rest ``(J,)``."""
        off = np.abs(self.before.rest_global - self.after.rest_global[np.maximum(self.place, 0)]).max(axis=(1, 2))
        return np.asarray((off < 1e-12) & (self.place >= 0))

    @cached_property
    def linear(self) -> Array:
        """From each joint's old pose frame to its new one ``(J, 3, 3)``: a turn, maybe a mirror, up to scale."""
        out = np.tile(np.eye(3), (len(self.before), 1, 1))
        for j in np.flatnonzero((self.place >= 0) & ~self._frame_stays).tolist():
            old, new = self.before.pose_frame(j), self.after.pose_frame(int(self.place[j]))
            if _off(old, new) > 1e-12:
                out[j] = np.linalg.solve(new, old)
        return out

    @cached_property
    def _frame_stays(self) -> NDArray[np.bool_]:
        """Which joints ``(J,)`` have the very rest rotation and stretch that they had, under parents that stay."""
        stays = np.zeros(len(self.before), bool)
        for j, now in enumerate(self.place.tolist()):
            up = int(self.before.parents[j])
            if now < 0 or int(self.after.parents[now]) != (int(self.place[up]) if up >= 0 else -1):
                continue
            stays[j] = (up < 0 or bool(self.still[up])) and np.array_equal(
                self.before.rest_rotation[j], self.after.rest_rotation[now]
            )
        return stays

    # What a `JointMap` says.

    def joint(self, j: int) -> int | None:
        return int(self.place[j]) if self.place[j] >= 0 else None

    def name(self, name: str) -> str | None:
        j = self.before.index_of.get(name)
        return None if j is None or self.place[j] < 0 else self.after.names[self.place[j]]

    def rotation(self, j: int, q: Array) -> Array:
        return q if self._frame_stays[j] else turned_axis(self.linear[j], q)

    def axis(self, j: int, a: Vector) -> Vector:
        if self._frame_stays[j]:
            return a
        return vector(rotations.axis_map(self.linear[j]) @ np.array(a))

    def offset(self, j: int, v: Vector) -> Vector:
        return v if j < 0 or self._frame_stays[j] else vector(self.linear[j] @ np.array(v))

    def stretch(self, j: int, s: Vector) -> Vector | None:
        # A stretch is said along the axes that the joint has after its turn: its own frame.
        return permuted(rotations.rotation_or_mirror(self.linear[j]), s)


def carried(character: Character, change: JointChange) -> Character:
    """The character on the changed skeleton. At rest its skin is where it was.

    Raises
    ------
    JointNeededError
        When a joint is gone that a remedy is tied to; see `Rules.without_joint`.

    Notes
    -----
    A bone of a joint whose frame changed gets the inverse bind matrix that leaves the skin at rest as it was:
    ``G' B' = G B``, so ``B' = G'^-1 G B``. The same holds for a bone that passes from a deleted joint to its heir.
    """
    for j in np.flatnonzero(change.place < 0).tolist():
        holding = character.rules.holding(j)
        if holding:
            raise JointNeededError(_needed(character.skeleton.names[j], holding))
    return replace(
        character,
        skeleton=change.after,
        binding=_binding(character.binding, change),
        clips=tuple(_clip(c, change) for c in character.clips),
        motions=tuple(m.carried(change) for m in character.motions),
        poses=tuple(p.carried(change, character.skeleton) for p in character.poses),
        rules=character.rules.carried(change, character.skeleton),
    )


def _needed(joint: str, holding: Sequence[str]) -> str:
    names = [f"“{h}”" for h in dict.fromkeys(holding)]
    told = ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")
    needs, those = ("need", "them") if len(names) > 1 else ("needs", "it")
    return f"{told} {needs} “{joint}”: untie or delete {those} first."


def _binding(binding: Binding, change: JointChange) -> Binding:
    bones, before, after = binding.bones, change.before.rest_global, change.after.rest_global
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
    binds_now = np.array(binds).reshape(-1, 4, 4)
    same_rows = joint == old and np.array_equal(fresh, np.arange(len(old)))
    if same_rows and len(change.before) == len(change.after) and np.array_equal(binds_now, bones.inverse_bind):
        return binding
    table = Bones(np.array(joint, np.int32), binds_now, np.array(group, np.int32))
    influences, weights = binding.influences, binding.weights
    if not np.array_equal(fresh, np.arange(len(old))):
        influences, weights = _merged(fresh[influences], weights.copy())
    return Binding(table, influences, weights, len(change.after), binding.blend)


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
        if track.channel in ("weights", "dial"):
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
        if not change._frame_stays[j]:
            # Local = rest * R: said of R, mapped, and put on the new rest; tangents are differences and go the same
            # way.
            turned = rotations.multiply(rotations.conjugate(before.rest_rotation[j]), values)
            values = rotations.multiply(after.rest_rotation[now], turned_axis(change.linear[j], turned))
    elif track.channel == "scale":
        values = _stretched(track, change)
    else:
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


def _stretched(track: Track, change: JointChange) -> Array:
    """Scales along the axes that a joint has now.

    Raises
    ------
    BadEditError
        When they are uneven and the frame was turned so that they lie along none of its axes.
    """
    j = track.target
    if change._frame_stays[j]:
        return track.values
    flat = track.values.reshape(-1, 3)
    rows = [change.stretch(j, vector(row)) for row in flat]
    if any(row is None for row in rows):
        name = change.before.names[j]
        raise BadEditError(
            f"A clip stretches “{name}” unevenly along its axes: its frame can be turned by quarter turns only."
        )
    return np.array(rows, dtype=np.float64).reshape(track.values.shape)


def _off(a: Array, b: Array) -> float:
    return float(np.abs(a - b).max())
