"""Splitting a fill across a joint: two fills that each cover their own side, their common edge without a stroke.

A fill that bends is one loop, and where the loop crosses itself at a fold an even-odd fill is empty. Two loops do not
cross: the fold is where one lies over the other.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.geometry.outlines import AFTER, BEFORE, POINT, Curve, Drawn, Outlines, crossed, cut
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import extent
from plethos.core.rules.remedies import Remedy
from plethos.core.skin.mask import Mask
from plethos.core.skin.mesh import Mesh, Part
from plethos.core.skin.picked import PickedRegion
from plethos.core.skin.shape import Shape
from plethos.core.weights.assign import INSIDE, with_joint_weights

OVERLAP = 0.12  # of the width: how far the half that lies behind goes on under the other, so that no seam is seen
Mixed = dict[int, float]  # a vertex as so much of each of some vertices


@dataclass
class _Control:
    """A control point of the split drawing: its point and handles, and what it follows, as mixtures of the old."""

    point: Mixed
    before: Mixed
    after: Mixed
    follows: Mixed
    hidden: bool = False  # whether the edge to the next has no stroke


@dataclass
class _Loop:
    controls: list[_Control]
    closed: bool


@dataclass
class _Thing:
    drawn: Drawn
    loops: list[_Loop] = field(default_factory=list)


def split_across(character: Character, joint: int, part: str | None = None) -> Character:
    """The drawing with the fills that bend at a joint split across it; shapes, weights and masks go along.

    Parameters
    ----------
    part
        Only in this part; None = wherever the joint bends a fill.

    Raises
    ------
    BadEditError
        When no fill goes from one side of the joint to the other.
    """
    mesh = character.mesh
    if not mesh.is_flat:
        raise BadEditError("This is no drawing: there is no fill to be split.")
    if part is not None:
        mesh.part(part)
    weight = character.binding.subtree_weights(character.skeleton, joint)
    parts: list[tuple[Part, list[_Thing]]] = []
    found = 0
    for own, surface in mesh.outlines():
        things: list[_Thing] = []
        for drawn in surface.drawn:
            thing = _thing(drawn, surface, own.vertices[0])
            halves = _halves(character, joint, thing, weight) if part in (None, own.name) else None
            found += halves is not None
            things += halves or [thing]
        parts.append((own, things))
    if not found:
        name = character.skeleton.names[joint]
        raise BadEditError(f"No fill goes across “{name}”: there is nothing to be split.")
    return _rebuilt(character, parts)


def _thing(drawn: Drawn, surface: Outlines, first: int) -> _Thing:
    hidden = set(drawn.stroke.hidden) if drawn.stroke else set()
    loops = []
    for number in drawn.curves:
        curve = surface.curves[number]
        heads = [first + 3 * k for k in curve.controls]
        controls = [
            _Control({h + POINT: 1.0}, {h + BEFORE: 1.0}, {h + AFTER: 1.0}, {h: 1.0}, k in hidden)
            for h, k in zip(heads, curve.controls, strict=True)
        ]
        loops.append(_Loop(controls, curve.closed))
    return _Thing(drawn, loops)


def _mix(one: Mixed, other: Mixed, t: float) -> Mixed:
    out = {v: (1 - t) * w for v, w in one.items()}
    for v, w in other.items():
        out[v] = out.get(v, 0.0) + t * w
    return out


def _place(mixed: Mixed, rest: Array) -> Array:
    return np.asarray(sum(w * rest[v, :2] for v, w in mixed.items()))


def _halves(character: Character, joint: int, thing: _Thing, weight: NDArray[np.floating]) -> list[_Thing] | None:
    """A filled thing as its two halves, the one that turns with the joint last; None where it does not go across."""
    rest = character.mesh.rest.astype(np.float64)
    if thing.drawn.fill is None:
        return None
    at, along = _cut_line(character, joint)
    for number, loop in enumerate(thing.loops):
        follow = [weight[next(iter(c.follows))] for c in loop.controls]
        if not loop.closed or min(follow) > 0.5 or max(follow) < 0.5:
            continue
        cuts = _crossings(loop, rest, at, along)
        if cuts is None:
            continue
        (one, s), (other, t) = sorted(cuts)
        controls = list(loop.controls)
        # From the back, so that the first cut's number still holds.
        _insert(controls, other, t)
        _insert(controls, one, s)
        first, second = one + 1, other + 2
        ring = [controls[first : second + 1], [*controls[second:], *controls[: first + 1]]]
        turns = [float(np.mean([_share(c, weight) for c in half])) for half in ring]
        back, front = (0, 1) if turns[0] <= turns[1] else (1, 0)
        width = float(np.linalg.norm(_place(controls[first].point, rest) - _place(controls[second].point, rest)))
        loops = [_closed_off(half, ring[1 - k], rest, width if k == back else 0.0) for k, half in enumerate(ring)]
        sides: list[list[_Loop]] = [[loops[0]], [loops[1]]]
        for k, rest_loop in enumerate(thing.loops):
            if k != number:
                inner = float(np.mean([_share(c, weight) for c in rest_loop.controls]))
                sides[front if inner > 0.5 else back].append(rest_loop)
        names = (thing.drawn.name, f"{thing.drawn.name}, {character.skeleton.names[joint]}")
        return [
            _Thing(replace(thing.drawn, name=name, told=""), sides[k])
            for name, k in zip(names, (back, front), strict=True)
        ]
    return None


def _share(control: _Control, weight: NDArray[np.floating]) -> float:
    return float(sum(w * weight[v] for v, w in control.follows.items()))


def _cut_line(character: Character, joint: int) -> tuple[Array, Array]:
    """Where a joint is, and the way along its two bones, between which the cut goes across."""
    skeleton = character.skeleton
    at = skeleton.rest_global[:, :2, 3]
    ways = []
    below, parent = skeleton.main_child(joint), skeleton.joint_parents[joint]
    if below is not None:
        ways.append(at[below] - at[joint])
    if parent >= 0:
        ways.append(at[joint] - at[parent])
    units = [w / np.linalg.norm(w) for w in ways if np.linalg.norm(w) > 1e-9]
    along = sum(units, np.zeros(2))
    if not units or np.linalg.norm(along) < 1e-6:
        raise BadEditError(f"“{skeleton.names[joint]}” has no bones that a fill could be split between.")
    return at[joint], along / np.linalg.norm(along)


def _crossings(loop: _Loop, rest: Array, at: Array, along: Array) -> tuple[tuple[int, float], tuple[int, float]] | None:
    """The nearest crossings of a loop with the line across a joint, one on each side: segment and parameter."""
    best: dict[bool, tuple[float, int, float]] = {}
    count = len(loop.controls)
    for k, (a, b) in enumerate(zip(loop.controls, [*loop.controls[1:], loop.controls[0]], strict=True)):
        bezier = np.stack([_place(m, rest) for m in (a.point, a.after, b.before, b.point)])
        for t, off in crossed(bezier, at, along):
            # Of a point that lies on the line the segment after it has the crossing.
            if t < 1 - 1e-9 and ((off > 0) not in best or abs(off) < best[off > 0][0]):
                best[off > 0] = (abs(off), k, t)
    if len(best) < 2 or best[True][1] == best[False][1] or count < 2:
        return None
    return (best[True][1], best[True][2]), (best[False][1], best[False][2])


def _insert(controls: list[_Control], k: int, t: float) -> None:
    """Put a control point onto a segment without changing its curve, by de Casteljau's scheme; in place."""
    a, b = controls[k], controls[(k + 1) % len(controls)]
    (_, after, fresh_before, point), (_, fresh_after, before, _) = cut((a.point, a.after, b.before, b.point), t, _mix)
    fresh = _Control(point, fresh_before, fresh_after, _mix(a.follows, b.follows, t), a.hidden)
    controls[k] = replace(a, after=after)
    controls[(k + 1) % len(controls)] = replace(b, before=before)
    controls.insert(k + 1, fresh)


def _closed_off(half: Sequence[_Control], other: Sequence[_Control], rest: Array, width: float) -> _Loop:
    """One side of a cut as a loop; with a width it goes on a little under the other side."""
    controls = list(half)

    def under(own: _Control, onwards: Sequence[_Control]) -> Mixed:
        # Towards the first point of the other side that is not nearer than it is to go.
        long = OVERLAP * width
        far = [float(np.linalg.norm(_place(c.point, rest) - _place(own.point, rest))) for c in onwards]
        beside = next((k for k, f in enumerate(far) if f > max(long, 1e-9)), None)
        return own.point if beside is None else _mix(own.point, onwards[beside].point, long / far[beside])

    inner = list(other[1:-1])
    controls[0] = replace(controls[0], before=under(controls[0], inner[::-1]))
    controls[-1] = replace(controls[-1], after=under(controls[-1], inner), hidden=True)
    return _Loop(controls, True)


def _rebuilt(character: Character, parts: list[tuple[Part, list[_Thing]]]) -> Character:
    """The character of the new control points."""
    mesh = character.mesh
    rows: list[Mixed] = []
    follows: list[Mixed] = []
    fresh: list[Part] = []
    for own, things in parts:
        first, curves, drawn = len(rows), list[Curve](), list[Drawn]()
        count = 0
        for thing in things:
            numbers, hidden = [], []
            for loop in thing.loops:
                numbers.append(len(curves))
                curves.append(Curve(count, len(loop.controls), loop.closed))
                for k, c in enumerate(loop.controls):
                    rows += [c.point, c.before, c.after]
                    follows += [c.follows] * 3
                    hidden += [count + k] * c.hidden
                count += len(loop.controls)
            stroke = thing.drawn.stroke and replace(thing.drawn.stroke, hidden=tuple(hidden))
            drawn.append(replace(thing.drawn, curves=tuple(numbers), stroke=stroke))
        span = (first, len(rows))
        fresh.append(Part(own.name, span, span, Outlines(tuple(curves), tuple(drawn))))
    move, follow = _matrix(rows, len(mesh)), _matrix(follows, len(mesh))
    rest = (move @ mesh.rest.astype(np.float64)).astype(np.float32)
    made = Mesh(
        tuple(fresh), rest, rest, np.arange(len(rows), dtype=np.int32),
        tuple(_shape(s, move, follow, mesh) for s in mesh.shapes), None, mesh.mirror_x,
        None if mesh.channels is None else (follow @ mesh.channels).astype(np.float32),
    )  # fmt: skip
    dense = follow @ character.binding.joint_weights.astype(np.float64)
    # Bones are those of the vertex that a new one follows most.
    nearest = np.array([max(f, key=lambda v: f[v]) for f in follows])
    binding = replace(
        character.binding, influences=character.binding.influences[nearest], weights=character.binding.weights[nearest]
    )
    rules = replace(
        character.rules, remedies=tuple(_remedy(r, move, follow, mesh) for r in character.rules.remedies)
    )  # fmt: skip
    regions = tuple(PickedRegion.of(r.name, follow @ r.dense(len(mesh))) for r in character.regions)
    laid = replace(character, mesh=made, binding=binding, rules=rules, regions=regions)
    return with_joint_weights(laid, dense, INSIDE)


def _matrix(rows: list[Mixed], count: int) -> sparse.csr_matrix:
    at = [(i, v, w) for i, row in enumerate(rows) for v, w in row.items()]
    i, v, w = (np.array(x) for x in zip(*at, strict=True))
    return sparse.csr_matrix((w, (i, v)), (len(rows), count))


def _shape(shape: Shape, move: sparse.csr_matrix, follow: sparse.csr_matrix, mesh: Mesh) -> Shape:
    deltas = move @ shape.dense(len(mesh)).astype(np.float64)
    wider = np.zeros((len(mesh), 1 if shape.channels is None else shape.channels.shape[1]))
    if shape.channels is not None:
        wider[shape.vertices] = shape.channels
    wider = follow @ wider
    least = 1e-9 * extent(mesh.rest)
    moved = np.flatnonzero((np.abs(deltas).max(axis=1) > least) | (np.abs(wider).max(axis=1) > least))
    return replace(
        shape, vertices=moved.astype(np.int32), deltas=deltas[moved].astype(np.float32),
        channels=None if shape.channels is None else wider[moved].astype(np.float32),
    )  # fmt: skip


def _remedy(remedy: Remedy, move: sparse.csr_matrix, follow: sparse.csr_matrix, mesh: Mesh) -> Remedy:
    body = remedy.sculpted
    if body is not None:
        targets = tuple(replace(t, shape=_shape(t.shape, move, follow, mesh)) for t in body.targets)
        return replace(remedy, body=replace(body, targets=targets))
    if remedy.mask is not None:
        return remedy.with_mask(Mask.of(follow @ remedy.mask.dense(len(mesh))))
    return remedy
