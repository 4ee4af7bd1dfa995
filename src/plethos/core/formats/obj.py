"""Wavefront OBJ: vertices and faces, parts as ``o`` groups."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadFileError
from plethos.core.geometry.rotations import Array
from plethos.core.skin.mesh import Triangles


def write_obj(character: Character, points: NDArray[np.floating]) -> str:
    """Posed points as text.

    Parameters
    ----------
    points
        ``(V, 3)`` of the character's vertices; they are written in the order and number of the file's vertices.
    """
    file_points = points[character.mesh.file_to_vertex]
    lines = ["# metres, +Y up; vertices in the order of the file they came from"]
    for part in character.mesh.parts:
        lines.append("o " + "_".join(part.name.split()))
        rows = file_points[part.file_vertices[0] : part.file_vertices[1]]
        lines += [f"v {x:.9g} {y:.9g} {z:.9g}" for x, y, z in rows.tolist()]
        corners = part.surface.corners if isinstance(part.surface, Triangles) else np.zeros((0, 3), np.int32)
        lines += [f"f {a} {b} {c}" for a, b, c in (corners + part.file_vertices[0] + 1).tolist()]
    return "\n".join(lines) + "\n"


def read_obj_points(text: str) -> Array:
    """The vertices ``(N, 3)`` of an OBJ, in order.

    Raises
    ------
    BadFileError
        When a vertex is not three finite numbers.
    """
    rows = []
    for number, line in enumerate(text.splitlines(), 1):
        if line.startswith(("v ", "v\t")):
            try:
                rows.append([float(c) for c in line.split()[1:4]])
            except ValueError:
                rows.append([])
            if len(rows[-1]) != 3:
                raise BadFileError(f"The OBJ is broken: line {number} is not a vertex of three numbers.")
    points = np.array(rows, dtype=np.float64).reshape(-1, 3)
    if len(points) == 0:
        raise BadFileError("The OBJ holds no vertices.")
    if not np.isfinite(points).all():
        raise BadFileError("The OBJ is broken: a vertex is not finite (NaN).")
    return points
