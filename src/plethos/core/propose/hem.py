"""A hem or a rigid plate that a bend drives into what lies beside it: a helper joint pushes it out of the way."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.geometry.falloff import falloff_from_seed
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import boundary_loops, outward_normals
from plethos.core.measure.girth import bone_directions
from plethos.core.measure.region import MARGIN, joint_region
from plethos.core.propose.beside import Beside
from plethos.core.propose.held import Held
from plethos.core.propose.hem_ground import Ground
from plethos.core.propose.made_helpers import Place, pose_with_added_joints, slide_to, with_joints, with_rules
from plethos.core.rules.remedies import HelperRule, Share
from plethos.core.skeleton.names import free_name
from plethos.core.skin.mask import Mask

NEAR_HEM = 0.5  # of the region's radius: what crosses further from a hem is no business of the hem
REACH = 0.9  # of the radius: how far up the cloth the helper's weights go
MOST_HEMS = 3  # that are tried
TURNS = (1.0, 0.75)  # of the turn that the weights give it: which are tried
RIGID = 0.999  # a weight that is all
AROUND = 1.0  # of the radius: what lies further from the hem is not looked at
STOPS = 3  # knots of the slide after the one where it sets out
FURTHEST, TRIED = 1.2, 6  # of the radius: slides that are tried
SOON = 0.01  # of the way: where a slide sets out at the earliest
LOOKS, MENDED = 17, 24  # how often it is looked at between its stops, and how often they are mended
EARLIER, FURTHER = 0.92, 1.1
FINER = 5  # halvings between the last slide that crosses and the first that does not
LEFT = 0.1  # of what crossed: a push that leaves more is none

Stops = list[tuple[float, float]]


class NoSlideError(BadEditError):
    """No one way leads out of what a hem crosses."""


@dataclass(frozen=True, eq=False)
class Hem:
    """The part of a garment's border that crosses something else in the held pose; of a rigid plate, all of it.

    Parameters
    ----------
    border, crossing
        ``(B,)`` its vertices, and ``(N,)`` those of the garment beside it that cross.
    garment
        ``(V,)`` which vertices are the garment's.
    radius
        Of the joint's region.
    """

    border: NDArray[np.int32]
    crossing: NDArray[np.int32]
    garment: NDArray[np.bool_]
    radius: float

    @classmethod
    def all(cls, held: Held) -> list[Hem]:
        """Those that cross something, the one that crosses most first.

        Raises
        ------
        BadEditError
            When none does.
        """
        character, mesh = held.character, held.character.mesh
        piece = mesh.topology.pieces
        region = joint_region(character, held.joint, mesh.rest, MARGIN)
        beside_it = Beside.of(character, held.joint, region)
        near, triangles = beside_it.near, beside_it.triangles
        pairs = beside_it.crossing(Evaluator.of(character).pose(held.at(1.0)).points)
        sides, found = piece[triangles[pairs, 0]], []
        edges = [(loop, False) for loop in boundary_loops(mesh.topology.triangles)]
        for edge, rigid in [*edges, *((plate, True) for plate in _plates(character))]:
            if not near[edge].any():
                continue
            garment = piece == piece[edge[0]]
            mixed = (sides[:, 0] == piece[edge[0]]) != (sides[:, 1] == piece[edge[0]])
            crossing = np.unique(triangles[pairs[mixed]])
            crossing = crossing[garment[crossing]]
            beside = crossing[_within(mesh.rest, crossing, edge, NEAR_HEM * region.radius)]
            # A plate goes as a whole, or it would bend.
            border = edge if rigid else edge[_within(mesh.rest, edge, beside, NEAR_HEM * region.radius)]
            if len(beside) and len(border):
                found.append(cls(border, beside, garment, region.radius))
        if not found:
            raise BadEditError("No hem of a garment goes into anything here: there is nothing to push out of the way.")
        return sorted(found, key=lambda hem: -len(hem.crossing))


def pushed(held: Held) -> Character:
    """The character with a helper joint that slides a hem, or a plate, out of what it would cross.

    The helper turns about the joint as the hem did, or less, so that it starts from what the weights do. It sets out
    where the hem first crosses, goes as far as it has to for nothing to cross, and never back.

    Raises
    ------
    BadEditError
        When no hem crosses anything there.
    NoSlideError
        When no slide frees it.
    """
    if held.character.skeleton.joint_parents[held.joint] < 0:
        raise BadEditError("The joint hangs on nothing: a helper joint beside it would have nothing to stay with.")
    for hem in Hem.all(held)[:MOST_HEMS]:
        trial = _best(held, hem)
        if trial is not None:
            return with_rules(trial.made, [(trial.place, trial.rules(trial.stops()))])
    raise NoSlideError("No slide frees the hem here: a corrective that pushes it apart does, see “Which kind?”.")


def _best(held: Held, hem: Hem) -> _Try | None:
    """The way out that is shortest, of those that leave least crossing; None where all leave too much."""
    character, mesh, parent = held.character, held.character.mesh, held.character.skeleton.joint_parents[held.joint]
    seed = np.zeros(len(mesh), bool)
    seed[np.union1d(hem.border, hem.crossing)] = True
    mask = Mask.of(falloff_from_seed(mesh.topology, mesh.rest, seed, REACH * hem.radius))
    label = free_name(f"{character.skeleton.names[held.joint]}_hem", set(character.skeleton.names))
    place = Place(label, character.skeleton.rest_global[held.joint, :3, 3], mask)
    made = with_joints(character, parent, [place])
    points, every = Evaluator.of(character).pose(held.at(1.0)).points, np.arange(len(mesh))
    near = np.logical_or.reduce(
        [_within(where, every, mask.vertices, AROUND * hem.radius) for where in (mesh.rest, points)]
    )
    ground = Ground.of(made, hem.garment, near)
    # Laid out once for all that is tried: only the rules differ.
    before, base = ground.count(points), Evaluator.of(with_rules(made, [(place, [_turn_of(held, hem, 1.0)])]))
    _ = base.pose(pose_with_added_joints(held.at(1.0), made)).points
    best: tuple[tuple[int, float], _Try] | None = None
    for turn in TURNS:
        for way in _ways_out(held, hem, ground, parent):
            trial = _Try(held, hem, ground, made, place, parent, way, _turn_of(held, hem, turn), base)
            # Further than the best so far is not worth a look.
            most = best[0][1] if best is not None and best[0][0] == 0 else FURTHEST * hem.radius
            far = trial.least(1.0, 0.0, most)
            key = (trial.count(1.0, far), far)
            if key[0] <= LEFT * before and (best is None or key < best[0]):
                best = (key, trial)
    return None if best is None else best[1]


@dataclass(frozen=True, eq=False)
class _Try:
    """One way to push, and how far it has to go."""

    held: Held
    hem: Hem
    ground: Ground
    made: Character
    place: Place
    parent: int
    way: Array
    turn: HelperRule
    base: Evaluator

    def rules(self, stops: Stops) -> list[HelperRule]:
        return [self.turn, slide_to(self.held, self.parent, self.way, stops)]

    def count(self, share: float, far: float) -> int:
        """What crosses at part of the way, pushed so far."""
        self.held.tell()
        pose = pose_with_added_joints(self.held.at(share), self.made)
        rules = self.rules([(0.0, 0.0), (share * self.held.angle, far)])
        tried = Evaluator.of(with_rules(self.made, [(self.place, rules)]), self.base)
        return self.ground.count(tried.pose(pose).points)

    def stops(self) -> Stops:
        """Where the slide has to be on the way."""
        free, crosses = 0.0, 1.0
        for _ in range(FINER):
            middle = 0.5 * (free + crosses)
            free, crosses = (middle, crosses) if self.count(middle, 0.0) == 0 else (free, middle)
        at = np.linspace(max(free, SOON), 1, STOPS + 1)
        far = np.zeros(STOPS + 1)
        for k in range(1, STOPS + 1):
            far[k] = self.least(float(at[k]), float(far[k - 1]), FURTHEST * self.hem.radius)
        # Between two stops more may be needed than the curve gives there: then it goes earlier, or further.
        for _ in range(MENDED):
            curve = slide_to(self.held, self.parent, self.way, self._knots(at, far)).response
            between = np.linspace(at[0], 1, LOOKS).tolist()
            crosses_at = next((s for s in between if self.count(s, float(curve.at(s * self.held.angle))) > 0), None)
            if crosses_at is None:
                break
            k = int(np.searchsorted(at, crosses_at, side="right")) - 1
            if k == 0:
                at[0] *= EARLIER
            far[max(k, 1)] = min(far[max(k, 1)] * FURTHER, far[min(max(k, 1) + 1, STOPS)])
        return self._knots(at, far)

    def _knots(self, at: Array, far: Array) -> Stops:
        return [(0.0, 0.0), *((s * self.held.angle, d) for s, d in zip(at.tolist(), far.tolist(), strict=True))]

    def least(self, share: float, low: float, most: float) -> float:
        """The least slide from `low` to `most` that frees the hem at part of the way; else what leaves least."""
        steps = np.linspace(0, FURTHEST * self.hem.radius, TRIED)
        tried, counts = [low, *(float(d) for d in steps if low < d < most)], list[int]()
        for far in tried:
            counts.append(self.count(share, far))
            if counts[-1] == 0:
                break
        best = int(np.argmin(counts))
        if best == 0 or counts[best]:
            return tried[best]
        crosses, free = tried[best - 1], tried[best]
        for _ in range(FINER):
            middle = 0.5 * (crosses + free)
            crosses, free = (crosses, middle) if self.count(share, middle) == 0 else (middle, free)
        return free


def _plates(character: Character) -> Iterator[NDArray[np.int32]]:
    """The vertices of each closed piece that follows one joint wholly, save the largest piece: that is the body."""
    mesh, weights = character.mesh, character.binding.joint_weights
    piece = mesh.topology.pieces
    count = int(piece.max(initial=-1)) + 1
    body = int(np.argmax(np.bincount(piece, minlength=1)))
    lead = weights.argmax(axis=1)
    whole = weights[np.arange(len(mesh)), lead] > RIGID
    open_ones = {int(piece[loop[0]]) for loop in boundary_loops(mesh.topology.triangles)}
    for k in range(count):
        own = np.flatnonzero(piece == k).astype(np.int32)
        if k != body and k not in open_ones and whole[own].all() and len(np.unique(lead[own])) == 1:
            yield own


def _turn_of(held: Held, hem: Hem, part: float) -> HelperRule:
    """What the hem takes of the joint's turn by its weights, or part of that."""
    followed = held.character.binding.subtree_weights(held.character.skeleton, held.joint)[hem.border]
    return Share(held.joint, float(np.round(part * followed.mean(), 2)), "all", held.trigger.axis)


def _ways_out(held: Held, hem: Hem, ground: Ground, parent: int) -> Iterator[Array]:
    """Unit ways ``(3,)`` that may lead out of what the hem crosses, at rest in the world as `parent` sees it."""
    character, skeleton = held.character, held.character.skeleton
    posed = Evaluator.of(character).pose(held.at(1.0))
    points = posed.points.astype(np.float64)
    normals = outward_normals(points, character.mesh.topology)
    # The way that the surface faces which is crossed, the way that the cloth itself faces, back from the hem over the
    # cloth, along the limb that turns, and between them.
    faced, own = (_unit(normals[v].sum(axis=0)) for v in (ground.crossed(points), hem.border))
    cloth = ground.triangles[: ground.own]
    away = _unit(points[np.unique(cloth)].mean(axis=0) - points[hem.border].mean(axis=0))
    up = _unit(away - (away @ own) * own)
    back = (posed.world[parent] @ np.linalg.inv(skeleton.rest_global[parent]))[:3, :3]
    turned = posed.world[held.joint] @ np.linalg.inv(skeleton.rest_global[held.joint])
    limb = turned[:3, :3] @ bone_directions(skeleton, held.joint)[1]
    for way in (faced, own, faced + own, up, own + up, limb, limb + own):
        if np.linalg.norm(way) > 1e-6:
            yield _unit(np.linalg.solve(back, way))


def _unit(way: Array) -> Array:
    return np.asarray(way / max(float(np.linalg.norm(way)), 1e-12))


def _within(points: NDArray[np.floating], some: NDArray[Any], others: NDArray[Any], reach: float) -> NDArray[np.bool_]:
    """``(N,)`` which of some vertices lie within reach of others."""
    if not len(some) or not len(others):
        return np.zeros(len(some), bool)
    away, _ = cKDTree(points[others]).query(points[some], distance_upper_bound=reach)
    return np.asarray(np.isfinite(away))
