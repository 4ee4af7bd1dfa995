"""How fast the weights of stored poses change: what `MOST_STEP` bounds when a pose is added."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Sequence

import numpy as np

from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array, normalize

TENTH = math.radians(0.1)
LOOKED = 400  # poses drawn by lot at which it is looked, beside those stored


def steepest_change(weights: Callable[[Array], Array], stored: Array, axes: Sequence[Sequence[float]]) -> float:
    """The most that a weight changes when one joint turns by a tenth of a degree, as far as looked for.

    Looked for at the stored poses, on the ways between them, at both swung far (where a twist says least), and at
    `LOOKED` poses drawn by lot.

    Parameters
    ----------
    weights
        From rotations ``(N, M, 4)`` of the joints to the weights ``(N, P)``.
    stored
        ``(P, M, 4)`` the stored poses, rest among them.
    axes
        ``(M, 3)`` the bone of each joint in its rest frame.
    """
    near, lot = _on_the_ways(normalize(stored))
    frames = [np.linalg.svd(np.array(axis)[None])[2] for axis in axes]  # along the axis, then across it
    looked = np.concatenate([near, lot, *_swung_far(near, frames)])
    now, most = weights(looked), 0.0
    for m, frame in enumerate(frames):
        changes = []
        for about in frame:
            turned = looked.copy()
            turned[:, m] = rotations.multiply(looked[:, m], rotations.from_axis_angle(about, TENTH))
            changes.append(weights(turned) - now)
        most = max(most, float(np.linalg.norm(changes, axis=0).max()))
    return most


def _on_the_ways(stored: Array) -> tuple[Array, Array]:
    """The stored poses and what lies between any two of them; and others by lot."""
    a, b = np.triu_indices(len(stored), 1)
    ways = [rotations.slerp(stored[a], stored[b], t) for t in np.linspace(0.05, 0.95, 19)]
    lot = normalize(np.random.default_rng(0).normal(size=(LOOKED, *stored.shape[1:])))
    return np.concatenate([stored, *ways]), lot


def _swung_far(near: Array, frames: Sequence[Array]) -> list[Array]:
    """Each of these with one joint swung far across its axis."""
    found = []
    for m, frame in enumerate(frames):
        for turn, about in itertools.product(np.radians([140, 150, 155, 160, 165]), (*frame[1:], *-frame[1:])):
            far = near.copy()
            far[:, m] = rotations.multiply(rotations.from_axis_angle(about, turn), near[:, m])
            found.append(far)
    return found
