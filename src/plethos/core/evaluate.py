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
    def _arrays(self) -> tuple[NDArray[np.float32], ...]:
        c = self.character
        pick = slice(None) if self.only is None else self.only
        return (
            np.ascontiguousarray(c.points[pick]),
            np.ascontiguousarray(c.weights[pick]),
            np.ascontiguousarray(c.skin_blend[pick]),
        )

    @cached_property
    def _influences(self) -> NDArray[np.int32]:
        c = self.character
        return np.ascontiguousarray(c.influences if self.only is None else c.influences[self.only])

    @cached_property
    def _shape_rows(self) -> tuple[NDArray[np.int32], NDArray[np.int32], NDArray[np.float32]]:
        """The shapes by vertex: offsets, shape numbers, deltas."""
        shapes = all_shapes(self.character)
        count = len(self.character.points)
        vertex = np.concatenate([np.zeros(0, np.int32), *(s.vertices for s in shapes)])
        number = np.repeat(np.arange(len(shapes), dtype=np.int32), [len(s.vertices) for s in shapes])
        deltas = np.concatenate([np.zeros((0, 3), np.float32), *(s.deltas for s in shapes)])
        if self.only is not None:
            place = np.full(count, -1, dtype=np.int32)
            place[self.only] = np.arange(len(self.only))
            keep = place[vertex] >= 0
            vertex, number, deltas, count = place[vertex[keep]], number[keep], deltas[keep], len(self.only)
        order = np.argsort(vertex, kind="stable")
        offsets = np.concatenate([[0], np.cumsum(np.bincount(vertex, minlength=count))]).astype(np.int32)
        return offsets, np.ascontiguousarray(number[order]), np.ascontiguousarray(deltas[order])

    @cached_property
    def _uses_dual(self) -> bool:
        return bool((self._arrays[2] > 0).any())

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
        from plethos.core.skinning.kernels import deform

        character = self.character
        points, weights, blend = self._arrays
        if world is None:
            world = character.skeleton.global_matrices(pose)
        matrices = skin_matrices(character.bones, world)
        bones = np.ascontiguousarray(matrices[:, :3, :].reshape(-1, 12), dtype=np.float32)
        duals = np.zeros((len(bones), 8), np.float32)
        stretches = np.zeros((len(bones), 9), np.float32)
        stretched = False
        if self._uses_dual:
            rigid = rigid_bones(matrices)
            duals[:] = rigid.dual
            stretches[:] = rigid.stretch.reshape(-1, 9)
            stretched = bool(np.abs(rigid.stretch - np.eye(3)).max() > 1e-6)
        if out is None:
            out = np.empty_like(points)
        activations = shape_activations(character, pose, remedies)
        offsets, numbers, deltas = self._shape_rows
        deform(
            points, offsets, numbers, deltas, activations, self._influences, weights,
            bones, duals, stretches, stretched, blend, out,
        )  # fmt: skip
        return out

    def rest(self) -> NDArray[np.float32]:
        """The points ``(V, 3)`` in the world at rest, no remedy acting."""
        return self.evaluate(self.character.skeleton.rest_pose(), remedies=False)
