"""Character + pose -> posed points. Read this file to understand the program.

::

    pose + dials -> triggers and helper joints, in the order in which they depend on each other   (`program.py`)
                 -> forward kinematics                                                            (`kinematics.py`)
                 -> shapes -> skin (linear | blend | dual) -> shapes after the skin               (`skinning/`)
                 -> deformers -> posed points                                                     (`remedies/`)

`Evaluator.pose` gives a `Posed`: a pose once, with some remedies acting. What it holds is worked out when asked for.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.geometry.rotations import Array
from plethos.core.layouts import Layouts
from plethos.core.rules.moment import Moment
from plethos.core.rules.program import ALL, NONE, Acting, Program, compiled
from plethos.core.rules.remedies import Deformer
from plethos.core.rules.remedies.order import SWITCHES
from plethos.core.rules.triggers import Trigger
from plethos.core.skeleton.kinematics import NO_DUALS, NO_STRETCHES, bone_rows
from plethos.core.skeleton.pose import Pose
from plethos.core.skin import exact
from plethos.core.skin.binding import Binding
from plethos.core.skin.bones import rigid_bones, skin_matrices
from plethos.core.skin.kernels import add_shapes, deform, pose_controls
from plethos.core.skin.layout import ShapeTable, SkinLayout

__all__ = ["ALL", "NONE", "Acting", "Evaluator", "Posed", "evaluate_exact"]


@dataclass(frozen=True, eq=False)
class Evaluator:
    """A version made ready: its rules compiled, its skin laid out as the kernels read it.

    Parameters
    ----------
    character
        What is evaluated.
    program
        Its rules.
    layouts
        Its skin, laid out as far as it was asked for: the only thing of it that changes.
    """

    character: Character
    program: Program
    layouts: Layouts

    @property
    def rows(self) -> NDArray[np.int32] | None:
        """The vertices that are evaluated ``(N,)``, ascending; None = all."""
        return self.layouts.rows

    @classmethod
    def of(
        cls, character: Character, before: Evaluator | None = None, rows: NDArray[np.int32] | None = None
    ) -> Evaluator:
        """A character made ready.

        Parameters
        ----------
        rows
            Evaluate these vertices only ``(N,)``, ascending; None = all. Measures of a region use it.
        before
            The same of another version: what does not differ is taken over. A dragged knot compiles rules anew, but
            lays nothing out.

        Raises
        ------
        BadEditError
            When the rules cannot be compiled.
        """
        old = before.character if before is not None else None
        if (
            before is not None
            and old is not None
            and old.rules is character.rules
            and old.skeleton is character.skeleton
        ):
            program = before.program
        else:
            program = compiled(character.rules, character.skeleton)
        return cls(character, program, Layouts.of(character, rows, before.layouts if before is not None else None))

    def pose(self, pose: Pose, acting: Acting = ALL) -> Posed:
        """The character in a pose, with the remedies that act.

        Raises
        ------
        BadPoseError
            When the pose is one of another skeleton.
        """
        # What nobody has asked to see yet is not laid out for it.
        known = self.layouts.known(acting)
        bones = known.binding.bones if known is not None and known.linear else None
        return Posed(self, self.program.moment(pose, acting, bones), acting, known)

    def trying(self, trigger: Trigger) -> Evaluator | None:
        """The same with another trigger in place of the one of its id; None when its rules have to be compiled."""
        program = self.program.trying(trigger)
        return None if program is None else replace(self, program=program)

    def rest(self) -> NDArray[np.float32]:
        """The points ``(V, 3)`` in the world at rest, no remedy acting."""
        return self.pose(self.character.skeleton.rest_pose(), NONE).points

    def reweigh(self, vertices: NDArray[np.int32], influences: NDArray[np.int32], weights: NDArray[np.float32]) -> None:
        """Let some vertices follow other bones, at once: see `Layouts.reweigh`."""
        self.layouts.reweigh(vertices, influences, weights)

    def layout(self, acting: Acting) -> SkinLayout:
        """The skin as the helpers and blends that act make it; one for each set of them."""
        return self.layouts.of_acting(self.program, acting)

    def table(self, layout: SkinLayout) -> ShapeTable:
        """The shapes as a layout counts vertices."""
        return self.layouts.table(layout)

    def deformers(self, acting: Acting) -> list[tuple[str, Deformer]]:
        """What acts after the skin, in order, with the ids of the remedies."""
        return self.layouts.deformers(self.program, acting)

    @cached_property
    def simple(self) -> bool:
        """Whether correctives are the only shapes, and nothing acts after the skin, whatever is on."""
        return not self.character.rules.deformers and not self.character.mesh.shapes

    def needed(self, acting: Acting) -> NDArray[np.int32]:
        """The vertices that have to be skinned to give `rows` ``(M,)``: deformers look further."""
        return self.layouts.needed(self.program, acting)


@dataclass(eq=False)
class Posed:
    """A character in one pose, with some remedies acting.

    Parameters
    ----------
    evaluator
        Of the character.
    moment
        What every joint and value stands at.
    acting
        Which remedies act.
    """

    evaluator: Evaluator
    moment: Moment
    acting: Acting
    _layout: SkinLayout | None = None
    _points: NDArray[np.float32] | None = None

    @property
    def character(self) -> Character:
        return self.evaluator.character

    @property
    def layout(self) -> SkinLayout:
        """The skin as the remedies that act make it."""
        if self._layout is None:
            self._layout = self.evaluator.layout(self.acting)
        return self._layout

    @property
    def world(self) -> Array:
        """World matrices ``(J, 4, 4)`` of all joints."""
        moment = self.moment
        if moment.world is None:
            moment.world = self.character.skeleton.world(moment.rotations, moment.translations, moment.scales)
        return moment.world

    @property
    def shape_weights(self) -> NDArray[np.float32]:
        """How much of each of `Character.shapes` is on."""
        moment, file = self.moment, self.character.mesh.shapes
        if moment.weights is None:
            moment.weights = self.evaluator.program.target_weights(moment, self.acting)
        if not file:
            return moment.weights
        given = np.array([moment.shape_weights.get(i, s.weight) for i, s in enumerate(file)], np.float32)
        return np.concatenate([given, moment.weights])

    def activation(self, remedy_id: str) -> float:
        """What a remedy's value stands at, clamped to [0, 1], before its amount."""
        return self.evaluator.program.activations(self.moment)[remedy_id]

    def _blend_effects(self) -> list[float]:
        program = self.evaluator.program
        blends = program.acting(self.character.rules.blends, self.acting)
        return [program.effect(self.moment, self.acting, r.id) for r, _ in blends]

    @property
    def points(self) -> NDArray[np.float32]:
        """Posed points ``(V, 3)`` in the world (or those of the evaluator's rows), float32, by the compiled kernels."""
        if self._points is None:  # a cached property takes a lock, a fortieth of what a drawing takes
            self._points = self._skinned()
        return self._points

    def _skinned(self) -> NDArray[np.float32]:
        lay, moment = self.layout, self.moment
        if lay.controls and moment.columns is not None and self.evaluator.simple:
            table = self.evaluator.table(lay)
            if table.flat is not None:
                # So small that each further call in Python would be seen.
                out = lay.points.copy()
                pose_controls(
                    out, table.offsets, table.vertices, table.flat, moment.weights,
                    lay.influences, lay.weights, moment.columns,
                )  # fmt: skip
                return out
        columns, duals, stretches = self._bones(lay)
        weights = self.shape_weights
        shaped = lay.points
        if np.count_nonzero(weights):  # a fifth of what `any` takes
            table = self.evaluator.table(lay)
            shaped = lay.points.copy()
            add_shapes(shaped, table.offsets, table.vertices, table.deltas, weights)
        out = shaped if lay.in_place and shaped is not lay.points else np.empty_like(lay.points)
        deform(
            shaped, lay.influences, lay.weights, lay.order, lay.dual_from, lay.linear_until,
            lay.blend_at(self._blend_effects()) if lay.blends else lay.blend, columns, duals, stretches, out,
        )  # fmt: skip
        return self._finished(out)

    def _bones(self, lay: SkinLayout) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]]:
        """Columns, dual quaternions and stretches of all bones: see `kinematics.bone_rows`."""
        if self.moment.columns is not None:
            return self.moment.columns, NO_DUALS, NO_STRETCHES
        bones = lay.binding.bones
        columns = np.empty((len(bones.rows), 16), np.float32)
        duals, stretches = NO_DUALS, NO_STRETCHES
        if not lay.linear:
            duals, stretches = (np.empty((len(columns), width), np.float32) for width in (8, 9))
        kind = bone_rows(self.world, bones.rows, columns, duals, stretches)
        if kind == 2:
            rigid = rigid_bones(skin_matrices(bones, self.world))
            duals[:] = rigid.dual
            stretches[:] = rigid.stretch.reshape(-1, 9)
        return columns, duals, NO_STRETCHES if kind == 0 else stretches

    def _finished(self, points: NDArray[Any]) -> NDArray[Any]:
        """Skinned points with what acts after the skin; only the rows that are asked for."""
        rows = self.evaluator.rows
        deformers = self.evaluator.deformers(self.acting)
        if not deformers and not self.character.shapes_after:
            return points
        needed = None if rows is None else self.evaluator.needed(self.acting)
        place = None
        if needed is not None:
            place = np.full(len(self.character.mesh), -1, np.int32)
            place[needed] = np.arange(len(needed), dtype=np.int32)
        weights = self.shape_weights
        for i in self.character.shapes_after:
            weight, shape = float(weights[i]), self.character.shapes[i]
            at = shape.vertices if place is None else place[shape.vertices]
            if weight != 0:
                points[at[at >= 0]] += (weight * shape.deltas[at >= 0]).astype(points.dtype)
        for remedy_id, deformer in deformers:
            deformer.apply(points, place, self.evaluator.program.effect(self.moment, self.acting, remedy_id))
        return points if rows is None or place is None else np.ascontiguousarray(points[place[rows]])

    @property
    def channels(self) -> NDArray[np.float32] | None:
        """The channels ``(V, C)`` of all vertices with the active shapes added; None where the mesh has none."""
        given = self.character.mesh.channels
        if given is None:
            return None
        widening = self.character.widening
        if not widening:
            return given
        out, weights = given.copy(), self.shape_weights
        for i, vertices, more in widening:
            if weights[i] != 0:
                out[vertices] += weights[i] * more
        return out

    @cached_property
    def order(self) -> tuple[int, ...]:
        """The parts by number in the order of painting, from back to front."""
        parts = [p.name for p in self.character.mesh.parts]
        now, program = parts, self.evaluator.program
        for remedy, body in program.acting(self.character.rules.orders, self.acting):
            if program.effect(self.moment, self.acting, remedy.id) >= SWITCHES:
                now = body.switched(now)
        number = {n: k for k, n in enumerate(parts)}
        return tuple(number[n] for n in now)

    # The same in float64 with plain NumPy: what the kernels must equal, and what a sculpt is solved through.

    @property
    def binding(self) -> Binding:
        """What the skin follows, helpers over it."""
        return self.layout.binding

    @cached_property
    def affine(self) -> tuple[Array, Array]:
        """Each vertex's map from its shaped rest point to the world, ``y = M x + c``: ``(V, 3, 3)`` and ``(V, 3)``."""
        return self.affine_of(np.arange(len(self.character.mesh)))

    def affine_of(self, vertices: NDArray[np.integer]) -> tuple[Array, Array]:
        """The same of some vertices ``(N,)``: ``(N, 3, 3)`` and ``(N, 3)``."""
        lay, bound = self.layout, self.layout.binding
        place = lay.place[vertices]
        blend = np.where(place >= 0, lay.blend_at(self._blend_effects())[place], np.float32(0))
        matrices = skin_matrices(bound.bones, self.world)
        return exact.affine_skin(matrices, bound.influences[vertices], bound.weights[vertices], blend)

    def shaped(self) -> Array:
        """Rest points ``(V, 3)`` with the active shapes added, in the space of their part, float64."""
        points = self.character.mesh.points.astype(np.float64)
        for shape, weight in zip(self.character.shapes, self.shape_weights.tolist(), strict=True):
            if weight != 0 and not shape.after_skin:
                points[shape.vertices] += weight * shape.deltas
        return points

    def exact_points(self, shaped: Array | None = None) -> Array:
        """Posed points ``(V, 3)`` of the whole character, float64: slow and sure.

        Parameters
        ----------
        shaped
            Rest points to use instead of those that `shaped` gives.
        """
        assert self.evaluator.rows is None, "the exact points are those of a whole character"
        points = exact.apply_skin(*self.affine, self.shaped() if shaped is None else shaped)
        return np.asarray(self._finished(points))


def evaluate_exact(character: Character, pose: Pose, acting: Acting = ALL) -> Array:
    """Posed points ``(V, 3)`` in the world, float64: slow and sure."""
    return Evaluator.of(character).pose(pose, acting).exact_points()
