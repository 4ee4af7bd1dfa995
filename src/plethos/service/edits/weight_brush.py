"""The brush for weights, as strokes and fills set it."""

from __future__ import annotations

from dataclasses import replace

from plethos.core.character import Character
from plethos.core.weights.gradient import chain_along
from plethos.core.weights.paint import Paint, PaintedWeights
from plethos.core.weights.rows import WeightRows
from plethos.service.schemas.tools import PaintBrush


def paint_of(character: Character, brush: PaintBrush) -> Paint:
    """The brush with joints by number, and with the bone that *even* levels."""
    skeleton = character.skeleton
    locked = skeleton.mask(brush.locked)
    return with_bone(character, Paint(brush.mode, skeleton.find(brush.joint), brush.value, brush.strength, locked))


def with_bone(character: Character, paint: Paint) -> Paint:
    """The brush with the bone that *even* levels."""
    return replace(paint, bone=chain_along(character.skeleton, paint.joint)) if paint.mode == "even" else paint


def painted(character: Character, mirror: bool) -> PaintedWeights:
    """A version's weights under the brush; with `mirror` what is done is done on the other side too."""
    twin, other = character.sides if mirror else (None, None)
    mesh = character.mesh
    rows = WeightRows(character.binding.by_vertex)
    return PaintedWeights(
        mesh.topology, rows, character.skeleton.joint_parents, twin, other, mesh.rest, mesh.mirror_x
    )  # fmt: skip
