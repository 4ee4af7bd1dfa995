"""Order: offsets that were recorded behind the skin, on the posed points, as a shape that acts before it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.evaluate import NONE, Evaluator
from plethos.core.remedies import Corrective, Remedy
from plethos.core.sculpt.solve import invert_offsets
from plethos.core.skeleton import pose_from_document


def before_the_skin(evaluator: Evaluator, remedy: Remedy) -> Remedy:
    """The corrective that gives, before the skin, what its offsets give when they are added to the posed skin.

    Each target in the pose that it was made in. A shape that was recorded behind the skin flies to its sculpted place
    and stops following the joint; turned back by the skin of its pose it follows again.

    Raises
    ------
    BadEditError
        When it is no corrective, or a target does not say in which pose it was made.
    """
    body, character = remedy.body, evaluator.character
    if not isinstance(body, Corrective):
        raise BadEditError(f"“{remedy.name}” has no offsets: only a corrective acts before the skin.")
    rest = evaluator.pose(character.skeleton.rest_pose(), NONE).affine[0]
    targets = []
    for target in body.targets:
        told = {n: e for n, e in (target.pose.get("joints") or {}).items() if n in character.skeleton.index_of}
        if not told:
            raise BadEditError(f"“{remedy.name}” does not say in which pose it was made: sculpt it again.")
        posed = evaluator.pose(pose_from_document(character.skeleton, {"joints": told}), NONE).affine[0]
        vertices = target.shape.vertices
        deltas, _ = invert_offsets(posed[vertices], target.shape.deltas.astype(np.float64), rest[vertices])
        shape = replace(target.shape, deltas=np.ascontiguousarray(deltas, dtype=np.float32))
        targets.append(replace(target, shape=shape))
    return replace(remedy, body=replace(body, targets=tuple(targets)))
