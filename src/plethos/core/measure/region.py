"""The region of a joint: the piece of skin that its rotation bends."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.geometry.topology import boundary_loops, distance_over_surface
from plethos.core.measure.kernels import signed_volume

MARGIN = 0.35
# A flat or nearly flat patch holds no volume worth a number: less than this share of what a ball of its area holds.
SOLID = 0.05


@dataclass(frozen=True, eq=False)
class Region:
    """Part of the skin, as a small mesh of its own.

    Parameters
    ----------
    vertices
        Indices ``(N,)`` into the character, ascending.
    triangles
        ``(M, 3)`` indices into `vertices`.
    loops
        Boundary loops, as indices into `vertices`, in the triangles' own direction.
    radius
        How far from the joint the bending skin lies, metres (root mean square).
    """

    vertices: NDArray[np.int32]
    triangles: NDArray[np.int32]
    loops: tuple[NDArray[np.int32], ...]
    radius: float


def region_of(character: Character, mask: NDArray[np.bool_], radius: float = 0.0) -> Region:
    """The region of the triangles whose three vertices are all in `mask` ``(V,)``."""
    t = character.mesh.topology.triangles
    t = t[mask[t].all(axis=1)]
    vertices, flat = np.unique(t, return_inverse=True)
    local = flat.reshape(-1, 3).astype(np.int32)
    return Region(vertices.astype(np.int32), local, tuple(boundary_loops(local)), radius)


def shared_with(character: Character, joint: int) -> NDArray[np.bool_]:
    """The vertices ``(V,)`` that are shared between what turns with a joint and what does not, or lie along a step."""
    w = character.binding.subtree_weights(character.skeleton, joint)
    shared = (w > 0.02) & (w < 0.98)
    edges = character.mesh.topology.edges
    crossing = edges[np.abs(w[edges[:, 0]] - w[edges[:, 1]]) > 0.5]
    shared[crossing.ravel()] = True
    return np.asarray(shared, np.bool_)


def joint_region(character: Character, joint: int, rest: NDArray[np.floating], margin: float = MARGIN) -> Region:
    """The skin round a joint that is shared between what turns with it and what does not, with a margin.

    Parameters
    ----------
    rest
        Rest points ``(V, 3)`` in the world.
    margin
        How much further over the surface, of the radius.

    Raises
    ------
    BadEditError
        When the joint bends no skin (a joint that carries rigid parts only, or the root).
    """
    nothing = BadEditError(
        f"Turning “{character.skeleton.names[joint]}” bends no skin, so there is nothing to measure."
    )
    shared = shared_with(character, joint)
    if not shared.any():
        raise nothing
    at = character.skeleton.rest_global[joint, :3, 3]
    distance = np.linalg.norm(rest - at, axis=1)
    near = float(np.median(distance[shared]))
    # Stray weights far away would stretch the region over the whole body.
    shared &= distance < 2.5 * near
    radius = float(np.sqrt(np.mean(distance[shared] ** 2)))
    within = np.isfinite(distance_over_surface(character.mesh.topology, rest, shared, margin * radius))
    region = region_of(character, within, radius)
    if len(region.triangles) == 0:
        raise nothing  # single vertices that no triangle joins
    return region


@lru_cache(maxsize=64)
def _cap_edges(region: Region) -> tuple[NDArray[np.int32], NDArray[np.int32], NDArray[np.int32]]:
    """Start, end and loop number of every boundary edge."""
    start = np.concatenate([np.zeros(0, np.int32), *region.loops])
    end = np.concatenate([np.zeros(0, np.int32), *(np.roll(loop, -1) for loop in region.loops)])
    number = np.repeat(np.arange(len(region.loops), dtype=np.int32), [len(x) for x in region.loops])
    return start, end, number


def region_volume(region: Region, points: NDArray[np.floating]) -> float:
    """Signed volume in cubic metres, each boundary loop capped by a fan to its centroid.

    Parameters
    ----------
    points
        ``(N, 3)`` points of the region's vertices.

    Notes
    -----
    Divergence theorem: a sixth of the sum of the determinants of the triangles; for a closed region this is its
    volume exactly.
    """
    return float(signed_volume(points, region.triangles, *_cap_edges(region), len(region.loops)))


def encloses(region: Region, points: NDArray[np.floating]) -> bool:
    """Whether a region goes round a volume, or is a sheet such as a cape: then its volume says nothing."""
    p = points.astype(np.float64)
    a, b, c = (p[region.triangles[:, k]] for k in range(3))
    area = float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum()) / 2
    return bool(abs(region_volume(region, points)) > SOLID * area**1.5 / (6 * np.sqrt(np.pi)))
