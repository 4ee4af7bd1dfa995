"""A character's vertices as the kernels read them, for one set of helper masks and skin blends."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skin.binding import Binding
from plethos.core.skin.bone_table import bone_table
from plethos.core.skin.mask import Mask
from plethos.core.skin.mesh import Mesh
from plethos.core.skin.shape import Shape


def masked_binding(mesh: Mesh, skeleton: Skeleton, binding: Binding, helpers: Sequence[tuple[int, Mask]]) -> Binding:
    """The binding with helper joints over it: ``(1 - mask) * binding + mask * helper``, in order.

    Parameters
    ----------
    helpers
        Joints and their masks.
    """
    if not helpers:
        return binding
    wanted = np.zeros((len(mesh.parts), len(skeleton)), dtype=bool)
    for joint, mask in helpers:
        wanted[np.unique(mesh.part_numbers[mask.vertices]), joint] = True
    table = bone_table(mesh, skeleton, binding, wanted)
    # What lies under no mask stays as it is, to the bit.
    under = np.unique(np.concatenate([mask.vertices for _, mask in helpers]))
    columns, rows = [binding.weights[under].astype(np.float64)], [binding.influences[under]]
    for joint, mask in helpers:
        share = mask.dense(len(mesh))[under].astype(np.float64)[:, None]
        columns = [c * (1 - share) for c in columns] + [share]
        row = table.rows[mesh.part_numbers[under], joint]
        rows.append(np.where(row >= 0, row, rows[0][:, 0])[:, None].astype(np.int32))
    own_weights, own_bones = np.concatenate(columns, axis=1), np.concatenate(rows, axis=1)
    order = np.argsort(-own_weights, axis=1, kind="stable")
    # No narrower than it was: a stroke that is being painted needs the room.
    before = binding.influences.shape[1]
    most = max(before, int((own_weights > 0).sum(axis=1).max(initial=1)))
    own_weights = np.take_along_axis(own_weights, order, 1)[:, :most]
    influences = np.repeat(binding.influences[:, :1], most, axis=1)
    influences[:, :before] = binding.influences
    influences[under] = np.take_along_axis(own_bones, order, 1)[:, :most]
    weights = np.zeros((len(mesh), most), np.float32)
    weights[:, :before] = binding.weights
    weights[under] = own_weights / own_weights.sum(axis=1, keepdims=True)
    return Binding(table.bones, influences, weights, binding.joints, binding.blend)


@dataclass(frozen=True, eq=False)
class SkinLayout:
    """Vertices sorted by how they are skinned: linear only, then blended, then dual quaternion only.

    Parameters
    ----------
    binding
        What they follow, helpers over it.
    order
        ``(N,)`` the row of the result that each vertex goes to.
    place
        ``(V,)`` where each vertex of the character stands, -1 for those that are left out.
    points, influences, weights, blend
        In that order; the largest weight of a vertex first.
    dual_from, linear_until
        Where dual quaternions begin and linear skinning ends.
    blends
        For each skin blend its shares ``(N,)`` in that order, and where it says anything ``(N,)``.
    wholly
        Whether all of them act by exactly 1, so that `blend` holds them; else it is the file's.
    controls
        Whether these are the control points of a drawing, three vertices each that follow the same, in the plane z = 0.
    """

    binding: Binding
    order: NDArray[np.int32]
    place: NDArray[np.int32]
    points: NDArray[np.float32]
    influences: NDArray[np.int32]
    weights: NDArray[np.float32]
    blend: NDArray[np.float32]
    dual_from: int
    linear_until: int
    blends: tuple[tuple[NDArray[np.float32], NDArray[np.bool_]], ...] = ()
    wholly: bool = True
    controls: bool = False

    @classmethod
    def of(
        cls,
        mesh: Mesh,
        binding: Binding,
        blends: Sequence[Mask] = (),
        wholly: bool = True,
        only: NDArray[np.int32] | None = None,
    ) -> SkinLayout:
        """The layout of a mesh's vertices, or of `only` some ``(N,)``, ascending.

        Parameters
        ----------
        blends
            The masks of the skin blends that act, in order.
        wholly
            Whether all of them act by exactly 1: then who is skinned how is known for good.
        """
        chosen = np.arange(len(mesh), dtype=np.int32) if only is None else only
        file = np.zeros(len(mesh), np.float32) if binding.blend is None else binding.blend
        dense = [(m.dense(len(mesh))[chosen], np.isin(chosen, m.vertices)) for m in blends]
        blend = blended(file[chosen], dense, [1.0] * len(dense))
        kind = (blend > 0).astype(np.int8) + (blend >= 1)
        if not wholly:
            # By less than wholly anything under a mask is blended.
            kind[np.any([told for _, told in dense], axis=0)] = 1
        order = np.argsort(kind, kind="stable").astype(np.int32)
        rows = chosen[order]
        influences, weights = binding.influences[rows], binding.weights[rows]
        if (weights[:, 1:] > weights[:, :-1]).any():  # seldom: what is bound here is in order
            largest_first = np.argsort(-weights, axis=1, kind="stable")
            influences = np.take_along_axis(influences, largest_first, 1)
            weights = np.take_along_axis(weights, largest_first, 1)
        place = np.full(len(mesh), -1, dtype=np.int32)
        place[rows] = np.arange(len(rows), dtype=np.int32)
        return cls(
            binding=binding,
            order=order,
            place=place,
            points=np.ascontiguousarray(mesh.points[rows]),
            influences=np.ascontiguousarray(influences),
            weights=np.ascontiguousarray(weights),
            blend=np.ascontiguousarray(blend[order] if wholly else file[rows]),
            dual_from=int((kind == 0).sum()),
            linear_until=int((kind < 2).sum()),
            blends=tuple((shares[order], told[order]) for shares, told in dense),
            wholly=wholly,
            controls=mesh.is_flat
            and not kind.any()
            and _alike(influences)
            and _alike(weights)
            and not mesh.points[rows, 2].any(),
        )

    @cached_property
    def linear(self) -> bool:
        """Whether no vertex follows dual quaternions."""
        return self.dual_from == len(self.order)

    @cached_property
    def in_place(self) -> bool:
        """Whether posed points may overwrite the shaped ones: each is read once, and written where it was read."""
        return self.linear and np.array_equal(self.order, np.arange(len(self.order)))

    def blend_at(self, effects: Sequence[float]) -> NDArray[np.float32]:
        """The share of dual quaternions ``(N,)`` when the skin blends act by so much."""
        if self.wholly:
            return self.blend
        return blended(self.blend, self.blends, effects)


def _alike(rows: NDArray[np.generic]) -> bool:
    """Whether rows come in threes that are the same."""
    return len(rows) % 3 == 0 and all(np.array_equal(rows[::3], rows[k::3]) for k in (1, 2))


def blended(
    file: NDArray[np.float32],
    blends: Sequence[tuple[NDArray[np.float32], NDArray[np.bool_]]],
    effects: Sequence[float],
) -> NDArray[np.float32]:
    """``file + effect * (ours - file)`` where a blend says anything, one after the other, within [0, 1]."""
    out = file.copy()
    for (shares, told), effect in zip(blends, effects, strict=True):
        out[told] += np.float32(effect) * (shares[told] - out[told])
    return np.clip(out, 0, 1)


@dataclass(frozen=True, eq=False)
class ShapeTable:
    """Shapes one after the other, their vertices counted as a layout does.

    Parameters
    ----------
    shapes
        What it was made of.
    offsets, vertices, deltas
        Shape s moves ``vertices[offsets[s]:offsets[s + 1]]`` by the same rows of `deltas`.
    """

    shapes: tuple[Shape, ...]
    offsets: NDArray[np.int32]
    vertices: NDArray[np.int32]
    deltas: NDArray[np.float32]

    @cached_property
    def flat(self) -> NDArray[np.float32] | None:
        """The deltas ``(N, 2)`` of shapes in the plane z = 0; None where one leaves it."""
        return None if self.deltas[:, 2].any() else np.ascontiguousarray(self.deltas[:, :2])

    @classmethod
    def of(cls, shapes: tuple[Shape, ...], layout: SkinLayout) -> ShapeTable:
        offsets, vertices, deltas = [0], [np.zeros(0, np.int32)], [np.zeros((0, 3), np.float32)]
        for shape in shapes:
            there = layout.place[shape.vertices]
            # Those of after the skin are added elsewhere: here they are empty.
            inside = (there >= 0) & (not shape.after_skin)
            vertices.append(there[inside])
            deltas.append(shape.deltas[inside])
            offsets.append(offsets[-1] + len(vertices[-1]))
        return cls(
            shapes,
            np.array(offsets, np.int32),
            np.ascontiguousarray(np.concatenate(vertices), dtype=np.int32),
            np.ascontiguousarray(np.concatenate(deltas), dtype=np.float32),
        )
