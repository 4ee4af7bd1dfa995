"""Picking: by piece, part and joint; adding and taking away; growing, shrinking and softening.

Everything here takes and gives shares ``(V,)`` of all vertices, 0 outside and 1 inside.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.geometry.topology import Topology, distance_over_surface

Shares = NDArray[np.float32]


def by_piece(topology: Topology, vertex: int) -> Shares:
    """The connected piece that a vertex belongs to.

    Raises
    ------
    BadEditError
        When there is no such vertex.
    """
    if not 0 <= vertex < topology.count:
        raise BadEditError(f"There is no vertex {vertex} in this character.")
    return np.asarray(topology.pieces == topology.pieces[vertex], dtype=np.float32)


def by_part(character: Character, name: str) -> Shares:
    """A whole part.

    Raises
    ------
    BadEditError
        When there is none of that name.
    """
    out = np.zeros(len(character.mesh.points), dtype=np.float32)
    out[slice(*character.mesh.part(name).vertices)] = 1
    return out


def by_joint(character: Character, joint: int, least: float) -> Shares:
    """What follows a joint with a weight of at least `least`."""
    return np.asarray(character.binding.column(joint) >= max(least, 1e-6), dtype=np.float32)


def of_vertices(count: int, vertices: NDArray[np.integer]) -> Shares:
    """Some vertices, whole."""
    out = np.zeros(count, dtype=np.float32)
    out[vertices] = 1
    return out


def combined(old: Shares, new: Shares, how: str) -> Shares:
    """What is picked after `new` was picked: instead of it (``only``), too (``add``), or taken away (``take``).

    Raises
    ------
    BadEditError
        For another word.
    """
    if how == "only":
        return new
    if how == "add":
        return np.maximum(old, new)
    if how == "take":
        return np.minimum(old, 1 - new)
    raise BadEditError(f"There is no way to pick called “{how}”; there are only, add and take.")


def mirrored_too(shares: Shares, twin: NDArray[np.int32]) -> Shares:
    """With the mirror image of everything that is picked; `twin` ``(V,)`` is -1 for vertices without one."""
    out = shares.copy()
    paired = np.flatnonzero(twin >= 0)
    out[paired] = np.maximum(shares[paired], shares[twin[paired]])
    return out


def grown(topology: Topology, shares: Shares, rings: int = 1) -> Shares:
    """Each vertex gets the largest share among itself and its neighbours, so many times."""
    a, b = topology.edges.T
    for _ in range(rings):
        out = shares.copy()
        np.maximum.at(out, a, shares[b])
        np.maximum.at(out, b, shares[a])
        shares = out
    return shares


def shrunk(topology: Topology, shares: Shares, rings: int = 1) -> Shares:
    """Each vertex gets the least share among itself and its neighbours, so many times."""
    return 1 - grown(topology, 1 - shares, rings)


def softened(topology: Topology, points: NDArray[np.floating], shares: Shares, width: float) -> Shares:
    """With a border that fades out over so many metres of the surface, half of it inside and half outside.

    Raises
    ------
    BadEditError
        When the width is not above 0, or nothing is picked.
    """
    if not width > 0:
        raise BadEditError("A soft border needs a width above 0.")
    inside = shares >= 0.5
    if not inside.any():
        raise BadEditError("Nothing is picked, so there is no border to soften.")
    reach = 0.5 * width
    if inside.all():
        return np.ones(len(shares), dtype=np.float32)
    a, b = topology.edges[inside[topology.edges[:, 0]] != inside[topology.edges[:, 1]]].T
    # The border runs half way along the edges that cross it.
    half = 0.5 * float(np.linalg.norm(points[a] - points[b], axis=1).mean()) if len(a) else 0.0
    outside = distance_over_surface(topology, points, inside, reach + half) - half
    within = distance_over_surface(topology, points, ~inside, reach + half) - half
    signed = np.where(inside, np.minimum(within, reach), -np.minimum(outside, reach))
    t = np.clip(0.5 + signed / (2 * reach), 0, 1)
    return np.asarray(t * t * (3 - 2 * t), dtype=np.float32)
