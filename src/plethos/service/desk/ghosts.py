"""Ghosts: other skins that are seen through the one that is worked on, and what a sculpt has moved."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from plethos.core.geometry.topology import extent
from plethos.core.rules.program import NONE
from plethos.core.skeleton.pose import Pose
from plethos.service.library.version import HeldSculpt, Version

Floats = NDArray[np.float32]
FAINT = 1e-6  # of the height: less is no movement


def ghost(version: Version, pose: Pose, kind: str) -> Floats | None:
    """A ghost's points ``(V, 3)``; None where there is none of that kind.

    Parameters
    ----------
    kind
        ``rest``: the character at rest; ``start``: the skin before this sculpt, or without remedies while nothing is
        sculpted; ``before``, ``after``: this pose with the target before or after the one that is sculpted.
    """
    held = version.sculpt
    if kind == "rest":
        return version.character.mesh.rest
    if kind == "start":
        return version.evaluator.pose(pose, NONE).points if held is None else held.start.astype(np.float32)
    return None if held is None else _neighbour(version, held, 1 if kind == "after" else -1)


def _neighbour(version: Version, held: HeldSculpt, side: int) -> Floats | None:
    rules = version.character.rules
    if held.note.remedy_id is None or not rules.has(held.note.remedy_id):
        return None
    remedy = rules.remedy(held.note.remedy_id)
    body = remedy.sculpted
    if body is None:
        return None
    on = version.evaluator.pose(held.pose).activation(remedy.id) if remedy.by is not None else 1.0
    others = [t for t in body.targets if (t.at - on) * side > 1e-3]
    if not others:
        return None
    shape = min(others, key=lambda t: abs(t.at - on)).shape
    points = held.base.exact_points()
    linear = held.base.affine[0][shape.vertices]
    points[shape.vertices] += remedy.amount * np.einsum("vij,vj->vi", linear, shape.deltas.astype(np.float64))
    return points.astype(np.float32)


def moved_share(held: HeldSculpt, points: NDArray[np.floating]) -> tuple[Floats, float]:
    """How far each vertex ``(V,)`` has moved since the sculpt began, as a share of the furthest; and that, metres."""
    far = np.linalg.norm(points - held.start, axis=1)
    most = float(far.max(initial=0))
    if most <= FAINT * extent(held.start):
        return np.zeros(len(far), np.float32), 0.0
    return np.asarray(far / most, np.float32), most
