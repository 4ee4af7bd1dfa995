"""The response: a monotone curve through knots, from an angle or a value to a value of any unit."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike, NDArray

from plethos.core.errors import BadEditError
from plethos.core.geometry.rotations import Array

MOST = 1e6  # no input and no value is larger
FURTHER = 0.05  # of the way: a curve is not led on by less

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
    inputs
        ``(N,)`` what is read, strictly ascending, N >= 2: radians of an angle, the unit of a value.
    values
        ``(N,)`` what it gives there, in the unit of what it drives.

    References
    ----------
    Fritsch and Carlson, "Monotone piecewise cubic interpolation", SIAM J. Numer. Anal. 17 (1980), with the
    harmonic-mean slopes of Fritsch and Butland (1984) that `scipy.interpolate.PchipInterpolator` uses.
    """

    inputs: tuple[float, ...]
    values: tuple[float, ...]

    def __post_init__(self) -> None:
        a, v = self.inputs, self.values
        if len(a) < 2 or len(a) != len(v):
            raise BadEditError("A response needs at least two knots, each with an input and a value.")
        # Not a number is at no distance from 0.
        if not all(abs(x) <= MOST for x in (*a, *v)):
            raise BadEditError("The knots of a response have to be finite numbers of a sensible size.")
        if not all(after - before > 1e-6 for before, after in itertools.pairwise(a)):
            raise BadEditError("The knots of a response have to be at different inputs, in ascending order.")

    @property
    def ends(self) -> tuple[float, float]:
        """The inputs of the first and the last knot."""
        return self.inputs[0], self.inputs[-1]

    def within(self, low: float, high: float) -> Response:
        """This response, whose values have to lie between two numbers.

        Raises
        ------
        BadEditError
            When one does not.
        """
        if min(self.values) < low or max(self.values) > high:
            raise BadEditError(f"The values of this response have to lie between {low:g} and {high:g}.")
        return self

    @classmethod
    def of_knots(cls, knots: Sequence[tuple[float, float]]) -> Response:
        """The curve through pairs of input and value, in any order."""
        inputs, values = zip(*sorted(knots), strict=True) if knots else ((), ())
        return cls(inputs, values)

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
        return cls.of_knots([(start + u * (end - start), v) for u, v in zip(shares, values, strict=True)])

    @cached_property
    def slopes(self) -> tuple[float, ...]:
        """The slope ``(N,)`` at each knot."""
        # Plain numbers: knots are few, and one that is dragged asks with every frame.
        h = [after - before for before, after in itertools.pairwise(self.inputs)]
        d = [(after - before) / h[k] for k, (before, after) in enumerate(itertools.pairwise(self.values))]
        if len(h) == 1:
            return d[0], d[0]
        inner = [
            _mean_slope(h[k], h[k + 1], d[k], d[k + 1]) if d[k] * d[k + 1] > 0 else 0.0 for k in range(len(h) - 1)
        ]  # fmt: skip
        return _end_slope(h[0], h[1], d[0], d[1]), *inner, _end_slope(h[-1], h[-2], d[-1], d[-2])

    @cached_property
    def rows(self) -> Array:
        """Inputs, values and slopes ``(3, N)``, as compiled loops read them."""
        return np.array([self.inputs, self.values, self.slopes], np.float64)

    def at(self, given: ArrayLike) -> NDArray[np.float64]:
        """Values at inputs of any shape."""
        x, y, m = np.array(self.inputs), np.array(self.values), np.array(self.slopes)
        a = np.clip(np.asarray(given, dtype=np.float64), x[0], x[-1])
        i = np.clip(np.searchsorted(x, a, side="right") - 1, 0, len(x) - 2)
        h = x[i + 1] - x[i]
        t = (a - x[i]) / h
        rise = t * t * (3 - 2 * t)
        tangents = h * (t * (1 - t) ** 2 * m[i] - t * t * (1 - t) * m[i + 1])
        return np.asarray(np.clip(y[i] + rise * (y[i + 1] - y[i]) + tangents, y.min(), y.max()))

    @property
    def start(self) -> float:
        """The input at which it begins to act: the last knot of value 0 before it rises."""
        return self._ends()[0]

    @property
    def end(self) -> float:
        """The input at which it is fully on, or as far on as it gets."""
        return self._ends()[1]

    def _ends(self) -> tuple[float, float]:
        rising = self.values[-1] >= self.values[0]
        order: Sequence[int] = range(len(self.values)) if rising else range(len(self.values) - 1, -1, -1)
        values = [self.values[i] for i in order]
        first = max((k for k in range(len(values)) if max(values[: k + 1]) <= 1e-9), default=0)
        last = int(np.argmax(values))
        return self.inputs[order[first]], self.inputs[order[last]]

    def furthered(self, to: float) -> tuple[Response, float] | None:
        """This curve on to an input beyond its end, where it is fully on from then on.

        Returns
        -------
        tuple of Response and float, or None
            The longer curve, which gives at each knot up to the old end the same share, the second, of what it gave.
            None where `to` does not lie well beyond the end, or the curve comes down again there.
        """
        start, end = self._ends()
        knots = list(zip(self.inputs, self.values, strict=True))
        share = (end - start) / (to - start) if to != start else 0.0
        if not 0 < share <= 1 - FURTHER or any(v != 1 for a, v in knots if (a - end) * (to - end) >= 0):
            return None
        return Response.of_knots([*((a, v * share) for a, v in knots if (a - end) * (to - end) <= 0), (to, 1.0)]), share

    def flipped(self) -> Response:
        """The same curve for the other direction."""
        return Response(tuple(-a for a in reversed(self.inputs)), tuple(reversed(self.values)))


def _mean_slope(h0: float, h1: float, d0: float, d1: float) -> float:
    """The weighted harmonic mean of the slopes on both sides."""
    w0, w1 = 2 * h1 + h0, h1 + 2 * h0
    with np.errstate(over="ignore"):  # beside a slope next to none it is none
        return (w0 + w1) / (w0 / d0 + w1 / d1)


def _end_slope(h0: float, h1: float, d0: float, d1: float) -> float:
    """One-sided three-point slope, limited so that the curve keeps its shape."""
    slope = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1)
    if slope * d0 <= 0:
        return 0.0
    if d0 * d1 <= 0 and abs(slope) > 3 * abs(d0):
        return 3 * d0
    return slope


def packed_curves(curves: Sequence[Response]) -> tuple[NDArray[np.int32], Array]:
    """Several responses one after the other, as compiled loops read them.

    Returns
    -------
    offsets, knots
        ``(N + 1,)`` and ``(3, K)``: `Response.rows` of curve n are ``knots[:, offsets[n]:offsets[n + 1]]``.
    """
    offsets = np.array([0, *itertools.accumulate(len(c.inputs) for c in curves)], np.int32)
    if len(curves) == 1:  # with every move of a knot that is dragged
        return offsets, curves[0].rows
    return offsets, np.concatenate([np.empty((3, 0)), *(c.rows for c in curves)], axis=1)
