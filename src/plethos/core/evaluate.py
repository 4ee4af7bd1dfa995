"""Character + pose -> posed points. Read this file to understand the program.

::

    pose -> joint matrices G -> skin matrices S = G @ inverse_bind
         -> triggers -> activations a
    rest points x0 + sum a_i * delta_i          (sparse, before the skin)
         -> skin y = (1 - m) * linear + m * dual quaternion
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.rotations import Array
from plethos.core.shape import Shape
from plethos.core.skeleton import Pose
from plethos.core.skinning import exact
from plethos.core.skinning.bones import rigid_bones, skin_matrices


def activation_of(character: Character, remedy_id: str, pose: Pose) -> float:
    """The activation that a remedy's trigger gives in this pose, before its amount; untied remedies give 0."""
    trigger = character.remedy(remedy_id).trigger
    return trigger.activation(pose) if trigger else 0.0


def all_shapes(character: Character) -> tuple[Shape, ...]:
    """The shapes of the file, then those of the remedies, in order."""
    return character.shapes + tuple(s for r in character.remedies for s in r.shapes)


def shape_activations(character: Character, pose: Pose, remedies: bool | Collection[str] = True) -> NDArray[np.float32]:
    """How much of each of `all_shapes` is on.

    Parameters
    ----------
    remedies
        True = those that are switched on, False = none, or the ids of those that act, switched on or not.
    """
    keyed = pose.shape_weights or {}
    values = [keyed.get(i, shape.weight) for i, shape in enumerate(character.shapes)]
    for remedy in character.remedies:
        acts = remedy.on if remedies is True else remedies is not False and remedy.id in remedies
        activation = remedy.trigger.activation(pose) if remedy.trigger and acts else 0.0
        values += [remedy.amount * w for w in remedy.shape_weights(activation)]
    return np.array(values, dtype=np.float32)


def shaped_points(character: Character, pose: Pose, remedies: bool | Collection[str] = True) -> NDArray[np.float64]:
    """Rest points ``(V, 3)`` with the active shapes added, in the space of their part, float64."""
    points = character.points.astype(np.float64)
    for shape, a in zip(all_shapes(character), shape_activations(character, pose, remedies).tolist(), strict=True):
        if a != 0:
            points[shape.vertices] += a * shape.deltas
    return points


def affine_maps(character: Character, pose: Pose) -> tuple[Array, Array]:
    """Each vertex's map from rest to world, ``y = M x + c``, float64."""
    matrices = skin_matrices(character.bones, character.skeleton.global_matrices(pose))
    return exact.affine_skin(matrices, character.influences, character.weights, character.skin_blend)


def evaluate_exact(character: Character, pose: Pose, remedies: bool | Collection[str] = True) -> Array:
    """Posed points ``(V, 3)`` in the world, float64: slow and sure."""
    return exact.apply_skin(*affine_maps(character, pose), shaped_points(character, pose, remedies))


@dataclass(frozen=True)
class SkinLayout:
    """A character's vertices as the kernel reads them: linear only, then blended, then dual quaternion only.

    Parameters
    ----------
    order
        ``(N,)`` the row of the result that each vertex goes to.
    points, influences, weights, blend
        In that order; the largest weight of a vertex first.
    dual_from, linear_until
        Where dual quaternions begin and linear skinning ends.
    shape_offsets, shape_vertices, shape_deltas
        The shapes, one after the other.
    """

    order: NDArray[np.int32]
    points: NDArray[np.float32]
    influences: NDArray[np.int32]
    weights: NDArray[np.float32]
    blend: NDArray[np.float32]
    dual_from: int
    linear_until: int
    shape_offsets: NDArray[np.int32]
    shape_vertices: NDArray[np.int32]
    shape_deltas: NDArray[np.float32]

    @classmethod
    def of(cls, character: Character, only: NDArray[np.int32] | None) -> SkinLayout:
        """The layout of a character's vertices, or of `only` some ``(N,)``, ascending."""
        chosen = np.arange(len(character.points), dtype=np.int32) if only is None else only
        blend = character.skin_blend[chosen]
        kind = (blend > 0).astype(np.int8) + (blend >= 1)
        order = np.argsort(kind, kind="stable").astype(np.int32)
        rows = chosen[order]
        weights = character.weights[rows]
        largest_first = np.argsort(-weights, axis=1, kind="stable")
        place = np.full(len(character.points), -1, dtype=np.int32)
        place[rows] = np.arange(len(rows), dtype=np.int32)
        offsets, vertices, deltas = [0], [np.zeros(0, np.int32)], [np.zeros((0, 3), np.float32)]
        for shape in all_shapes(character):
            there = place[shape.vertices]
            vertices.append(there[there >= 0])
            deltas.append(shape.deltas[there >= 0])
            offsets.append(offsets[-1] + len(vertices[-1]))
        return cls(
            order=order,
            points=np.ascontiguousarray(character.points[rows]),
            influences=np.ascontiguousarray(np.take_along_axis(character.influences[rows], largest_first, 1)),
            weights=np.ascontiguousarray(np.take_along_axis(weights, largest_first, 1)),
            blend=np.ascontiguousarray(blend[order]),
            dual_from=int((kind == 0).sum()),
            linear_until=int((kind < 2).sum()),
            shape_offsets=np.array(offsets, np.int32),
            shape_vertices=np.ascontiguousarray(np.concatenate(vertices), dtype=np.int32),
            shape_deltas=np.ascontiguousarray(np.concatenate(deltas), dtype=np.float32),
        )


@dataclass(frozen=True)
class Evaluator:
    """A character made ready for the compiled kernel: build once a version, then `evaluate` a pose a frame.

    Parameters
    ----------
    character
        What is evaluated.
    only
        Evaluate these vertices only ``(N,)``, ascending; None = all. Measures of a region use it.
    """

    character: Character
    only: NDArray[np.int32] | None = None

    @cached_property
    def layout(self) -> SkinLayout:
        return SkinLayout.of(self.character, self.only)

    def evaluate(
        self,
        pose: Pose,
        remedies: bool | Collection[str] = True,
        out: NDArray[np.float32] | None = None,
        world: Array | None = None,
    ) -> NDArray[np.float32]:
        """Posed points ``(V, 3)`` (or ``(N, 3)`` of `only`) in the world, float32.

        Parameters
        ----------
        remedies
            As in `shape_activations`.
        out
            Written instead of a new array.
        world
            The pose's global joint matrices, when the caller has them already.
        """
        from plethos.core.kinematics import bone_rows
        from plethos.core.skinning.kernels import add_shapes, deform

        lay, bones = self.layout, self.character.bones
        if world is None:
            world = self.character.skeleton.global_matrices(pose)
        uses_dual = lay.dual_from < len(lay.order)
        columns = np.empty((len(bones.joint), 16), np.float32)
        duals = np.empty((len(bones.joint) if uses_dual else 0, 8), np.float32)
        stretches = np.empty((0, 9), np.float32)
        if not bone_rows(world, bones.joint, bones.inverse_bind, columns, duals):
            rigid = rigid_bones(skin_matrices(bones, world))
            duals[:] = rigid.dual
            stretches = np.ascontiguousarray(rigid.stretch.reshape(-1, 9), dtype=np.float32)
        if out is None:
            out = np.empty_like(lay.points)
        activations, shaped = shape_activations(self.character, pose, remedies), lay.points
        if activations.any():
            shaped = lay.points.copy()
            add_shapes(shaped, lay.shape_offsets, lay.shape_vertices, lay.shape_deltas, activations)
        deform(
            shaped, lay.influences, lay.weights, lay.order, lay.dual_from, lay.linear_until, lay.blend,
            columns, duals, stretches, out,
        )  # fmt: skip
        return out

    @cached_property
    def _place(self) -> NDArray[np.int32]:
        place = np.empty(len(self.layout.order), np.int32)
        place[self.layout.order] = np.arange(len(place), dtype=np.int32)
        return place

    def reweigh(self, vertices: NDArray[np.int32], influences: NDArray[np.int32], weights: NDArray[np.float32]) -> None:
        """Let some vertices follow other bones, at once: for a stroke that is being painted.

        Parameters
        ----------
        vertices
            ``(N,)``.
        influences, weights
            ``(N, K)``, the largest weight first, K as the character has it.
        """
        rows = self._place[vertices]
        self.layout.influences[rows] = influences
        self.layout.weights[rows] = weights

    def on_joints_of(self, character: Character) -> Evaluator:
        """The same made ready for a character of which only joints were moved: for a joint that is being dragged."""
        fresh = Evaluator(character, self.only)
        fresh.__dict__["layout"] = self.layout
        return fresh

    def rest(self) -> NDArray[np.float32]:
        """The points ``(V, 3)`` in the world at rest, no remedy acting."""
        return self.evaluate(self.character.skeleton.rest_pose(), remedies=False)
