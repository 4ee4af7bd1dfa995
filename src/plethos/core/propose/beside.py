"""What lies beside a joint, and what crosses there that did not at rest."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.measure.contact import fresh_pairs, intersecting_pairs
from plethos.core.measure.region import Region

FAR = 2.0  # of the region's radius: how far from the joint a garment is looked at


@dataclass(frozen=True, eq=False)
class Beside:
    """The skin of a joint's region, and what is so near that it may go into it.

    A garment may hang on one of the two limbs alone, and bend nowhere.

    Parameters
    ----------
    near
        ``(V,)`` which vertices.
    triangles
        ``(T, 3)`` those of them alone, or those that have any of them.
    at_rest
        The pairs of these that cross at rest.
    """

    near: NDArray[np.bool_]
    triangles: NDArray[np.int32]
    at_rest: NDArray[np.int32]

    @classmethod
    def of(cls, character: Character, joint: int, region: Region, over: bool = False) -> Beside:
        """What lies beside a joint; with `over` also triangles that reach out over its border."""
        mesh = character.mesh
        at = character.skeleton.rest_global[joint, :3, 3]
        near = np.linalg.norm(mesh.rest - at, axis=1) < FAR * region.radius
        near[region.vertices] = True
        corners = near[mesh.topology.triangles]
        triangles = mesh.topology.triangles[corners.any(axis=1) if over else corners.all(axis=1)]
        return cls(near, triangles, intersecting_pairs(mesh.rest, triangles))

    def crossing(self, points: NDArray[np.floating]) -> NDArray[np.int32]:
        """The pairs ``(P, 2)`` of triangles that cross and did not at rest."""
        return fresh_pairs(points, self.triangles, self.at_rest)
