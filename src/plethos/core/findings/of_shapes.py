"""What is wrong with a corrective's shape: it repeats what its joints do."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from plethos.core.evaluate import NONE, Evaluator
from plethos.core.findings.finding import Finding
from plethos.core.geometry.topology import extent
from plethos.core.rules.remedies import Remedy
from plethos.core.skeleton.pose import Pose
from plethos.core.skin.shape import Shape

ALIKE = 0.9  # cosine between what a shape does and what a pose does, over all of its vertices
AS_FAR = (0.6, 1.6)  # how far a shape goes beside the pose that it repeats
FEW = 12  # vertices below which nothing is said


def repeats(evaluator: Evaluator, shape: Shape, pose: Pose) -> bool:
    """Whether a shape does at rest what a pose does without it: then both together do it twice."""
    if len(shape.vertices) < FEW:
        return False
    rest = evaluator.character.skeleton.rest_pose()
    there, here = (evaluator.pose(p, NONE).points[shape.vertices].astype(np.float64) for p in (pose, rest))
    moved = there - here
    own = shape.deltas.astype(np.float64)
    far, own_far = np.linalg.norm(moved), np.linalg.norm(own)
    if min(far, own_far) < 1e-6 * extent(evaluator.character.mesh.rest) * np.sqrt(len(own)):
        return False
    # Where a part of what the pose moves is not the shape's, the shape still repeats what it holds.
    cosine = float((moved * own).sum() / (far * own_far))
    return bool(cosine >= ALIKE) and bool(AS_FAR[0] <= own_far / far <= AS_FAR[1])


def twice_finding(evaluator: Evaluator, remedy: Remedy, pose: Pose) -> Finding | None:
    """Whether the pose in which a corrective is fully on does by itself what its shape does."""
    body = remedy.sculpted
    if body is None or not repeats(evaluator, body.targets[-1].shape, pose):
        return None
    text = (
        "Its shape does what the joints already do in this pose: the movement is applied twice. "
        "Reset the pose, or take the shape off."
    )
    return Finding("twice", text, "Turn it off", remedy=replace(remedy, on=False))
