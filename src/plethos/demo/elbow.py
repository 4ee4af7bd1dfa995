"""The one corrective that ships done: the left elbow at 130 degrees."""

from __future__ import annotations

import math

import numpy as np
from scipy import sparse

from plethos.core.bend import bent
from plethos.core.character import Character
from plethos.core.evaluate import Evaluator, evaluate_exact
from plethos.core.measure.region import joint_region, region_volume
from plethos.core.mesh import vertex_normals
from plethos.core.remedies.corrective import CorrectiveShape
from plethos.core.remedies.solve import guess_trigger, solve_corrective
from plethos.core.skeleton import pose_to_json
from plethos.core.skinning import exact
from plethos.core.skinning.bones import skin_matrices

JOINT, BEND = "left_forearm", 130.0
ROUNDS, KEPT = 8, 0.985  # smooth, then push out along the normals what volume is missing


def mended_elbow(character: Character) -> Character:
    """The character with a sculpted left elbow: a sculpt made by code, kept like any other.

    Dual quaternion skinning of the bent elbow says where the volume should be; a soft border keeps the rest of
    the arm where it was; then smooth, push out, smooth again, as a hand would.
    """
    joint = character.skeleton.find(JOINT)
    pose = bent(character.skeleton.rest_pose(), joint, (0, 0, 1), math.radians(BEND))
    base = evaluate_exact(character, pose)
    matrices = skin_matrices(character.bones, character.skeleton.global_matrices(pose))
    full = np.ones(len(base), np.float32)
    round_elbow = exact.apply_skin(
        *exact.affine_skin(matrices, character.influences, character.weights, full), character.points
    )
    rest = Evaluator(character).rest()
    region = joint_region(character, joint, rest)
    mask = np.zeros(len(base))
    mask[region.vertices] = 1
    adjacency = character.topology.adjacency.astype(np.float64)
    average = sparse.diags(1 / np.asarray(adjacency.sum(axis=1)).ravel()) @ adjacency
    for _ in range(12):
        mask = np.minimum(mask, average @ mask)
    sculpt = base + mask[:, None] * (round_elbow - base)
    whole = region_volume(region, rest[region.vertices])
    triangles = character.topology.triangles
    for _ in range(ROUNDS):
        sculpt += 0.4 * mask[:, None] * (average @ sculpt - sculpt)
        missing = KEPT * whole - region_volume(region, sculpt[region.vertices])
        normals = vertex_normals(sculpt, triangles)
        corners = sculpt[triangles]
        area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
        moved = float((mask[triangles].mean(axis=1) * area).sum())
        sculpt += (missing / moved) * mask[:, None] * normals
    shape, report = solve_corrective(character, pose, sculpt, "Left elbow bent")
    trigger = guess_trigger(character, pose, shape)
    held = pose_to_json(character.skeleton, pose)
    return character.with_remedy(CorrectiveShape(shape, trigger, held, report.to_json(), id="left-elbow-bent"))
