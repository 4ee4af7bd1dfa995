"""SVG -> character: a drawing whose control points are vertices, with the joints and rules that it may hold."""

from __future__ import annotations

from dataclasses import replace
from itertools import groupby

import numpy as np

from plethos.core.character import Character
from plethos.core.errors import BadFileError
from plethos.core.formats.svg_file import SvgFile
from plethos.core.formats.svg_rules import with_rules_of
from plethos.core.geometry.outlines import Curve, Drawn, Outlines
from plethos.core.geometry.topology import extent
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skeleton.symmetry import mirror_plane
from plethos.core.skin.binding import Binding, Bones
from plethos.core.skin.mesh import Mesh, Part

CARRIER = "(drawing)"  # the plain node that carries what follows no joint
NO_JOINTS = "The drawing has no joints yet: lay a skeleton in Bind."


def read_drawing(file: SvgFile, name: str) -> Character:
    """Read a drawing: one unit in the world is one user unit, y up.

    Raises
    ------
    BadFileError
        With one sentence that names the fault.
    """
    bare = bare_drawing(file, name)
    return bare if file.rules is None else with_rules_of(bare, file.rules)


def bare_drawing(file: SvgFile, name: str) -> Character:
    """A drawing without the joints and rules that its file may hold."""
    parts, points, widths = [], [], []
    first = 0
    for label, shapes in groupby(file.shapes, key=lambda s: s.group):
        curves: list[Curve] = []
        drawn = []
        count = 0
        for shape in shapes:
            numbers = []
            for subpath in shape.subpaths:
                numbers.append(len(curves))
                curves.append(Curve(count, len(subpath.controls), subpath.closed))
                count += len(subpath.controls)
                points.append(subpath.controls.reshape(-1, 2))
                widths.append(np.repeat(subpath.widths, 3))
            stroke = shape.stroke
            if stroke is not None and stroke.hidden:
                start = curves[numbers[0]].first
                stroke = replace(stroke, hidden=tuple(start + k for k in stroke.hidden))
            drawn.append(Drawn(shape.name, tuple(numbers), shape.fill, stroke, shape.told))
        own = (first, first + 3 * count)
        parts.append(Part(label, own, own, Outlines(tuple(curves), tuple(drawn))))
        first += 3 * count
    flat = np.concatenate(points)
    rest = np.ascontiguousarray(np.stack([flat[:, 0], -flat[:, 1], np.zeros(first)], axis=1), dtype=np.float32)
    if extent(rest) <= 0:
        raise BadFileError("The drawing is broken: all of its points lie in one place.")
    mesh = Mesh(
        tuple(parts), rest, rest, np.arange(first, dtype=np.int32), mirror_x=mirror_plane(rest.astype(np.float64)),
        channels=np.concatenate(widths).astype(np.float32)[:, None],
    )  # fmt: skip
    skeleton = Skeleton(
        (CARRIER,), np.array([-1], np.int32), np.zeros((1, 3)), np.array([[0.0, 0.0, 0.0, 1.0]]), np.eye(3)[None],
        np.array([False]), np.array([0], np.int32), (None,),
    )  # fmt: skip
    bones = Bones(np.zeros(1, np.int32), np.eye(4)[None], np.zeros(1, np.int32))
    binding = Binding(bones, np.zeros((first, 1), np.int32), np.ones((first, 1), np.float32), 1)
    notes = file.notes if file.rules is not None else (*file.notes, NO_JOINTS)
    return Character(name, mesh, skeleton, binding, repairs=notes)
