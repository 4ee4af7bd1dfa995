"""One pose while it is worked out: where every joint is turned to, and what every value stands at."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from plethos.core.geometry.rotations import Array
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.skeleton import Skeleton

# What a rule reads or writes: a joint's local transform (its number) or a value (its id).
Slot = int | str


@dataclass(eq=False, slots=True)
class Moment:
    """Scratch of one pose: rules write into it in the order of their program.

    Parameters
    ----------
    rotations
        Quaternions ``(J, 4)`` on top of rest.
    translations, scales
        ``(J, 3)`` as in `Pose`, or ``(0, 3)``.
    values
        ``(N,)`` one for each value of the rules.
    shape_weights
        What a clip or a person gives to the shapes of the file.
    weights, world, columns
        What comes next, where it was worked out in the same pass: how much of each target of the correctives is on
        ``(T,)``, world matrices ``(J, 4, 4)``, and bones ``(B, 16)`` of `kinematics.bone_rows`.
    """

    rotations: Array
    translations: Array
    scales: Array
    values: Array
    shape_weights: Mapping[int, float]
    weights: NDArray[np.float32] | None = None
    world: Array | None = None
    columns: NDArray[np.float32] | None = None

    def pose(self) -> Pose:
        """The joints as a pose, helpers among them."""
        moved, scaled = (a if len(a) else None for a in (self.translations, self.scales))
        return Pose(self.rotations, moved, scaled, self.shape_weights)


class Step(Protocol):
    """Rules of one kind, worked out in one compiled pass."""

    def run(self, moment: Moment, gains: Array) -> None:
        """Read from the moment and write into it.

        Parameters
        ----------
        gains
            ``(R,)`` how much of each remedy acts: amount times its group's factor, NaN where it does not act at all.
        """
        ...


@dataclass(frozen=True)
class Places:
    """Where the slots of a character lie in a moment.

    Parameters
    ----------
    skeleton
        Its joints.
    values
        Place of each value by id.
    remedies
        Place of each remedy by id.
    """

    skeleton: Skeleton
    values: Mapping[str, int]
    remedies: Mapping[str, int]

    def of(self, value: str | None) -> int:
        """The place of a value, -1 for none."""
        return -1 if value is None else self.values[value]


EMPTY: Array = np.zeros((0, 3))
