"""Edits of weights that are not strokes: give to one joint, copy, mirror, limit, ease."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.skeleton.symmetry import is_symmetric
from plethos.core.skin.mesh import Part
from plethos.core.weights.carry import carried_over
from plethos.core.weights.heated import mixed

Weights = NDArray[np.float64]


def given_to(character: Character, shares: NDArray[np.floating], joint: int) -> Weights:
    """Weights ``(V, J)`` with some vertices following one joint rigidly, wholly where their share ``(V,)`` is 1.

    Raises
    ------
    BadEditError
        When no vertex is chosen.
    """
    row = np.zeros(len(character.skeleton))
    row[joint] = 1
    return _towards(character, shares, row)


def like_vertex(character: Character, shares: NDArray[np.floating], vertex: int) -> Weights:
    """Weights ``(V, J)`` with some vertices following what one vertex follows.

    Raises
    ------
    BadEditError
        When no vertex is chosen, or there is no such vertex.
    """
    if not 0 <= vertex < len(character.mesh.points):
        raise BadEditError(f"There is no vertex {vertex} in this character.")
    return _towards(character, shares, character.binding.joint_weights[vertex].astype(np.float64))


def like_part(character: Character, shares: NDArray[np.floating], source: Part) -> Weights:
    """Weights ``(V, J)`` with some vertices following what the closest surface of a part follows at rest.

    Garments take the weights of the body under them like this. Vertices of the part itself stay.

    Raises
    ------
    BadEditError
        When no vertex outside of the part is chosen.
    """
    shares = np.asarray(shares).copy()
    shares[slice(*source.vertices)] = 0
    chosen = np.flatnonzero(shares > 0)
    if len(chosen) == 0:
        raise BadEditError(f"No vertex outside of “{source.name}” was chosen: pick a part or a region first.")
    rest, own = character.mesh.rest, slice(*source.vertices)
    known = character.binding.joint_weights[own].astype(np.float64)
    rows = carried_over(rest[own], character.mesh.triangles_of(source), known, rest[chosen])
    return _towards(character, shares, rows)


def _towards(character: Character, shares: NDArray[np.floating], rows: Weights) -> Weights:
    """The weights drawn towards rows ``(J,)`` or ``(N, J)`` of the N vertices with a share."""
    chosen = np.flatnonzero(shares > 0)
    if len(chosen) == 0:
        raise BadEditError("No vertex was chosen: pick a part or a region first.")
    weights = character.binding.joint_weights.astype(np.float64)
    share = np.clip(np.asarray(shares, dtype=np.float64)[chosen], 0, 1)[:, None]
    weights[chosen] = (1 - share) * weights[chosen] + share * rows
    return weights


def eased(character: Character, vertices: NDArray[np.integer], rings: int = 2, rounds: int = 6) -> Weights:
    """Weights ``(V, J)`` smoothed at some vertices and so many rings round them: what takes a hard step away.

    Vertices come in mirrored pairs or not at all when the character has two sides alike, so that it keeps them.
    """
    topology = character.mesh.topology
    mask = np.zeros(len(character.mesh.points), dtype=bool)
    mask[vertices] = True
    twin, other = character.sides
    if is_symmetric(twin, other):
        mask[twin[np.flatnonzero(mask & (twin >= 0))]] = True
    chosen = np.flatnonzero(topology.grow(mask, rings))
    weights = character.binding.joint_weights.astype(np.float64)
    for _ in range(rounds):
        weights[chosen] = 0.5 * (weights[chosen] + topology.mean_beside(weights, chosen))
    return weights


def mirrored_from(character: Character, side: float) -> Weights:
    """Weights ``(V, J)`` with one side's carried over to the other; vertices without a twin keep theirs.

    Parameters
    ----------
    side
        Above 0: the character's left (+x) is carried to the right; below: the other way.

    Raises
    ------
    BadEditError
        When vertices or joints have no mirror images.
    """
    rest = character.mesh.rest
    twin, other = character.sides
    if (other == np.arange(len(other))).all() or (twin >= 0).sum() < 2:
        raise BadEditError("The two sides of this character are not mirror images, so nothing can be carried over.")
    there = (rest[:, 0] - character.mesh.mirror_x) * side < 0
    return carried_across(character.binding.by_vertex, twin, other, there).toarray()


def seen_across(weights: sparse.csr_matrix, twin: NDArray[np.int32], other: NDArray[np.int32]) -> sparse.csr_matrix:
    """For each vertex what its twin follows, seen in the mirror; of a vertex without a twin nothing that counts."""
    across = weights[np.maximum(twin, 0)]
    seen = sparse.csr_matrix((across.data, other[across.indices], across.indptr), across.shape)
    seen.sort_indices()
    return seen


def carried_across(
    weights: sparse.csr_matrix, twin: NDArray[np.int32], other: NDArray[np.int32], there: NDArray[np.bool_]
) -> sparse.csr_matrix:
    """Weights ``(V, J)`` where the vertices that are `there` take those of their twins; on the plane both sides' mean.

    Parameters
    ----------
    twin, other
        Mirror image of each vertex, -1 for none, and of each joint: see `sides`.
    """
    middle = twin == np.arange(len(twin))
    taken = np.where(middle, 0.5, 1.0 * ((twin >= 0) & there))
    return mixed(weights, seen_across(weights, twin, other), taken)
