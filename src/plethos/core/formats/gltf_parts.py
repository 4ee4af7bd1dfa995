"""The parts of a glTF document as they are stored: places, triangles, weights, morph targets; mended where needed."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.errors import BadFileError
from plethos.core.formats.gltf_colour import base_colours
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_layout import PartLayout, layout_of, primitives_of, skin_joints, target_names
from plethos.core.formats.limits import check_parts
from plethos.core.geometry.rotations import Array
from plethos.core.skeleton.names import free_name, printable
from plethos.core.skin.shape import Shape

NOTHING: tuple[NDArray[np.int32], NDArray[np.float32]] = (np.zeros(0, np.int32), np.zeros((0, 3), np.float32))


@dataclass
class RawPart:
    """A part while it is read: file vertices as they are stored; its morph targets are shapes of these."""

    name: str
    layout: PartLayout
    points: Array
    triangles: NDArray[np.int32]
    joints: NDArray[np.int64]
    weights: Array
    colours: NDArray[np.float32]
    shapes: list[Shape]
    bone_start: int = 0


@dataclass
class Repairs:
    """What was mended on reading; becomes sentences."""

    counts: dict[str, int] = field(default_factory=dict)
    sentences: list[str] = field(default_factory=list)

    def add(self, what: str, count: int) -> None:
        if count:
            self.counts[what] = self.counts.get(what, 0) + count

    def all(self) -> tuple[str, ...]:
        counted = [what.format(n=n, s="" if n == 1 else "s") for what, n in self.counts.items()]
        return tuple(self.sentences + counted)


def read_parts(file: GltfFile, repairs: Repairs) -> list[RawPart]:
    """All parts, in the order of their nodes."""
    raws, taken, last = [], set[str](), dict[str, int]()
    layouts = layout_of(file)
    check_parts(len(layouts))
    for layout in layouts:
        node, mesh = file.items("nodes")[layout.node], file.items("meshes")[layout.mesh]
        label = printable(str(mesh.get("name") or node.get("name") or "")) or f"part_{layout.mesh}"
        raws.append(_read_part(file, layout, free_name(label, taken, last), mesh, node, repairs))
    return raws


def _read_part(
    file: GltfFile, layout: PartLayout, name: str, mesh: dict[str, Any], node: dict[str, Any], repairs: Repairs
) -> RawPart:
    primitives = primitives_of(mesh)
    first = layout.runs[0].start
    points, joints, weights, triangles, colours = [], [], [], [], []
    amount = max(len(p.get("targets", [])) for p in primitives)
    moved: list[list[tuple[NDArray[np.int32], NDArray[np.float32]]]] = [[] for _ in range(amount)]
    for run in layout.runs:
        primitive = primitives[run.primitives[0]]
        attributes, n = primitive["attributes"], run.count
        points.append(file.accessor(attributes["POSITION"], f"the positions of “{name}”", "VEC3", n).astype(np.float64))
        slots, w = _influences(file, layout, name, attributes, n, repairs)
        joints.append(slots)
        weights.append(w)
        colours.append(base_colours(file, primitive, n))
        given = primitive.get("targets", [])
        for k in range(amount):
            accessor = given[k].get("POSITION") if k < len(given) else None
            if accessor is not None:
                rows, offsets = file.changed(accessor, f"morph target {k} of “{name}”", "VEC3", n)
                moved[k].append((rows + np.int32(run.start - first), offsets.astype(np.float32)))
        for p in run.primitives:
            triangles.append(_triangles(file, primitives[p], n, name) + run.start - first)
    skipped = len(primitives) - sum(len(g.primitives) for g in layout.runs)
    repairs.add("{n} primitive{s} of points or lines left out.", skipped)
    most = max(j.shape[1] for j in joints)
    return RawPart(
        name,
        layout,
        np.concatenate(points),
        np.concatenate(triangles),
        np.concatenate([np.pad(j, ((0, 0), (0, most - j.shape[1]))) for j in joints]),
        np.concatenate([np.pad(w, ((0, 0), (0, most - w.shape[1]))) for w in weights]),
        np.concatenate(colours),
        _shapes(moved, target_names(mesh, primitives, amount), _target_weights(mesh, node, amount)),
    )


def _shapes(
    moved: list[list[tuple[NDArray[np.int32], NDArray[np.float32]]]], names: list[str], weights: list[float]
) -> list[Shape]:
    """The morph targets of a part: what each moves in the runs of its vertices, joined."""
    shapes = []
    for runs, name, weight in zip(moved, names, weights, strict=True):
        rows, offsets = runs[0] if len(runs) == 1 else (np.concatenate(a) for a in zip(NOTHING, *runs, strict=True))
        shapes.append(Shape(name, rows, offsets, weight))
    return shapes


def _target_weights(mesh: dict[str, Any], node: dict[str, Any], amount: int) -> list[float]:
    given = node.get("weights", mesh.get("weights", []))
    try:
        values = [float(w) for w in given][:amount]
    except (TypeError, ValueError):
        raise BadFileError("The file is broken: the weights of a mesh's morph targets are not numbers.") from None
    if not np.isfinite(values).all():
        raise BadFileError("The file is broken: the weights of a mesh's morph targets are not finite.")
    return values + [0.0] * (amount - len(values))


def _triangles(file: GltfFile, primitive: dict[str, Any], count: int, name: str) -> NDArray[np.int32]:
    if "indices" in primitive:
        index = file.accessor(primitive["indices"], f"the indices of “{name}”", "SCALAR")[:, 0]
        if index.dtype.kind != "u":
            raise BadFileError(f"The file is broken: the indices of “{name}” are not unsigned whole numbers.")
        if len(index) and int(index.max()) >= count:
            raise BadFileError(f"The file is broken: an index of “{name}” points beyond its {count} vertices.")
        index = index.astype(np.int32)
    else:
        index = np.arange(count, dtype=np.int32)
    mode = primitive.get("mode", 4)
    if mode == 4:
        return index[: len(index) // 3 * 3].reshape(-1, 3)
    if len(index) < 3:
        return np.zeros((0, 3), np.int32)
    if mode == 6:
        return np.stack([np.full(len(index) - 2, index[0]), index[1:-1], index[2:]], axis=1)
    strip = np.stack([index[:-2], index[1:-1], index[2:]], axis=1)
    strip[1::2] = strip[1::2][:, [1, 0, 2]]
    return strip


def _influences(
    file: GltfFile, layout: PartLayout, name: str, attributes: dict[str, Any], count: int, repairs: Repairs
) -> tuple[NDArray[np.int64], Array]:
    sets = [k for k in range(8) if f"JOINTS_{k}" in attributes]
    if layout.skin is None:
        if sets:
            raise BadFileError(f"“{name}” has joint weights but no skin that says which joints they mean.")
        return np.zeros((count, 1), np.int64), np.ones((count, 1))
    if not sets:
        raise BadFileError(f"“{name}” has a skin but no joint weights, so nothing says what its vertices follow.")
    joints, weights = [], []
    for k in sets:
        if f"WEIGHTS_{k}" not in attributes:
            raise BadFileError(f"The file is broken: “{name}” has JOINTS_{k} without WEIGHTS_{k}.")
        label = f"weights of “{name}”"
        joints.append(file.accessor(attributes[f"JOINTS_{k}"], f"the joint {label}", "VEC4", count).astype(np.int64))
        stored = file.accessor(attributes[f"WEIGHTS_{k}"], f"the {label}", "VEC4", count)
        if stored.dtype.kind in "iu":
            stored = stored.astype(np.float64) / np.iinfo(stored.dtype).max
        weights.append(stored.astype(np.float64))
    j, w = np.concatenate(joints, axis=1), np.concatenate(weights, axis=1)
    repairs.add("{n} negative weight{s} set to 0.", int((w < 0).sum()))
    w = np.maximum(w, 0)
    known = len(skin_joints(file, layout.skin))
    if ((j >= known) & (w > 0)).any():
        raise BadFileError(f"The file is broken: “{name}” follows joint {int(j.max())} of a skin that has {known}.")
    j = np.where(w > 0, j, 0)
    total = w.sum(axis=1)
    lost = total < 1e-8
    repairs.add("{n} vertices had no weight at all and follow the skin's first joint.", int(lost.sum()))
    w[lost, 0], total[lost] = 1.0, 1.0
    repairs.add(
        "{n} vertices had weights that do not sum to 1; they were normalised.", int((np.abs(total - 1) > 1e-3).sum())
    )
    return j, w / total[:, None]


def unnormalised_weights(file: GltfFile) -> tuple[list[int], float]:
    """File vertices whose stored weights do not sum to 1, and the sum that is furthest off; what reading mends."""
    found: list[int] = []
    furthest = 1.0
    for layout in layout_of(file):
        primitives = primitives_of(file.items("meshes")[layout.mesh])
        for run in layout.runs if layout.skin is not None else ():
            attributes = primitives[run.primitives[0]]["attributes"]
            total = np.zeros(run.count)
            for k in (k for k in range(8) if f"WEIGHTS_{k}" in attributes):
                stored = file.accessor(attributes[f"WEIGHTS_{k}"], "the weights", "VEC4", run.count)
                whole_one = np.iinfo(stored.dtype).max if stored.dtype.kind in "iu" else 1
                total += stored.astype(np.float64).sum(axis=1) / whole_one
            off = np.flatnonzero(np.abs(total - 1) > 1e-3)
            found += (off + run.start).tolist()
            furthest = max([furthest, *total[off].tolist()], key=lambda t: abs(t - 1))
    return found, round(furthest, 4)
