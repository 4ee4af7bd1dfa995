"""The crease of a bend: a plane through the joint on whose two sides the two limbs belong.

Flesh that a bend presses together is flat where it meets. What has gone through to the other side comes back to the
plane.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plethos.core.evaluate import Posed
from plethos.core.geometry.rotations import Array
from plethos.core.measure.girth import bone_directions
from plethos.core.measure.region import Region

CLEAR = 4e-4  # between skin and plane, of the character's height
FOLDED = 0.1  # least sine of the bend that presses anything together


@dataclass(frozen=True, eq=False)
class Crease:
    """The plane in a pose.

    Parameters
    ----------
    at, inwards, normal
        The joint in the world, the way from it into the fold, and the normal towards the limb that turns ``(3,)``.
    side
        ``(N,)`` of each of the region's vertices: 1 = of the limb that turns, -1 = of the other.
    clear
        ``(N,)`` how far from the plane it stays, metres.
    """

    at: Array
    inwards: Array
    normal: Array
    side: NDArray[np.float64]
    clear: Array

    @classmethod
    def of(cls, posed: Posed, joint: int, region: Region, height: float) -> Crease | None:
        """The crease of a joint in a pose; None where the limbs do not fold together."""
        character, skeleton = posed.character, posed.character.skeleton
        before, after = bone_directions(skeleton, joint)
        parent = skeleton.joint_parents[joint]
        up, down = ((posed.world[j] @ np.linalg.inv(skeleton.rest_global[j]))[:3, :3] for j in (max(parent, 0), joint))
        towards, away = -(up @ before), down @ after
        fold, rest_fold = (towards / np.linalg.norm(towards) + away / np.linalg.norm(away)), after - before
        inwards = fold - rest_fold if np.linalg.norm(rest_fold) > 0.2 else fold
        normal = away - towards
        if np.linalg.norm(fold) < FOLDED or np.linalg.norm(inwards) < FOLDED or np.linalg.norm(normal) < 1e-6:
            return None
        normal = normal / np.linalg.norm(normal)
        inwards = fold - (fold @ normal) * normal
        weights = character.binding.subtree_weights(skeleton, joint)[region.vertices]
        side = np.where(weights > 0.5, 1.0, -1.0)
        rest = character.mesh.rest[region.vertices].astype(np.float64)
        # What lies beyond its side at rest already, by its weights, may stay as far beyond.
        across = before + after if np.linalg.norm(before + after) > FOLDED else after
        own = side * ((rest - skeleton.rest_global[joint, :3, 3]) @ (across / np.linalg.norm(across)))
        clear = np.minimum(CLEAR * height, own)
        return cls(posed.world[joint][:3, 3], inwards / np.linalg.norm(inwards), normal, side, clear)

    def beyond(self, points: Array) -> Array:
        """How far ``(N,)`` each point of the fold has gone beyond where it may be; 0 and below = it has not."""
        off = points - self.at
        deep = self.clear - self.side * (off @ self.normal)
        return np.where(off @ self.inwards > 0, deep, 0.0)
