"""Clips: keyed motion of joints and of the shapes that came with a file."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np

from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.skeleton import Skeleton

Channel = Literal["rotation", "translation", "scale", "weights", "dial"]
Interpolation = Literal["LINEAR", "STEP", "CUBICSPLINE"]


@dataclass(frozen=True)
class Track:
    """The keys of one channel of one joint (or of one part's shapes).

    Parameters
    ----------
    channel
        What is keyed.
    target
        Joint index; for ``weights``, the index of the first shape it drives; of no use for ``dial``.
    times
        Seconds ``(N,)``, ascending.
    values
        ``(N, C)``; for CUBICSPLINE ``(N, 3, C)``: in-tangent, value, out-tangent, as glTF 2.0 defines it.
    dial
        The name of the dial that is keyed.
    """

    channel: Channel
    target: int
    times: Array
    values: Array
    interpolation: Interpolation = "LINEAR"
    dial: str = ""

    def at(self, time: float) -> Array:
        """The value ``(C,)`` at `time`; the first and the last key hold outside."""
        before, after, t = self.between(time)
        return rotations.slerp(before, after, t) if self.channel == "rotation" else (1 - t) * before + t * after

    def between(self, time: float) -> tuple[Array, Array, float]:
        """The two values ``(C,)`` that `time` lies between, and how far it is on the way, 0 to 1."""
        cubic = self.interpolation == "CUBICSPLINE"
        i = int(np.searchsorted(self.times, time, side="right")) - 1
        if i < 0 or i >= len(self.times) - 1:
            edge = self.values[0 if i < 0 else -1]
            value = edge[1] if cubic else edge
            return value, value, 0.0
        span = float(self.times[i + 1] - self.times[i])
        t = (time - float(self.times[i])) / span if span > 0 else 0.0
        if cubic:
            value = self._hermite(i, t, span)
            return value, value, 0.0
        return self.values[i], self.values[i + 1], 0.0 if self.interpolation == "STEP" else t

    def _hermite(self, i: int, t: float, span: float) -> Array:
        p0, m0 = self.values[i, 1], span * self.values[i, 2]
        p1, m1 = self.values[i + 1, 1], span * self.values[i + 1, 0]
        t2, t3 = t * t, t * t * t
        blend = (2 * t3 - 3 * t2 + 1) * p0 + (t3 - 2 * t2 + t) * m0
        return np.asarray(blend + (3 * t2 - 2 * t3) * p1 + (t3 - t2) * m1)


@dataclass(frozen=True)
class Clip:
    """A named motion of `duration` seconds."""

    name: str
    duration: float
    tracks: tuple[Track, ...]

    @cached_property
    def _turning(self) -> tuple[Track, ...]:
        return tuple(t for t in self.tracks if t.channel == "rotation")

    def pose_at(self, skeleton: Skeleton, time: float) -> Pose:
        """The pose at `time` seconds; joints without keys stay at rest."""
        turned = np.tile(rotations.IDENTITY, (len(skeleton), 1))
        if self._turning:
            # All at once: a clip that plays asks with every frame.
            before, after, shares = zip(*(t.between(time) for t in self._turning), strict=True)
            values = rotations.slerp(np.array(before), np.array(after), np.array(shares)[:, None])
            joints = [t.target for t in self._turning]
            turned[joints] = rotations.multiply(rotations.conjugate(skeleton.rest_rotation[joints]), values)
        moved = np.zeros((len(skeleton), 3))
        scales = np.full((len(skeleton), 3), np.nan)
        weights: dict[int, float] = {}
        dials: dict[str, float] = {}
        for track in self.tracks:
            if track.channel == "rotation":
                continue
            value, j = track.at(time), track.target
            if track.channel == "translation":
                moved[j] = value - skeleton.rest_translation[j]
            elif track.channel == "scale":
                scales[j] = value
            elif track.channel == "dial":
                dials[track.dial] = float(value[0])
            else:
                weights.update({j + k: float(w) for k, w in enumerate(value)})
        return Pose(turned, moved, scales, weights or None, dials or None)
