"""Housekeeping of correctives: scaled, trimmed, split in two sides, merged, carried onto a garment; a body thinned."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import extent
from plethos.core.rules.remedies import Corrective, Remedy, Target
from plethos.core.rules.remedies.corrective import target_name
from plethos.core.sculpt import kernels
from plethos.core.skeleton.names import free_name, new_id, other_side_name
from plethos.core.skin.mesh import Mesh
from plethos.core.skin.shape import Shape

NEAREST = 16  # triangles that are looked at for each vertex
REACH = 0.05  # of the height: how far a garment lies from the skin that it takes a shape from, at most
UNDER = 0.5  # cosine between the way out of the skin and the way to what lies over it
EDGE = 0.5  # of that: where it begins to take less


def _corrective(remedy: Remedy) -> Corrective:
    return remedy.shapes_or_refuse("has no shape: only a corrective has.")


def _reshaped(remedy: Remedy, change: Callable[[Shape], Shape]) -> Remedy:
    """The remedy with each of its shapes changed."""
    body = _corrective(remedy)
    targets = tuple(replace(t, shape=change(t.shape)) for t in body.targets)
    return replace(remedy, body=replace(body, targets=targets))


def _weighed(shape: Shape, shares: NDArray[np.floating]) -> Shape:
    """A shape times shares ``(V,)``; what comes to nothing drops out."""
    share = shares[shape.vertices]
    keep = share > 0
    deltas = shape.deltas[keep] * share[keep, None]
    channels = None if shape.channels is None else shape.channels[keep] * share[keep, None]
    return replace(
        shape, vertices=shape.vertices[keep], deltas=np.ascontiguousarray(deltas, np.float32), channels=channels
    )


def scaled(remedy: Remedy, factor: float) -> Remedy:
    """A corrective whose shapes go so many times as far: its amount is 1 again with `factor` = the amount.

    Raises
    ------
    BadEditError
        When it is none, or for a factor that is none.
    """
    if not np.isfinite(factor) or not 0 < abs(factor) <= 10:
        raise BadEditError("A shape can be scaled by up to 10, and not by 0.")
    return _reshaped(remedy, lambda s: replace(s, deltas=(s.deltas * np.float32(factor))))


def trimmed(remedy: Remedy, least: float) -> tuple[Remedy, int]:
    """A corrective without offsets shorter than `least` metres; how many dropped out.

    Raises
    ------
    BadEditError
        When nothing would be left of a shape.
    """
    gone = 0

    def change(shape: Shape) -> Shape:
        nonlocal gone
        keep = np.linalg.norm(shape.deltas, axis=1) >= least
        if not keep.any():
            raise BadEditError(f"All of “{shape.name}” is shorter than that: trim less, or delete it.")
        gone += int((~keep).sum())
        channels = None if shape.channels is None else shape.channels[keep]
        return replace(shape, vertices=shape.vertices[keep], deltas=shape.deltas[keep], channels=channels)

    return _reshaped(remedy, change), gone


def split(character: Character, remedy: Remedy, soft: float) -> tuple[Remedy, Remedy]:
    """A corrective as two, one for each side, that add up to it.

    Parameters
    ----------
    soft
        How wide the middle is in which one fades into the other, metres.

    Returns
    -------
    left, right
        Of the character: the left is where x is larger. The left keeps the corrective's id.

    Raises
    ------
    BadEditError
        When all of it lies on one side.
    """
    body = _corrective(remedy)
    across = character.mesh.rest[:, 0].astype(np.float64) - character.mesh.mirror_x
    # A smooth step, so that both sides meet without a crease.
    t = np.clip(across / max(soft, 1e-9) + 0.5, 0, 1)
    left = t * t * (3 - 2 * t)
    taken = {r.name for r in character.rules.remedies if r.id != remedy.id}
    names = _side_names(remedy.name)
    halves = []
    for name, shares in zip(names, (left, 1 - left), strict=True):
        label = free_name(name, taken)
        targets = tuple(
            replace(t, shape=replace(_weighed(t.shape, shares), name=target_name(label, t.at))) for t in body.targets
        )
        if any(len(t.shape.vertices) == 0 for t in targets):
            raise BadEditError(f"All of “{remedy.name}” lies on one side: there is nothing to split.")
        halves.append(replace(remedy, body=replace(body, targets=targets), name=label, twin=None))
    one, other = halves[0], replace(halves[1], id=new_id())
    return one, other


def _side_names(name: str) -> tuple[str, str]:
    if other_side_name(name) is not None:
        return f"{name}, left half", f"{name}, right half"
    return f"left {name}", f"right {name}"


def merged(one: Remedy, other: Remedy) -> Remedy:
    """Two correctives as one, the first's: tied as it is, with targets wherever either has one.

    Raises
    ------
    BadEditError
        When they are tied to different values: then they act at different times.
    """
    a, b = _corrective(one), _corrective(other)
    if one.by != other.by:
        raise BadEditError(f"“{one.name}” and “{other.name}” follow different values: tie them to the same one first.")
    if a.eased != b.eased:
        raise BadEditError(f"One of “{one.name}” and “{other.name}” eases between its targets: let both do, or none.")
    places = sorted({t.at for t in (*a.targets, *b.targets)})
    targets = []
    for at in places:
        shape = _sum(
            target_name(one.name, at),
            [(s, w * part.amount) for part, body in ((one, a), (other, b)) for s, w in _at(body, at)],
        )
        made = next((t for t in a.targets if t.at == at), None) or next(t for t in b.targets if t.at == at)
        targets.append(Target(shape, at, made.pose, made.report))
    return replace(one, body=Corrective(tuple(targets), a.eased), amount=1.0, notes=())


def _at(body: Corrective, activation: float) -> list[tuple[Shape, float]]:
    return [(t.shape, w) for t, w in zip(body.targets, body.weights(activation), strict=True) if w > 0]


def _sum(name: str, parts: list[tuple[Shape, float]]) -> Shape:
    vertices = np.unique(np.concatenate([s.vertices for s, _ in parts])).astype(np.int32)
    deltas = np.zeros((len(vertices), 3))
    for shape, weight in parts:
        deltas[np.searchsorted(vertices, shape.vertices)] += weight * shape.deltas
    return Shape(name, vertices, deltas.astype(np.float32))


def copied(character: Character, remedy: Remedy) -> Remedy:
    """The same remedy once more, off, so that the two do not add up at once."""
    name = free_name(remedy.name, {r.name for r in character.rules.remedies})
    body = remedy.body
    if remedy.sculpted is not None:
        targets = tuple(
            replace(t, shape=replace(t.shape, name=target_name(name, t.at))) for t in remedy.sculpted.targets
        )
        body = replace(remedy.sculpted, targets=targets)
    return replace(remedy, body=body, name=name, id=new_id(), twin=None, on=False)


def carried_to(character: Character, remedy: Remedy, part: str) -> tuple[Remedy, int]:
    """A corrective that moves a garment too, as it moves the skin under it; how many vertices came along.

    Each vertex of the garment takes the offset of the nearest place on the shape's own surface, less the further away
    it lies.

    Raises
    ------
    BadEditError
        When there is no such part, or it lies too far from what the shape moves.
    """
    mesh = character.mesh
    own = _part_mask(mesh, part)
    rest = mesh.rest.astype(np.float64)
    triangles = mesh.topology.triangles
    limit = REACH * extent(rest)
    count = 0

    def change(shape: Shape) -> Shape:
        nonlocal count
        dense = shape.dense(len(mesh)).astype(np.float64)
        moved = np.linalg.norm(dense, axis=1) > 0
        moved[own] = False
        skin = triangles[moved[triangles].any(axis=1) & ~own[triangles].any(axis=1)]
        if len(skin) == 0:
            raise BadEditError(f"“{remedy.name}” moves nothing but “{part}” already.")
        garment = np.flatnonzero(own)
        offsets, away = _from_surface(rest[garment], rest, skin, dense)
        fade = np.clip((limit - away) / (EDGE * limit), 0, 1)
        offsets *= (fade * fade * (3 - 2 * fade))[:, None]
        dense[garment] = np.where((dense[garment] != 0).any(axis=1)[:, None], dense[garment], offsets)
        fresh = Shape.from_dense(shape.name, dense, 1e-6 * extent(rest))
        count = max(count, int(own[fresh.vertices].sum()))
        return replace(shape, vertices=fresh.vertices, deltas=fresh.deltas, channels=None)

    made = _reshaped(remedy, change)
    if count == 0:
        raise BadEditError(f"“{part}” lies too far from what “{remedy.name}” moves.")
    return made, count


def _part_mask(mesh: Mesh, part: str) -> NDArray[np.bool_]:
    found = next((p for p in mesh.parts if p.name == part), None)
    if found is None:
        raise BadEditError(f"There is no part called “{part}” in this character.")
    own = np.zeros(len(mesh), bool)
    own[slice(*found.vertices)] = True
    return own


def _from_surface(places: Array, rest: Array, skin: NDArray[np.int32], offsets: Array) -> tuple[Array, Array]:
    """The offsets ``(N, 3)`` of the nearest places on a surface, and how far away ``(N,)`` those are."""
    corners = rest[skin]
    tree = cKDTree(corners.mean(axis=1))
    near = np.asarray(tree.query(places, min(NEAREST, len(skin)))[1], np.int64).reshape(len(places), -1)
    found = np.empty_like(places)
    kernels.nearest_on(places, corners, near, found)
    # Which of the triangles it was: the one whose plane and corners give that place.
    best, shares = np.zeros(len(places), np.int64), np.zeros((len(places), 3))
    least = np.full(len(places), np.inf)
    for k in range(near.shape[1]):
        rows = near[:, k]
        inside = _barycentric(found, corners[rows])
        off = np.linalg.norm(np.einsum("nk,nkc->nc", inside, corners[rows]) - found, axis=1)
        off = np.where((inside < -1e-6).any(axis=1), np.inf, off)
        better = np.flatnonzero(off < least)
        best[better], shares[better], least[better] = rows[better], inside[better], off[better]
    moved = np.einsum("nk,nkc->nc", shares, offsets[skin[best]])
    return moved, np.linalg.norm(found - places, axis=1)


def _barycentric(places: Array, corners: Array) -> Array:
    """Coordinates ``(N, 3)`` of places in the planes of triangles ``(N, 3, 3)``."""
    a, b, c = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0], places - corners[:, 0]
    aa, ab, bb, ca, cb = (np.einsum("nc,nc->n", x, y) for x, y in ((a, a), (a, b), (b, b), (c, a), (c, b)))
    whole = np.maximum(aa * bb - ab * ab, 1e-30)
    u, v = (bb * ca - ab * cb) / whole, (aa * cb - ab * ca) / whole
    return np.stack([1 - u - v, u, v], axis=1)


def thinned(character: Character, garment: str, depth: float, name: str) -> Remedy:
    """A corrective that draws the skin in under a garment, not tied yet: for the dial that puts the garment on.

    Parameters
    ----------
    garment
        The part that hides the skin.
    depth
        How far in, metres.

    Raises
    ------
    BadEditError
        When there is no such part, or no skin under it.
    """
    mesh = character.mesh
    own = _part_mask(mesh, garment)
    rest = mesh.rest.astype(np.float64)
    size = extent(rest)
    if not 0 < depth <= 0.1 * size:
        raise BadEditError("Skin can be drawn in by up to a tenth of the character's height.")
    normals = mesh.outward
    found = cKDTree(rest[own]).query(rest)
    away, nearest = np.asarray(found[0]), np.asarray(found[1])
    near = np.flatnonzero(own)[nearest]
    # Under it: near to it, and it lies outwards of the skin.
    over = np.einsum("vc,vc->v", rest[near] - rest, normals)
    reach = 0.5 * REACH * size
    under = np.asarray(~own & (away < reach) & (over > UNDER * away))
    under = under & ~mesh.border
    if not under.any():
        raise BadEditError(f"No skin lies under “{garment}”.")
    # Fading over some rings towards the rim, or the edge of the hidden skin would show.
    shares = under.astype(np.float64)
    some = np.flatnonzero(mesh.topology.grow(under, 3))
    for _ in range(6):
        around = mesh.topology.mean_beside(shares[:, None], some)[:, 0]
        shares[some] = np.where(under[some], 0.5 * (shares[some] + around), 0.0)
    deltas = -depth * shares[:, None] * normals
    label = free_name(name, {r.name for r in character.rules.remedies})
    return Remedy(Corrective.of(Shape.from_dense(label, deltas, 0.02 * depth)), label)
