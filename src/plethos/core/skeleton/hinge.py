"""The axis that a joint bends about, and how far."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from plethos.core.geometry.rotations import Array


@dataclass(frozen=True)
class Hinge:
    """The axis a joint mainly bends about, and how far it goes.

    Parameters
    ----------
    axis
        Unit axis in the joint's rest frame.
    low, high
        Range of motion about it, radians; less than a whole turn apart, so that an angle can be told.
    others
        Ranges about the two axes across it, where they are known: first about the one along the bone (roll), then
        the other swing; (0, 0) = it does not turn about that.
    """

    axis: tuple[float, float, float]
    low: float
    high: float
    others: tuple[tuple[float, float], tuple[float, float]] | None = None

    @property
    def mirrored_others(self) -> tuple[tuple[float, float], tuple[float, float]] | None:
        """Those of the mirror image, whose hinge turns the same way: there the two across it turn the other way."""
        if self.others is None:
            return None
        (a, b), (c, d) = self.others
        return ((-b, -a), (-d, -c))

    def range_about(
        self, axis: tuple[float, float, float], across: Callable[[], tuple[Array, Array]]
    ) -> tuple[float, float] | None:
        """How far the joint goes about an axis, radians; None where that is none of its own.

        Parameters
        ----------
        across
            Gives the axes that `others` are about.
        """
        (x, y, z), (a, b, c) = self.axis, axis  # three numbers: a product of arrays takes ten times as long
        along = x * a + y * b + z * c
        if abs(along) > 0.999:
            return (self.low, self.high) if along > 0 else (-self.high, -self.low)
        for own, span in zip(across(), self.others, strict=True) if self.others else ():
            along = float(own @ axis)
            if abs(along) > 0.999 and span[0] < span[1]:
                return span if along > 0 else (-span[1], -span[0])
        return None


def guessed_hinge(frame: Array, before: Array, after: Array) -> Hinge:
    """The hinge of a joint of which nothing is known.

    Its own axis that lies best along the bend which the bones already have at rest, and never the one along the bone;
    the range is generous.

    Parameters
    ----------
    frame
        ``(3, 3)`` the joint's axes at rest in the world, as columns.
    before, after
        ``(3,)`` the bones that end and begin at it, in the world; 0 where there is none.
    """
    frame = frame / np.maximum(np.linalg.norm(frame, axis=0), 1e-12)
    bone = after if np.linalg.norm(after) > 1e-9 else before
    bone = bone / max(float(np.linalg.norm(bone)), 1e-12)
    across = np.abs(np.cross(before, after) @ frame)
    across = across / max(float(across.max()), 1e-12)
    # Without a bend at rest all axes across the bone are as good; the last wins.
    score = across * 0.5 + np.where(np.abs(bone @ frame) > 0.7, -10.0, 0.0) + np.array([0.0, 0.01, 0.02])
    axis = [0.0, 0.0, 0.0]
    axis[int(np.argmax(score))] = 1.0
    return Hinge((axis[0], axis[1], axis[2]), -np.pi / 2, 5 * np.pi / 6)
