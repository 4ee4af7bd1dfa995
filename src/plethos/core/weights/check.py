"""Finding what is wrong with weights: stray patches, too many influences, sides that differ, hard steps."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.character import Character
from plethos.core.skeleton.symmetry import is_symmetric
from plethos.core.weights.bone_distances import segment_distances
from plethos.core.weights.bones import Segment, segments_of, skin_bones
from plethos.core.weights.edit import seen_across
from plethos.core.weights.heated import normalised

LEAST = 0.01  # weights under this are noise, not a fault
STRAY_SHARE = 0.15  # a patch with less of a joint's weight than this, away from the rest of it, is stray
UNMIRRORED = 0.02
STEP = 0.85  # a joint's weight changing by more than this along one edge
EDGES = 100_000  # that are looked at in one go
COARSE = 0.35  # of the joint's bone: longer edges cannot carry a gradient


@dataclass(frozen=True)
class WeightFault:
    """One fault.

    Parameters
    ----------
    kind
        ``stray``, ``over_limit``, ``unmirrored`` or ``hard_step``.
    joint
        Whose weights, or None where it is about all of a vertex's.
    vertices
        ``(N,)`` where.
    worst
        The stray weight, the number of influences, the difference between the sides, or the step.
    """

    kind: str
    joint: int | None
    vertices: NDArray[np.int32]
    worst: float

    def mirrored(self, twin: NDArray[np.int32], other: NDArray[np.int32]) -> WeightFault:
        """The same on the other side, given each vertex's and joint's mirror image (see `sides`)."""
        twins = twin[self.vertices]
        return replace(self, joint=None if self.joint is None else int(other[self.joint]), vertices=twins[twins >= 0])

    def to_json(self, character: Character) -> dict[str, Any]:
        """As plain data, the vertices counted as the file counts them."""
        places = np.flatnonzero(np.isin(character.mesh.file_to_vertex, self.vertices))
        return {
            "kind": self.kind,
            "joint": None if self.joint is None else character.skeleton.names[self.joint],
            "vertices": len(self.vertices),
            "worst": round(self.worst, 4),
            "file_vertices": places.tolist(),
        }


def check_weights(character: Character, limit: int = 4) -> list[WeightFault]:
    """All findings, the stray ones first."""
    return [
        *stray_weights(character),
        *over_limit(character, limit),
        *unmirrored(character),
        *hard_steps(character),
    ]


def stray_weights(character: Character, bones: list[Segment] | None = None) -> list[WeightFault]:
    """Patches of a joint's weight that lie apart from where the joint has most of it, on the same piece of skin.

    A patch counts as stray when it holds little of the weight and another joint's bone is nearer to all of it.

    Parameters
    ----------
    bones
        Of `skin_bones`, for who has them already.
    """
    topology, weights = character.mesh.topology, character.binding.by_vertex.tocsc()
    rest = character.mesh.rest
    if bones is None:
        bones = skin_bones(character.skeleton, rest, character.mesh.outward)
    home = {t: s.joint for s in bones for t in (s.joint, *s.twists)}
    # A joint that has no bone of its own (a root, a tip) is at home where it stands.
    alone = [j for j in range(len(character.skeleton)) if j not in home]
    places = character.skeleton.rest_global[:, :3, 3]
    segments = [*bones, *(Segment(j, places[j], places[j]) for j in alone)]
    owners = np.array([s.joint for s in segments])
    pieces, found = topology.pieces, []
    for joint in range(weights.shape[1]):
        column = slice(weights.indptr[joint], weights.indptr[joint + 1])
        own = weights.data[column] > LEAST
        inside, shares = weights.indices[column][own], weights.data[column][own]
        if not len(inside):
            continue
        mask = np.zeros(topology.count, bool)
        mask[inside] = True
        count, numbers = topology.patches(mask)
        patch = numbers[inside]
        held = np.bincount(patch, weights=shares, minlength=count)
        piece_of = np.empty(count, np.int32)
        piece_of[patch] = pieces[inside]
        most = np.zeros(int(pieces.max()) + 1)
        np.maximum.at(most, piece_of, held)
        at_home = owners == home.get(joint, joint)
        for number in np.flatnonzero(held < STRAY_SHARE * most[piece_of]).tolist():
            where = np.sort(inside[patch == number])
            distance = segment_distances(rest[where], np.zeros((len(where), 3)), segments)
            nearest = distance[:, : len(bones)].min(axis=1, initial=np.inf)
            if (distance[:, at_home].min(axis=1) > 1.5 * nearest).all():
                worst = float(shares[patch == number].max())
                found.append(WeightFault("stray", joint, where.astype(np.int32), worst))
    return sorted(found, key=lambda f: -f.worst)


def without_stray(character: Character, findings: list[WeightFault]) -> sparse.csr_matrix:
    """Weights ``(V, J)`` with the stray ones of these findings taken away, the others making up for them."""
    weights = character.binding.by_vertex.copy()
    numbered = sparse.csr_matrix((np.arange(weights.nnz), weights.indices, weights.indptr), weights.shape)
    for finding in findings:
        if finding.kind != "stray" or finding.joint is None:
            continue
        # Only the rows that are meant, each entry by its number: of a large skin they are few.
        some = numbered[finding.vertices]
        row, entry = np.repeat(np.arange(some.shape[0]), np.diff(some.indptr)), some.data
        stray = some.indices == finding.joint
        rest = np.bincount(row, weights=np.where(stray, 0, weights.data[entry]), minlength=some.shape[0])
        # A vertex that follows nothing else keeps what it has: there is nothing to make up for it.
        weights.data[entry[stray & (rest[row] >= 1e-9)]] = 0
    return normalised(weights).tocsr()


def over_limit(character: Character, limit: int) -> list[WeightFault]:
    """Vertices with more influences than a delivery takes."""
    weights = character.binding.by_vertex
    row = np.repeat(np.arange(weights.shape[0]), np.diff(weights.indptr))
    count = np.bincount(row[weights.data > 1e-6], minlength=weights.shape[0])
    where = np.flatnonzero(count > limit).astype(np.int32)
    return [WeightFault("over_limit", None, where, float(count[where].max()))] if len(where) else []


def unmirrored(character: Character) -> list[WeightFault]:
    """Vertices whose twin on the other side follows the mirrored joints differently; nothing on unsymmetric meshes."""
    twin, other = character.sides
    if not is_symmetric(twin, other):
        return []
    rows = np.flatnonzero(twin >= 0)
    weights = character.binding.by_vertex
    differs = abs(weights[rows] - seen_across(weights, twin, other)[rows])
    off = differs.max(axis=1).toarray().ravel()
    where = off > UNMIRRORED
    return [WeightFault("unmirrored", None, rows[where].astype(np.int32), float(off.max()))] if where.any() else []


def hard_steps(character: Character) -> list[WeightFault]:
    """Edges along which a joint's weight jumps from nearly all to nearly none: they show as a crease.

    An edge that is long beside the joint's bone does not count: a mesh so coarse has no room for more.
    """
    edges, rest = character.mesh.topology.edges, character.mesh.rest
    length = np.linalg.norm(rest[edges[:, 0]] - rest[edges[:, 1]], axis=1)
    bone: dict[int, float] = {}
    for segment in segments_of(character.skeleton):
        for joint in (segment.joint, *segment.twists):
            bone[joint] = max(bone.get(joint, 0.0), float(np.linalg.norm(segment.end - segment.start)))
    longest = np.array([COARSE * (bone.get(j) or np.inf) for j in range(len(character.skeleton))])
    along, whose, step = _steps(character.binding.by_vertex, edges)
    short = length[along] <= longest[whose]
    along, whose, step = along[short], whose[short], step[short]
    found = []
    for j in np.unique(whose).tolist():
        own = whose == j
        where = np.unique(edges[along[own]]).astype(np.int32)
        found.append(WeightFault("hard_step", j, where, float(step[own].max())))
    return sorted(found, key=lambda f: -len(f.vertices))


def _steps(
    weights: sparse.csr_matrix, edges: NDArray[np.integer]
) -> tuple[NDArray[np.int64], NDArray[np.int32], NDArray[np.float64]]:
    """Where a joint's weight jumps along an edge: edges, joints and by how much, each ``(N,)``."""
    found = []
    for first in range(0, len(edges), EDGES):
        some = edges[first : first + EDGES]
        jump = (weights[some[:, 0]] - weights[some[:, 1]]).tocoo()
        far = np.abs(jump.data) > STEP
        found.append((first + jump.row[far].astype(np.int64), jump.col[far], np.abs(jump.data[far])))
    none = (np.zeros(0, np.int64), np.zeros(0, np.int32), np.zeros(0))
    edge, joint, step = (np.concatenate(columns) for columns in zip(none, *found, strict=True))
    return edge, joint, step
