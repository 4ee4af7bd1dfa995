"""Where dual quaternion skinning keeps volume and girth better than linear skinning: found by turning the joint."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import ALL, Evaluator
from plethos.core.geometry.falloff import SEEN, seen
from plethos.core.geometry.rotations import Array
from plethos.core.measure.region import joint_region
from plethos.core.measure.travel import bent
from plethos.core.propose.slabs import Slabs
from plethos.core.propose.soft import evened, soft_region
from plethos.core.rules.remedies import Remedy, SkinBlend
from plethos.core.skeleton.pose import Pose
from plethos.core.skin.mask import Mask

REACH = 0.6  # of the region's radius
BETTER = 0.002  # of a slab's volume: less is not worth another method
ANGLES = (0.25, 0.5, 0.75, 1.0)  # of the way
EVEN = 10


def blend_mask(character: Character, joint: int, pose: Pose, axis: Sequence[float], angle: float) -> Mask:
    """The share of dual quaternions that suits the skin of a joint.

    Slab by slab, over the way from rest to `angle`: whichever of the two methods stays nearer to the rest volume. The
    border is soft.

    Parameters
    ----------
    pose
        What else is held.
    axis, angle
        In the joint's rest frame; radians.

    Raises
    ------
    BadEditError
        When linear skinning is as good everywhere, or the skin encloses nothing.
    """
    rest = character.mesh.rest
    region = joint_region(character, joint, rest, REACH)
    points = rest[region.vertices].astype(np.float64)
    slabs = Slabs.of(character.skeleton, joint, region, points)
    name = character.skeleton.names[joint]
    if not len(slabs.at_rest):
        raise BadEditError(f"The skin at “{name}” encloses no volume to judge by: paint the blend by hand.")
    soft = soft_region(character, joint)
    everywhere = Remedy(SkinBlend(Mask.of(np.ones(len(rest)))), " blend", id="every")
    whole = character.with_remedy(everywhere)
    linear = Evaluator.of(character, rows=region.vertices)
    dual = Evaluator.of(whole, rows=region.vertices)
    off = np.zeros((2, len(slabs.at_rest)))
    for share in ANGLES:
        there = bent(pose, joint, axis, share * angle)
        for k, evaluator in enumerate((linear, dual)):
            volumes = slabs.volumes(evaluator.pose(there, ALL).points.astype(np.float64))
            off[k] += np.abs(volumes / slabs.at_rest - 1) / len(ANGLES)
    better = off[1] < off[0] - BETTER
    if not better.any():
        raise BadEditError(
            f"Linear skinning keeps the volume at “{name}” as well as dual quaternions do over "
            f"{math.degrees(abs(angle)):.0f} degrees: nothing to blend."
        )
    chosen = np.zeros(len(rest))
    skin = slabs.triangles[(slabs.triangles < len(points)).all(axis=1)]
    own = slabs.slab[(slabs.triangles < len(points)).all(axis=1)]
    chosen[region.vertices[np.unique(skin[better[own]])]] = 1
    return beside_others(character, np.clip(evened(character.mesh.topology, chosen, EVEN) * soft, 0, 1) * (soft > SEEN))


def full_mask(character: Character, *joints: int) -> Mask:
    """Dual quaternions on all the skin of some joints, with a soft border."""
    soft: Array = np.maximum.reduce([soft_region(character, joint) for joint in joints])
    return beside_others(character, seen(soft))


def beside_others(character: Character, shares: Array) -> Mask:
    """A mask whose border takes nothing away from the blends that are there: the later one counts where both lie."""
    for _, body in character.rules.blends:
        shares = np.where(shares > 0, np.maximum(shares, body.mask.dense(len(shares))), 0)
    return Mask.of(shares)
