"""Colours of joints, so that the weights of all of them can be looked at together."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.skeleton.skeleton import Skeleton

# Eight colours that colour-blind eyes tell apart: Okabe and Ito, "Color universal design" (2008), from memory; black is
# left out, since dark skin would sink into the ground of the view. Linear RGB is made of them below.
PALETTE = ("#e69f00", "#56b4e9", "#009e73", "#f0e442", "#0072b2", "#d55e00", "#cc79a7", "#b8b3ad")


def _linear(colour: str) -> list[float]:
    values = [int(colour[k : k + 2], 16) / 255 for k in (1, 3, 5)]
    return [v / 12.92 if v <= 0.04045 else ((v + 0.055) / 1.055) ** 2.4 for v in values]


@lru_cache(maxsize=8)
def _of_joints(parents: tuple[int, ...]) -> NDArray[np.float32]:
    """Linear RGB ``(J, 3)``: a joint never has the colour of its parent or of an older sibling where that can be."""
    table = np.array([_linear(c) for c in PALETTE], dtype=np.float32)
    chosen: list[int] = []
    for j, parent in enumerate(parents):
        siblings = sum(parents[k] == parent for k in range(j))
        # After the parent's colour and those of the older siblings; more siblings than colours go round.
        chosen.append(((chosen[parent] + 1 if parent >= 0 else 0) + siblings) % len(PALETTE))
    return table[chosen]


def joint_colours(skeleton: Skeleton) -> NDArray[np.float32]:
    """The colour ``(J, 3)`` of each joint, linear RGB."""
    return _of_joints(tuple(skeleton.joint_parents))


def mixed_colours(weights: NDArray[np.floating] | sparse.csr_matrix, skeleton: Skeleton) -> NDArray[np.float32]:
    """The colours ``(V, 3)`` of the joints that each vertex follows, mixed by its weights ``(V, J)``."""
    return np.asarray(weights @ joint_colours(skeleton), dtype=np.float32)
