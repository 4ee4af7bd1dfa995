"""A sculpt of a drawing: an SVG of the same points, as `svg_of` wrote it in a pose and someone moved them."""

from __future__ import annotations

from dataclasses import dataclass

from plethos.core.character import Character
from plethos.core.errors import BadFileError
from plethos.core.formats.svg_file import parse_svg
from plethos.core.formats.svg_read import bare_drawing
from plethos.core.geometry.rotations import Array
from plethos.core.skin.mesh import Mesh


@dataclass(frozen=True, eq=False)
class SvgSculpt:
    """Where a sculpt puts points ``(V, 3)``, and how wide it makes strokes ``(V, 1)``."""

    points: Array
    channels: Array


def sculpt_from_svg(character: Character, data: bytes) -> SvgSculpt:
    """Read a sculpt.

    Raises
    ------
    BadFileError
        When its points are not those of the character, in number and order.
    """
    mesh = bare_drawing(parse_svg(data), character.name).mesh
    ours, theirs = _counts(character.mesh), _counts(mesh)
    if ours != theirs:
        raise BadFileError(
            f"The sculpt has {len(mesh) // 3} control points in {len(theirs)} curves and the drawing "
            f"{len(character.mesh) // 3} in {len(ours)}: they have to be the same points in the same order."
        )
    assert mesh.channels is not None
    return SvgSculpt(mesh.points.astype(float), mesh.channels.astype(float))


def _counts(mesh: Mesh) -> list[tuple[int, bool]]:
    return [(c.count, c.closed) for _, surface in mesh.outlines() for d in surface.drawn
            for c in (surface.curves[n] for n in d.curves)]  # fmt: skip
