"""How a glTF document is laid out: its parts, their runs of vertices, and the skins that they hang on."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from plethos.core.errors import BadFileError
from plethos.core.formats.gltf_file import GltfFile, whole
from plethos.core.formats.gltf_nodes import node_label
from plethos.core.geometry.rotations import Array
from plethos.core.skeleton.names import free_name, printable


@dataclass(frozen=True)
class PrimitiveRun:
    """Primitives of one mesh that draw from the same vertices.

    Parameters
    ----------
    primitives
        Their numbers in the mesh.
    start, count
        Their range among the character's file vertices.
    """

    primitives: tuple[int, ...]
    start: int
    count: int


@dataclass(frozen=True)
class PartLayout:
    """Where a part stands in its document."""

    node: int
    mesh: int
    skin: int | None
    runs: tuple[PrimitiveRun, ...]


def layout_of(file: GltfFile) -> list[PartLayout]:
    """The parts of a document in the order of their nodes, and how their vertices are numbered."""
    layouts, start = [], 0
    visible = _nodes_in_scene(file)
    for number, node in enumerate(file.items("nodes")):
        if "mesh" not in node or number not in visible:
            continue
        mesh = file.item("meshes", node["mesh"], node_label(file, number))
        runs: dict[tuple[Any, ...], list[int]] = {}
        for p, primitive in enumerate(primitives_of(mesh)):
            if primitive.get("mode", 4) in (4, 5, 6):
                runs.setdefault(_vertex_key(primitive), []).append(p)
        found = []
        for members in runs.values():
            position = primitives_of(mesh)[members[0]].get("attributes", {}).get("POSITION")
            accessor = file.item("accessors", position, f"the positions of {node_label(file, number)}")
            count = whole(accessor.get("count"), "the number of vertices", 20_000_000)
            found.append(PrimitiveRun(tuple(members), start, count))
            start += count
        if found:
            skin = node.get("skin")
            if skin is not None:
                skin = whole(skin, f"the skin of {node_label(file, number)}", len(file.items("skins")))
            layouts.append(PartLayout(number, int(node["mesh"]), skin, tuple(found)))
    return layouts


def left_out(file: GltfFile) -> list[str]:
    """What of a file is not read since it stands in no scene that is shown, as sentences."""
    visible = _nodes_in_scene(file)
    beside = [node_label(file, n) for n, node in enumerate(file.items("nodes")) if "mesh" in node and n not in visible]
    if not beside:
        return []
    names = ", ".join(beside[:5]) + (" and others" if len(beside) > 5 else "")
    return [f"Only the scene that the file shows is read: {names} outside of it were left out."]


def scenes_with_skin(file: GltfFile) -> list[tuple[int, str]]:
    """The scenes that show something, by number and name; each name once."""
    nodes, taken = file.items("nodes"), set[str]()
    told = []
    for k, scene in enumerate(file.items("scenes")):
        if any("mesh" in nodes[n] for n in _nodes_in_scene(file, k)):
            told.append((k, free_name(printable(str(scene.get("name") or "")) or f"Scene {k + 1}", taken)))
    return told


def with_scene(file: GltfFile, name: str) -> GltfFile:
    """The file with a scene of that name as the one that it shows.

    Raises
    ------
    BadFileError
        When it has none of that name.
    """
    found = {label: k for k, label in scenes_with_skin(file)}
    if name not in found:
        raise BadFileError(f"The file has no scene called “{name}”; there are {', '.join(found)}.")
    return replace(file, document={**file.document, "scene": found[name]})


def _nodes_in_scene(file: GltfFile, number: int | None = None) -> set[int]:
    nodes, scenes = file.items("nodes"), file.items("scenes")
    if not scenes:
        return set(range(len(nodes)))
    scene = file.item("scenes", file.document.get("scene", 0) if number is None else number, "the file")
    waiting, seen = [whole(n, "a node of the scene", len(nodes)) for n in scene.get("nodes", [])], set()
    while waiting:
        n = waiting.pop()
        if n not in seen:
            seen.add(n)
            waiting += [whole(c, f"a child of node {n}", len(nodes)) for c in nodes[n].get("children", [])]
    return seen


def primitives_of(mesh: dict[str, Any]) -> list[dict[str, Any]]:
    """The primitives of a mesh."""
    found: list[dict[str, Any]] = mesh.get("primitives", [])
    return found


def _vertex_key(primitive: dict[str, Any]) -> tuple[Any, ...]:
    targets = primitive.get("targets", [])
    return (
        tuple(sorted((k, str(v)) for k, v in primitive.get("attributes", {}).items())),
        tuple(tuple(sorted((k, str(v)) for k, v in t.items())) for t in targets),
    )


def target_names(mesh: dict[str, Any], primitives: list[dict[str, Any]], amount: int) -> list[str]:
    """The names of a mesh's morph targets: from its extras, or its first primitive's, else ``shape_N``."""
    named: list[Any] = []
    for holder in (mesh, *primitives):
        extras = holder.get("extras")
        if not named and isinstance(extras, dict) and isinstance(extras.get("targetNames"), list):
            named = extras["targetNames"]
    return [str(named[k]) if k < len(named) and named[k] else f"shape_{k}" for k in range(amount)]


def skin_joints(file: GltfFile, skin: int | None) -> list[int]:
    """The nodes of a skin's joints."""
    joints = file.item("skins", skin, "a mesh").get("joints")
    if not joints:
        raise BadFileError(f"The file is broken: skin {skin} has no joints.")
    return [whole(j, f"a joint of skin {skin}", len(file.items("nodes"))) for j in joints]


def bone_starts(file: GltfFile, layouts: list[PartLayout]) -> list[int]:
    """The bone row at which each part's own joints begin: one run of rows a skin in use, one row a rigid part."""
    starts, by_skin, total = [], dict[int, int](), 0
    for layout in layouts:
        if layout.skin is None:
            starts.append(total)
            total += 1
            continue
        if layout.skin not in by_skin:
            by_skin[layout.skin] = total
            total += len(skin_joints(file, layout.skin))
        starts.append(by_skin[layout.skin])
    return starts


def inverse_binds(file: GltfFile, skin: int, count: int) -> list[Array]:
    """The inverse bind matrices of a skin, one for each of its `count` joints."""
    accessor = file.items("skins")[skin].get("inverseBindMatrices")
    if accessor is None:
        return [np.eye(4)] * count
    label = f"the inverse bind matrices of skin {skin}"
    stored = file.accessor(accessor, label, "MAT4").astype(np.float64)
    if len(stored) < count:
        raise BadFileError(f"The file is broken: {label} are {len(stored)} for {count} joints.")
    return list(stored[:count].reshape(-1, 4, 4).transpose(0, 2, 1))
