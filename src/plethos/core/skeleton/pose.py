"""A pose: how every joint is turned, moved and scaled on top of rest."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from plethos.core.errors import BadPoseError
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import FARTHEST, NOWHERE

_NONE: Array = np.zeros((0, 3))


def refuse_nowhere(farthest: float) -> None:
    """Refuse a pose in which the largest number of all joints' world matrices is that: whatever sees a pose asks here.

    Raises
    ------
    BadPoseError
        When it is so large that nothing could be seen there.
    """
    if not farthest < FARTHEST:
        raise BadPoseError(NOWHERE)


@dataclass(frozen=True)
class Pose:
    """What is turned away from rest.

    Parameters
    ----------
    rotations
        Quaternions ``(J, 4)`` on top of each joint's rest rotation, in its rest frame: local = rest * R.
    translations
        Metres ``(J, 3)`` added to the rest translation, in the parent's frame; None = none.
    scales
        Absolute joint scales ``(J, 3)`` that replace the rest stretch; NaN rows keep it; None = none.
    shape_weights
        Values ``{shape index: weight}`` that a clip gives to the shapes that came with the file.
    dials
        Values of dials by name; those left out stand at their start.
    """

    rotations: Array
    translations: Array | None = None
    scales: Array | None = None
    shape_weights: Mapping[int, float] | None = None
    dials: Mapping[str, float] | None = None

    def with_rotation(self, joint: int, rotation: Array) -> Pose:
        """The same pose with one joint's rotation replaced."""
        turned = self.rotations.copy()
        turned[joint] = rotation
        return replace(self, rotations=turned)

    def same(self, other: Pose) -> bool:
        """Whether another pose says the same of the same joints, to the bit."""
        if self.shape_weights != other.shape_weights or self.dials != other.dials:
            return False
        own = (self.rotations, self.translations, self.scales)
        theirs = (other.rotations, other.translations, other.scales)
        return all(
            a is b or (a is not None and b is not None and np.array_equal(a, b, equal_nan=True))
            for a, b in zip(own, theirs, strict=True)
        )
