"""A hem that a bend drives into what lies beside it: a helper joint pushes it out of the way, as far as it has to."""

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
from plethos.core.mask import Mask
from plethos.core.measure.contact import intersecting_pairs
from plethos.core.measure.region import MARGIN, joint_region
from plethos.core.names import free_name
from plethos.core.propose.held import Held
from plethos.core.propose.helpers import Place, longer, slide_to, with_joints, with_rules
from plethos.core.propose.soft import faded
from plethos.core.remedies import HelperRule, Share
from plethos.core.rotations import Array
from plethos.core.topology import boundary_loops, outward_normals

NEAR_JOINT = 2.0  # of the region's radius: how far from the joint a garment is looked at
NEAR_HEM = 0.5  # of the region's radius: what crosses further from a hem is no business of the hem
REACH = 0.9  # of the radius: how far up the cloth the helper's weights go
AROUND = 1.0  # of the radius: what lies further from the hem is not looked at
STOPS = 3  # knots of the slide after the one where it sets out
FURTHEST, TRIED = 1.2, 9  # of the radius: slides that are tried
SOON = 0.01  # of the way: where a slide sets out at the earliest
LOOKS, MENDED = 10, 12  # how often it is looked at between its stops, and how often they are mended
EARLIER, FURTHER = 0.92, 1.1
FINER = 5  # halvings between the last slide that crosses and the first that does not
LEFT = 0.1  # of what crossed: a push that leaves more is none

Stops = list[tuple[float, float]]


@dataclass(frozen=True, eq=False)
class Hem:
    """The part of a garment's border that crosses something else in the held pose.

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
    def of(cls, held: Held) -> Hem:
        """The hem that crosses most.

        Raises
        ------
        BadEditError
            When none does.
        """
        character, mesh = held.character, held.character.mesh
        piece = mesh.topology.pieces
        region = joint_region(character, held.joint, mesh.rest, MARGIN)
        # A garment may hang on one of the two limbs alone, and bend nowhere.
        at = character.skeleton.rest_global[held.joint, :3, 3]
        near = np.linalg.norm(mesh.rest - at, axis=1) < NEAR_JOINT * region.radius
        near[region.vertices] = True
        points = Evaluator.of(character).pose(held.at(1.0)).points
        best: Hem | None = None
        for loop in boundary_loops(mesh.topology.triangles):
            if not near[loop].any():
                continue
            garment = piece == piece[loop[0]]
            crossing = Ground.of(character, garment, near).crossing(points)
            beside = crossing[_within(mesh.rest, crossing, loop, NEAR_HEM * region.radius)]
            border = loop[_within(mesh.rest, loop, beside, NEAR_HEM * region.radius)]
            if len(border) and (best is None or len(beside) > len(best.crossing)):
                best = cls(border, beside, garment, region.radius)
        if best is None:
            raise BadEditError("No hem of a garment goes into anything here: there is nothing to push out of the way.")
        return best


@dataclass(frozen=True, eq=False)
class Ground:
    """A garment's triangles and those of everything else, near a place.

    Parameters
    ----------
    triangles
        ``(T, 3)`` vertex numbers, the garment's first.
    own
        How many are the garment's.
    at_rest
        Keys of the pairs that cross at rest.
    """

    triangles: NDArray[np.int32]
    own: int
    at_rest: NDArray[np.int64]

    @classmethod
    def of(cls, character: Character, garment: NDArray[np.bool_], near: NDArray[np.bool_]) -> Ground:
        """What lies near ``(V,)``."""
        t = character.mesh.topology.triangles
        t = t[near[t].all(axis=1)]
        own = garment[t].all(axis=1)
        both, count = np.vstack([t[own], t[~own]]), int(own.sum())
        blank = cls(both, count, np.zeros(0, np.int64))
        return cls(both, count, blank._keys(character.mesh.rest))

    def crossing(self, points: NDArray[np.floating]) -> NDArray[np.int32]:
        """The garment's vertices ``(N,)`` whose triangles cross others in a pose and did not at rest."""
        return self._of_side(points, 0)

    def crossed(self, points: NDArray[np.floating]) -> NDArray[np.int32]:
        """The others' vertices ``(N,)`` that it crosses."""
        return self._of_side(points, 1)

    def count(self, points: NDArray[np.floating]) -> int:
        """How many pairs cross that did not at rest."""
        return int((~np.isin(self._keys(points), self.at_rest)).sum())

    def _of_side(self, points: NDArray[np.floating], side: int) -> NDArray[np.int32]:
        keys = self._keys(points)
        fresh = np.divmod(keys[~np.isin(keys, self.at_rest)], len(self.triangles))[side]
        return np.unique(self.triangles[fresh]).astype(np.int32)

    def _keys(self, points: NDArray[np.floating]) -> NDArray[np.int64]:
        pairs = intersecting_pairs(points, self.triangles).astype(np.int64)
        mixed = pairs[(pairs[:, 0] < self.own) & (pairs[:, 1] >= self.own)]
        return mixed[:, 0] * len(self.triangles) + mixed[:, 1]


def pushed(held: Held) -> Character:
    """The character with a helper joint that slides a garment's hem out of what it would cross.

    The helper turns about the joint as the hem did, so that it starts from what the weights do. It sets out where the
    hem first crosses, goes as far as it has to for nothing to cross, and never back.

    Raises
    ------
    BadEditError
        When no hem crosses anything there, or no slide frees it.
    """
    character, mesh, hem = held.character, held.character.mesh, Hem.of(held)
    seed = np.zeros(len(mesh), bool)
    seed[np.union1d(hem.border, hem.crossing)] = True
    mask = Mask.of(faded(mesh.topology, mesh.rest, seed, REACH * hem.radius))
    parent = character.skeleton.joint_parents[held.joint]
    if parent < 0:
        raise BadEditError("The joint hangs on nothing: a helper joint beside it would have nothing to stay with.")
    label = free_name(f"{character.skeleton.names[held.joint]}_hem", set(character.skeleton.names))
    place = Place(label, character.skeleton.rest_global[held.joint, :3, 3], mask)
    made = with_joints(character, parent, [place])
    points, every = Evaluator.of(character).pose(held.at(1.0)).points, np.arange(len(mesh))
    near = np.logical_or.reduce(
        [_within(where, every, mask.vertices, AROUND * hem.radius) for where in (mesh.rest, points)]
    )
    ground = Ground.of(made, hem.garment, near)
    before = ground.count(points)
    turn = _turn_of(held, hem)
    tries = [_Try(held, hem, ground, made, place, parent, way, turn) for way in _ways_out(held, hem, ground, parent)]
    left, trial = min(((t.count(1.0, t.least(1.0, 0.0)), k, t) for k, t in enumerate(tries)), key=lambda x: x[:2])[::2]
    if left > LEFT * before:
        raise BadEditError("No slide frees the hem here: sculpt it, or thin what lies under it.")
    return with_rules(made, [(place, trial.rules(trial.stops()))])


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

    def rules(self, stops: Stops) -> list[HelperRule]:
        return [self.turn, slide_to(self.held, self.parent, self.way, stops)]

    def count(self, share: float, far: float) -> int:
        """What crosses at part of the way, pushed so far."""
        pose = longer(self.held.at(share), self.made)
        rules = self.rules([(0.0, 0.0), (share * self.held.angle, far)])
        return self.ground.count(Evaluator.of(with_rules(self.made, [(self.place, rules)])).pose(pose).points)

    def stops(self) -> Stops:
        """Where the slide has to be on the way."""
        free, crosses = 0.0, 1.0
        for _ in range(FINER):
            middle = 0.5 * (free + crosses)
            free, crosses = (middle, crosses) if self.count(middle, 0.0) == 0 else (free, middle)
        at = np.linspace(max(free, SOON), 1, STOPS + 1)
        far = np.zeros(STOPS + 1)
        for k in range(1, STOPS + 1):
            far[k] = self.least(float(at[k]), float(far[k - 1]))
        # Between two stops more may be needed than lies on the line between them: then it goes earlier, or further.
        for _ in range(MENDED):
            between = np.linspace(at[0], 1, LOOKS)
            crossing = [s for s in between.tolist() if self.count(s, float(np.interp(s, at, far))) > 0]
            if not crossing:
                break
            k = int(np.searchsorted(at, crossing[0], side="right")) - 1
            if k == 0:
                at[0] *= EARLIER
            far[max(k, 1)] = min(far[max(k, 1)] * FURTHER, far[min(max(k, 1) + 1, STOPS)])
        return [(0.0, 0.0), *((s * self.held.angle, d) for s, d in zip(at.tolist(), far.tolist(), strict=True))]

    def least(self, share: float, low: float) -> float:
        """The least slide from `low` on that frees the hem at part of the way; else the one that leaves least."""
        steps = np.linspace(0, FURTHEST * self.hem.radius, TRIED)
        tried, counts = [low, *(float(d) for d in steps if d > low)], list[int]()
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


def _turn_of(held: Held, hem: Hem) -> HelperRule:
    """What the hem takes of the joint's turn by its weights."""
    followed = held.character.binding.subtree_weights(held.character.skeleton, held.joint)[hem.border]
    return Share(held.joint, float(np.round(followed.mean(), 2)), "all", held.trigger.axis)


def _ways_out(held: Held, hem: Hem, ground: Ground, parent: int) -> Iterator[Array]:
    """Unit ways ``(3,)`` that may lead out of what the hem crosses, at rest in the world as `parent` sees it."""
    character, skeleton = held.character, held.character.skeleton
    posed = Evaluator.of(character).pose(held.at(1.0))
    points = posed.points.astype(np.float64)
    normals = outward_normals(points, character.mesh.topology)
    # The way that the surface faces which is crossed, the way that the cloth itself faces, back from the hem over the
    # cloth, and between them.
    faced, own = (_unit(normals[v].sum(axis=0)) for v in (ground.crossed(points), hem.border))
    cloth = ground.triangles[: ground.own]
    away = _unit(points[np.unique(cloth)].mean(axis=0) - points[hem.border].mean(axis=0))
    up = _unit(away - (away @ own) * own)
    back = (posed.world[parent] @ np.linalg.inv(skeleton.rest_global[parent]))[:3, :3]
    for way in (faced, own, faced + own, up, own + up):
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
