"""Whether a corrective's offsets were recorded behind the skin, on the posed points, though they act before it."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from plethos.core.edits.recorded_behind import before_the_skin, made_in
from plethos.core.errors import BadEditError
from plethos.core.evaluate import NONE, Evaluator
from plethos.core.findings.finding import Finding
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import outward_normals
from plethos.core.rules.remedies import Remedy
from plethos.core.rules.remedies.corrective import Target
from plethos.core.skeleton.pose import Pose

ROUGHER = 1.15  # a field that much rougher once the skin has turned it was most likely not meant to be turned
ALONG = 0.6  # of a field that goes along normals: then it is those that say in which space it lies
FEW = 30  # vertices below which nothing is said
LEAST_TURN = math.radians(20)  # of the pose: below, both orders look alike


def order_finding(evaluator: Evaluator, remedy: Remedy) -> Finding | None:
    """Whether the other order fits a corrective better, in the pose in which it was made.

    Notes
    -----
    A sculpt is smooth on the skin it was made on: the hand drags, and the solver smooths, what it sees. Offsets that
    the skin of their pose roughens (sum of squared differences along edges) were most likely seen as they are
    recorded. A field along the normals is smooth either way, so it counts only when it goes along the posed normals
    rather than those at rest. Tried out on strokes and solves at random joints: no sound shape is accused, and a
    quarter to a third of the others are found; a shape on one side of the joint tells nothing.
    """
    body = remedy.sculpted
    if body is None or evaluator.character.mesh.is_flat:
        return None
    target = body.targets[-1]
    pose = made_in(evaluator.character, remedy, target)
    if pose is None or len(target.shape.vertices) < FEW or float(rotations.angle(pose.rotations).max()) < LEAST_TURN:
        return None
    if not recorded_behind(evaluator, target, pose):
        return None
    try:
        mended = before_the_skin(evaluator, remedy)
    except BadEditError:
        return None
    text = (
        "Its offsets look as if they were recorded on the posed skin. Before the skin, as here, the joints turn them "
        "once more, and they fly off."
    )
    return Finding("order", text, "Put it before the skin", remedy=mended)


def recorded_behind(evaluator: Evaluator, target: Target, pose: Pose) -> bool:
    """Whether the offsets of a target lie in the space of the posed skin."""
    topology, shape = evaluator.character.mesh.topology, target.shape
    at_rest, posed = (evaluator.pose(p, NONE) for p in (evaluator.character.skeleton.rest_pose(), pose))
    inside = np.zeros(topology.count, bool)
    inside[shape.vertices] = True
    edges = topology.edges[inside[topology.edges].any(axis=1)]
    rest, there = (p.affine_of(shape.vertices)[0] for p in (at_rest, posed))
    own = np.zeros((topology.count, 3))
    own[shape.vertices] = np.einsum("vij,vj->vi", rest, shape.deltas)
    turned = own.copy()
    turns = rotations.rotation_or_mirror(there @ np.linalg.pinv(rest))
    turned[shape.vertices] = np.einsum("vij,vj->vi", turns, own[shape.vertices])
    if _rough(turned, edges) <= ROUGHER * _rough(own, edges):
        return False
    along_rest, along_posed = (
        _along(own, outward_normals(p.points.astype(np.float64), topology)) for p in (at_rest, posed)
    )
    return along_rest < ALONG or along_posed > along_rest


def _rough(field: Array, edges: NDArray[np.int32]) -> float:
    return float(((field[edges[:, 0]] - field[edges[:, 1]]) ** 2).sum())


def _along(field: Array, normals: Array) -> float:
    """How much of a field goes along normals, 0 to 1."""
    return float(np.abs((field * normals).sum(axis=1)).sum() / max(np.linalg.norm(field, axis=1).sum(), 1e-30))
