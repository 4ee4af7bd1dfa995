"""Correctives made by code for the figures: a sculpt in the bent pose, kept like any other."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.bend import bent
from plethos.core.character import Character
from plethos.core.evaluate import ALL, Evaluator, evaluate_exact
from plethos.core.measure.contact import intersecting_pairs
from plethos.core.measure.region import Region, joint_region, region_volume
from plethos.core.remedies import Corrective, Remedy
from plethos.core.response import Response
from plethos.core.sculpt.solve import solve_corrective
from plethos.core.skeleton import Pose, pose_to_json
from plethos.core.skinning import exact
from plethos.core.skinning.bones import skin_matrices
from plethos.core.topology import vertex_normals
from plethos.core.triggers.hinge import HingeTrigger

SIDES = ("left", "right")
BEND = (0.0, 0.0, 1.0)  # every joint of the figures bends about its own Z
ROLL = (0.0, 1.0, 0.0)  # and rolls about its own Y, along the bone; the other side then turns the other way


@dataclass(frozen=True)
class Mend:
    """What one corrective, or one a side, is to mend.

    Parameters
    ----------
    joint
        Without its side.
    degrees
        Where it is fully on.
    name
        Of the corrective, without its side.
    rounds
        Rounds of smoothing, each followed by pushing out what volume is missing.
    full
        The share of the rest volume that is brought back.
    rounded
        How much of dual quaternion skinning the sculpt starts from, 0 to 1.
    preset
        Of the response.
    axis
        `BEND` or `ROLL`.
    sides
        () for a joint in the middle.
    """

    joint: str
    degrees: float
    name: str
    rounds: int = 8
    full: float = 0.985
    rounded: float = 1.0
    preset: str = "late"
    axis: tuple[float, float, float] = BEND
    sides: tuple[str, ...] = SIDES

    def angle(self, side: str) -> float:
        """Radians at which it is fully on, on this side."""
        return math.radians(-self.degrees if self.axis == ROLL and side == "right" else self.degrees)


def mended(character: Character, mend: Mend) -> Character:
    """The character with correctives for one bend, all its sides sculpted in one pose.

    Dual quaternion skinning of the bent joint says where the volume should be; a soft border keeps the rest where
    it was; then smooth, push out, smooth again, as a hand would.
    """
    skeleton = character.skeleton
    joints = {side: skeleton.find(f"{side}_{mend.joint}") for side in mend.sides} or {"": skeleton.find(mend.joint)}
    pose = skeleton.rest_pose()
    for side, joint in joints.items():
        pose = bent(pose, joint, mend.axis, mend.angle(side))
    rest = character.mesh.rest
    base = evaluate_exact(character, pose)
    regions = {side: joint_region(character, joint, rest) for side, joint in joints.items()}
    masks = {side: _soft(character, region) for side, region in regions.items()}
    sculpt = _sculpted(character, pose, base, list(regions.values()), list(masks.values()), rest, mend)
    for side, joint in joints.items():
        own = bent(skeleton.rest_pose(), joint, mend.axis, mend.angle(side))
        # The other side is at rest in this one's pose: only what belongs to this side is kept.
        moved = np.where(masks[side][:, None] > 0, sculpt - base, 0.0)
        target = evaluate_exact(character, own) + moved
        name = f"{side.capitalize()} {mend.name}".strip().capitalize()
        identity = name.lower().replace(" ", "-")
        response = Response.preset(mend.preset, 0.0, mend.angle(side))
        trigger = HingeTrigger(joint, mend.axis, response, id=f"{identity}-trigger")
        posed = Evaluator.of(character).pose(own, ALL)
        shape, report = solve_corrective(posed, target, name, trigger=trigger)
        body = Corrective.of(shape, pose_to_json(skeleton, own), report.to_json())
        character = character.with_remedy(Remedy(body, name, by=trigger.id, id=identity), trigger)
    return character


def _soft(character: Character, region: Region) -> NDArray[np.float64]:
    """1 well inside the region, falling to 0 at its border."""
    mask = np.zeros(len(character.mesh.points))
    mask[region.vertices] = 1
    average = _average(character)
    for _ in range(8):
        mask = np.minimum(mask, average @ mask)
    return mask


def _average(character: Character) -> sparse.csr_matrix:
    adjacency = character.mesh.topology.adjacency.astype(np.float64)
    return sparse.diags(1 / np.maximum(np.asarray(adjacency.sum(axis=1)).ravel(), 1)) @ adjacency


def _sculpted(
    character: Character, pose: Pose, base: NDArray[np.float64], regions: list[Region],
    masks: list[NDArray[np.float64]], rest: NDArray[np.float32], mend: Mend,
) -> NDArray[np.float64]:  # fmt: skip
    matrices = skin_matrices(character.binding.bones, character.skeleton.global_matrices(pose))
    round_skin = exact.apply_skin(
        *exact.affine_skin(
            matrices, character.binding.influences, character.binding.weights, np.ones(len(base), np.float32)
        ),
        character.mesh.points,
    )
    every = np.maximum.reduce(masks)
    average, triangles = _average(character), character.mesh.topology.triangles
    sculpt = base + mend.rounded * every[:, None] * (round_skin - base)
    whole = [region_volume(r, rest[r.vertices]) for r in regions]
    for _ in range(mend.rounds):
        sculpt += 0.4 * every[:, None] * (average @ sculpt - sculpt)
        normals = vertex_normals(sculpt, triangles)
        corners = sculpt[triangles]
        area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
        for region, mask, full in zip(regions, masks, whole, strict=True):
            missing = mend.full * full - region_volume(region, sculpt[region.vertices])
            reached = float((mask[triangles].mean(axis=1) * area).sum())
            sculpt += np.clip(missing / reached, -0.01, 0.01) * mask[:, None] * normals
        sculpt = _apart(sculpt, triangles, average, every)
    return sculpt


def _apart(
    points: NDArray[np.float64], triangles: NDArray[np.int32], average: sparse.csr_matrix, mask: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Smooth a crease where surfaces pass through each other, as far as the mask lets it."""
    own = triangles[(mask[triangles] > 0).any(axis=1)]
    for _ in range(12):
        crossing = np.unique(own[intersecting_pairs(points, own)])
        near = np.zeros(len(points))
        near[crossing[mask[crossing] > 0]] = 1
        if not near.any():
            break
        for _ in range(3):
            near = np.maximum(near, 0.85 * (average @ near))
        points = points + 0.6 * (near * mask)[:, None] * (average @ points - points)
    return points
