"""The response: the curve from angle to activation."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike, NDArray

from plethos.core.errors import BadEditError
from plethos.core.rotations import Array

# Activation at 1/4, 1/2 and 3/4 of the way from start to end. Volume is lost late in a bend, so "late" (the
# square of the way) suits elbows best: common practice, no source.
PRESETS: dict[str, tuple[float, float, float]] = {
    "linear": (0.25, 0.5, 0.75),
    "ease": (0.15625, 0.5, 0.84375),
    "early": (0.4375, 0.75, 0.9375),
    "late": (0.0625, 0.25, 0.5625),
}


@dataclass(frozen=True)
class Response:
    """A monotone curve through knots, flat outside them.

    Parameters
    ----------
    angles
        Radians ``(N,)``, strictly ascending, N >= 2.
    values
        Activations ``(N,)`` in [0, 1].

    References
    ----------
    Fritsch and Carlson, "Monotone piecewise cubic interpolation", SIAM J. Numer. Anal. 17 (1980), with the
    harmonic-mean slopes of Fritsch and Butland (1984) that `scipy.interpolate.PchipInterpolator` uses.
    """

    angles: tuple[float, ...]
    values: tuple[float, ...]

    def __post_init__(self) -> None:
        a, v = np.array(self.angles, dtype=np.float64), np.array(self.values, dtype=np.float64)
        if len(a) < 2 or len(a) != len(v):
            raise BadEditError("A response needs at least two knots, each with an angle and a value.")
        if not (np.isfinite(a).all() and np.isfinite(v).all()):
            raise BadEditError("The knots of a response have to be finite numbers.")
        if not (np.diff(a) > 1e-6).all():
            raise BadEditError("The knots of a response have to be at different angles, in ascending order.")
        if v.min() < 0 or v.max() > 1:
            raise BadEditError("The values of a response have to lie between 0 and 1.")

    @classmethod
    def preset(cls, name: str, start: float, end: float) -> Response:
        """A preset from 0 at `start` to 1 at `end` (radians; `end` may be below `start`)."""
        if name not in PRESETS:
            raise BadEditError(f"There is no preset called “{name}”; there are {', '.join(PRESETS)}.")
        if abs(end - start) < 1e-4:
            raise BadEditError("Start and end of a trigger have to be different angles.")
        # A straight line needs no knots on the way.
        shares = (0.0, 1.0) if name == "linear" else (0.0, 0.25, 0.5, 0.75, 1.0)
        values = (0.0, 1.0) if name == "linear" else (0.0, *PRESETS[name], 1.0)
        knots = sorted((start + u * (end - start), v) for u, v in zip(shares, values, strict=True))
        return cls(tuple(a for a, _ in knots), tuple(v for _, v in knots))

    @cached_property
    def _slopes(self) -> Array:
        x, y = np.array(self.angles), np.array(self.values)
        h, d = np.diff(x), np.diff(y) / np.diff(x)
        m = np.zeros(len(x))
        if len(x) == 2:
            m[:] = d[0]
            return m
        same = d[:-1] * d[1:] > 0
        w1, w2 = 2 * h[1:] + h[:-1], h[1:] + 2 * h[:-1]
        with np.errstate(divide="ignore", invalid="ignore"):
            m[1:-1] = np.where(same, (w1 + w2) / (w1 / d[:-1] + w2 / d[1:]), 0.0)
        m[0], m[-1] = _end_slope(h[0], h[1], d[0], d[1]), _end_slope(h[-1], h[-2], d[-1], d[-2])
        return m

    def at(self, angle: ArrayLike) -> NDArray[np.float64]:
        """Activation at angles of any shape, radians."""
        x, y, m = np.array(self.angles), np.array(self.values), self._slopes
        a = np.clip(np.asarray(angle, dtype=np.float64), x[0], x[-1])
        i = np.clip(np.searchsorted(x, a, side="right") - 1, 0, len(x) - 2)
        h = x[i + 1] - x[i]
        t = (a - x[i]) / h
        rise = t * t * (3 - 2 * t)
        tangents = h * (t * (1 - t) ** 2 * m[i] - t * t * (1 - t) * m[i + 1])
        return np.asarray(np.clip(y[i] + rise * (y[i + 1] - y[i]) + tangents, 0.0, 1.0))

    def value(self, angle: float) -> float:
        """`at` for one angle, without the cost of arrays: every frame asks every trigger."""
        x, y, m = self.angles, self.values, self._slope_list
        a = min(max(angle, x[0]), x[-1])
        i = min(max(bisect_right(x, a) - 1, 0), len(x) - 2)
        h = x[i + 1] - x[i]
        t = (a - x[i]) / h
        rise = t * t * (3 - 2 * t)
        tangents = h * (t * (1 - t) ** 2 * m[i] - t * t * (1 - t) * m[i + 1])
        return min(max(y[i] + rise * (y[i + 1] - y[i]) + tangents, 0.0), 1.0)

    @cached_property
    def _slope_list(self) -> list[float]:
        return [float(s) for s in self._slopes]

    @property
    def start(self) -> float:
        """The angle at which it begins to act: the last knot of value 0 before it rises (radians)."""
        return self._ends()[0]

    @property
    def end(self) -> float:
        """The angle at which it is fully on, or as far on as it gets (radians)."""
        return self._ends()[1]

    def _ends(self) -> tuple[float, float]:
        rising = self.values[-1] >= self.values[0]
        order: Sequence[int] = range(len(self.values)) if rising else range(len(self.values) - 1, -1, -1)
        values = [self.values[i] for i in order]
        first = max((k for k in range(len(values)) if max(values[: k + 1]) <= 1e-9), default=0)
        last = int(np.argmax(values))
        return self.angles[order[first]], self.angles[order[last]]

    def flipped(self) -> Response:
        """The same curve for the other direction of the joint."""
        return Response(tuple(-a for a in reversed(self.angles)), tuple(reversed(self.values)))


def _end_slope(h0: float, h1: float, d0: float, d1: float) -> float:
    """One-sided three-point slope, limited so that the curve keeps its shape."""
    slope = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1)
    if np.sign(slope) != np.sign(d0):
        return 0.0
    if np.sign(d0) != np.sign(d1) and abs(slope) > 3 * abs(d0):
        return float(3 * d0)
    return float(slope)
