"""Posed points back from another program: which vertex of an OBJ is which of the character's."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from plethos.core.character import Character
from plethos.core.errors import BadFileError
from plethos.core.formats.obj import read_obj_points
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.rows import distinct_rows
from plethos.core.geometry.topology import extent, triangle_edges
from plethos.core.skin.mesh import Triangles

SAME = 1e-4  # of the height: a vertex that was not sculpted is found in its place
PARTNERS = 2  # sculpted vertices are known by so many neighbours at least, where they have them


@dataclass(frozen=True, eq=False)
class ObjSculpt:
    """What an OBJ says of a character.

    Parameters
    ----------
    points
        ``(V, 3)``: where it puts the character's vertices; those that it does not hold are as they were.
    held
        ``(V,)`` which vertices it holds.
    how
        "order" when its vertices stand in the character's own order, "place" when they were found by their places.
    """

    points: Array
    held: NDArray[np.bool_]
    how: str


def sculpt_from_obj(character: Character, text: str, posed: NDArray[np.floating]) -> ObjSculpt:
    """Where an OBJ puts a character's vertices.

    Parameters
    ----------
    text
        An OBJ of the whole character or of some of its parts, that `write_obj` wrote and someone sculpted. Another
        program may have merged copies of a vertex, put them in another order, or left parts out.
    posed
        ``(V, 3)`` what was sent out.

    Raises
    ------
    BadFileError
        When it is another mesh: says why.

    Notes
    -----
    In the character's own order it is taken when vertices and faces are the same. Else vertices that were not moved
    are known by their place, and the others by being joined to those.
    """
    told = read_obj_points(text)
    faces = _triangles(text, len(told))
    for vertices, own in _orders(character):
        if len(told) == len(vertices) and _same_faces(faces, own):
            return _in_order(character, told, vertices, posed)
    return _by_place(character, told, faces, np.asarray(posed, np.float64))


def _orders(character: Character) -> list[tuple[NDArray[np.int32], NDArray[np.int64]]]:
    """The vertices and triangles of the whole, of each part, and of the whole without copies, as they are written."""
    mesh = character.mesh
    whole = mesh.file_to_vertex
    found = [(whole, np.asarray(mesh.file_triangles, np.int64))]
    for part in mesh.parts:
        if isinstance(part.surface, Triangles) and len(mesh.parts) > 1:
            first, last = part.file_vertices
            found.append((whole[first:last], np.asarray(part.surface.corners, np.int64)))
    found.append((np.arange(len(mesh), dtype=np.int32), np.asarray(mesh.topology.triangles, np.int64)))
    return found


def _same_faces(one: NDArray[np.int64], other: NDArray[np.int64]) -> bool:
    """Whether two lists of triangles join the same vertices, however they begin and wind; none at all says nothing."""
    if len(one) == 0:
        return True
    if len(other) == 0:
        return False
    edges = [distinct_rows(np.sort(triangle_edges(t), axis=1))[0] for t in (one, other)]
    # Quads may be cut the other way: nearly all edges are the same all the same.
    size = int(max(e.max() for e in edges)) + 1
    a, b = (e[:, 0] * size + e[:, 1] for e in edges)
    return bool(np.isin(b, a).mean() > 0.6)


def _in_order(character: Character, told: Array, vertices: NDArray[np.int32], posed: NDArray[np.floating]) -> ObjSculpt:
    """Copies of one vertex along a seam are averaged."""
    count = len(character.mesh)
    copies = np.bincount(vertices, minlength=count)
    sums = np.stack([np.bincount(vertices, weights=told[:, k], minlength=count) for k in range(3)], axis=1)
    held = copies > 0
    points = np.where(held[:, None], sums / np.maximum(copies, 1)[:, None], posed)
    return ObjSculpt(points, held, "order")


def _by_place(character: Character, told: Array, faces: NDArray[np.int64], posed: Array) -> ObjSculpt:
    if len(faces) == 0:
        raise BadFileError(
            f"The OBJ has {len(told)} vertices, no faces, and the character {len(character.mesh.file_to_vertex)} "
            "vertices: they have to be the same mesh."
        )
    tolerance = SAME * extent(posed)
    distance, found = cKDTree(told).query(posed)
    known: NDArray[np.int64] = np.where(np.asarray(distance) <= tolerance, np.asarray(found, np.int64), -1)
    # Two vertices in one place, or two of the OBJ's: only pairs that agree count.
    back, near = (np.asarray(x) for x in cKDTree(posed).query(told))
    taken = np.full(len(told), -1, np.int64)
    taken[back <= tolerance] = near[back <= tolerance]
    beside = _joined(faces, len(told))
    adjacency = character.mesh.topology.adjacency
    if (known >= 0).mean() < 0.02:
        raise BadFileError(
            f"The OBJ is not the same mesh, or stands elsewhere: of its {len(told)} vertices hardly any lies where one "
            f"of the {len(character.mesh)} of the character was sent out."
        )
    pieces = character.mesh.topology.pieces
    wanted = np.isin(pieces, np.unique(pieces[known >= 0]))
    _grow(known, taken, wanted, adjacency.indptr, adjacency.indices, beside, posed, told)
    missing = int((wanted & (known < 0)).sum())
    if missing:
        raise BadFileError(
            f"The OBJ has {len(told)} vertices in another order, and {missing} of the character's cannot be told among "
            "them: they were moved too far from all that stayed. Save it with its vertices in the order they came in."
        )
    held = known >= 0
    points = posed.copy()
    points[held] = told[known[held]]
    return ObjSculpt(points, held, "place")


def _joined(faces: NDArray[np.int64], count: int) -> list[set[int]]:
    """The vertices that each vertex of an OBJ is joined to."""
    out: list[set[int]] = [set() for _ in range(count)]
    for a, b, c in faces.tolist():
        out[a] |= {b, c}
        out[b] |= {a, c}
        out[c] |= {a, b}
    return out


def _grow(
    known: NDArray[np.int64],
    taken: NDArray[np.int64],
    wanted: NDArray[np.bool_],
    starts: NDArray[np.int32],
    neighbours: NDArray[np.int32],
    beside: list[set[int]],
    posed: Array,
    told: Array,
) -> None:
    """Know moved vertices by their neighbours, ring by ring; `known` and `taken` are changed.

    In each round those count that only one vertex of the OBJ can be; where there is none, the likeliest one.
    """
    free = {n for n in range(len(told)) if taken[n] < 0}
    left = set(np.flatnonzero(wanted & (known < 0)).tolist())
    while left:
        sure: dict[int, list[int]] = {}
        guesses: list[tuple[float, int, int]] = []
        for v in left:
            beside_v = neighbours[starts[v] : starts[v + 1]]
            around = [int(known[u]) for u in beside_v if known[u] >= 0]
            votes: dict[int, int] = {}
            for n in around:
                for candidate in beside[n] & free:
                    votes[candidate] = votes.get(candidate, 0) + 1
            if not votes:
                continue
            most = max(votes.values())
            best = [n for n, count in votes.items() if count == most]
            if len(best) == 1 and most >= PARTNERS:
                sure.setdefault(best[0], []).append(v)
                continue
            # The one that went on alike with its neighbours, where several are joined to as many of them.
            moved = np.mean([told[n] - posed[taken[n]] for n in around], axis=0)
            off = [float(np.linalg.norm(told[n] - posed[v] - moved)) for n in best]
            guesses.append((min(off), v, best[int(np.argmin(off))]))
        found = [(who[0], n) for n, who in sure.items() if len(who) == 1]
        if not found and guesses:
            found = [min(guesses)[1:]]
        if not found:
            return
        for v, n in found:
            known[v], taken[n] = n, v
            free.discard(n)
            left.discard(v)


def _triangles(text: str, count: int) -> NDArray[np.int64]:
    """The faces of an OBJ as triangles ``(T, 3)``; broken ones are left out."""
    out = []
    for line in text.splitlines():
        if not line.startswith(("f ", "f\t")):
            continue
        try:
            corners = [int(word.split("/")[0]) for word in line.split()[1:]]
        except ValueError:
            continue
        corners = [c - 1 if c > 0 else count + c for c in corners]
        if all(0 <= c < count for c in corners):
            out += [(corners[0], corners[k], corners[k + 1]) for k in range(1, len(corners) - 1)]
    return np.array(out, np.int64).reshape(-1, 3)
