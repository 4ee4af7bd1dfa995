"""glTF 2.0 -> character."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Bones, Character, Part
from plethos.core.clips import Clip, Track
from plethos.core.errors import BadFileError
from plethos.core.evaluate import affine_maps, evaluate_exact
from plethos.core.formats import rules
from plethos.core.formats.gltf_colour import base_colours
from plethos.core.formats.gltf_file import GltfFile, whole
from plethos.core.formats.gltf_nodes import is_marked, node_label, read_skeleton
from plethos.core.mesh import extent
from plethos.core.names import free_name
from plethos.core.rotations import Array
from plethos.core.shape import Shape
from plethos.core.symmetry import mirror_plane
from plethos.core.weld import weld


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


@dataclass
class _Raw:
    """A part while it is read: file vertices as they are stored."""

    name: str
    layout: PartLayout
    points: Array
    triangles: NDArray[np.int32]
    joints: NDArray[np.int64]
    weights: Array
    colours: NDArray[np.float32]
    targets: list[Array]
    target_names: list[str]
    target_weights: list[float]
    bone_start: int = 0


@dataclass
class _Repairs:
    """What was mended on reading; becomes sentences."""

    counts: dict[str, int] = field(default_factory=dict)
    sentences: list[str] = field(default_factory=list)

    def add(self, what: str, count: int) -> None:
        if count:
            self.counts[what] = self.counts.get(what, 0) + count

    def all(self) -> tuple[str, ...]:
        counted = [what.format(n=n, s="" if n == 1 else "s") for what, n in self.counts.items()]
        return tuple(self.sentences + counted)


def layout_of(file: GltfFile) -> list[PartLayout]:
    """The parts of a document in the order of their nodes, and how their vertices are numbered."""
    layouts, start = [], 0
    visible = _nodes_in_scene(file)
    for number, node in enumerate(file.items("nodes")):
        if "mesh" not in node or number not in visible:
            continue
        mesh = file.item("meshes", node["mesh"], node_label(file, number))
        runs: dict[tuple[Any, ...], list[int]] = {}
        for p, primitive in enumerate(_primitives(mesh)):
            if primitive.get("mode", 4) in (4, 5, 6):
                runs.setdefault(_vertex_key(primitive), []).append(p)
        found = []
        for members in runs.values():
            position = _primitives(mesh)[members[0]].get("attributes", {}).get("POSITION")
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


def _nodes_in_scene(file: GltfFile) -> set[int]:
    nodes, scenes = file.items("nodes"), file.items("scenes")
    if not scenes:
        return set(range(len(nodes)))
    scene = file.item("scenes", file.document.get("scene", 0), "the file")
    waiting, seen = [whole(n, "a node of the scene", len(nodes)) for n in scene.get("nodes", [])], set()
    while waiting:
        n = waiting.pop()
        if n not in seen:
            seen.add(n)
            waiting += [whole(c, f"a child of node {n}", len(nodes)) for c in nodes[n].get("children", [])]
    return seen


def _primitives(mesh: dict[str, Any]) -> list[dict[str, Any]]:
    primitives = mesh.get("primitives", [])
    if not isinstance(primitives, list) or not all(
        isinstance(p, dict) and isinstance(p.get("attributes", {}), dict) for p in primitives
    ):
        raise BadFileError("The file is broken: the primitives of a mesh are not objects with attributes.")
    return primitives


def _vertex_key(primitive: dict[str, Any]) -> tuple[Any, ...]:
    targets = primitive.get("targets", [])
    return (
        tuple(sorted((k, str(v)) for k, v in primitive.get("attributes", {}).items())),
        tuple(tuple(sorted((k, str(v)) for k, v in t.items())) for t in targets if isinstance(t, dict)),
    )


def read_character(file: GltfFile, name: str) -> Character:
    """Read everything that Plethos computes with.

    Raises
    ------
    BadFileError
        With one sentence that names the fault.
    """
    repairs = _Repairs(sentences=list(file.notes))
    raws = _read_parts(file, repairs)
    if not raws:
        raise BadFileError("The file holds no mesh of triangles.")
    skinned = [r for r in raws if r.layout.skin is not None]
    rigid = [r for r in raws if r.layout.skin is None]
    joints = {j for r in skinned for j in skin_joints(file, r.layout.skin)}
    joints |= {n for n, node in enumerate(file.items("nodes")) if is_marked(node)}
    carriers = {r.layout.node for r in rigid}
    if joints:
        for r in rigid:
            repairs.sentences.append(f"“{r.name}” has no skin and follows {node_label(file, r.layout.node)} rigidly.")
    else:
        repairs.sentences.append("The file has no joints yet: lay a skeleton in Bind.")
    skeleton, place = read_skeleton(file, joints, carriers)
    bones = _bones(file, raws, place)

    parts, points, triangles, to_vertex, influences, weights, colours = [], [], [], [], [], [], []
    shapes: list[Shape] = []
    first_shape: dict[int, int] = {}
    vertex, file_vertex, triangle = 0, 0, 0
    size = max(extent(r.points) for r in raws)
    most = max(r.joints.shape[1] for r in raws)
    for r in raws:
        slots = np.zeros((len(r.points), most), dtype=np.int32)
        slots[:, : r.joints.shape[1]] = r.joints + r.bone_start
        w = np.zeros((len(r.points), most))
        w[:, : r.weights.shape[1]] = r.weights
        copies, kept = weld(r.points, slots, w, r.targets, 1e-6 * size)
        repairs.add("{n} vertices that the file splits along seams are computed as one.", len(r.points) - len(kept))
        n, f, t = len(kept), len(r.points), len(r.triangles)
        parts.append(Part(r.name, (vertex, vertex + n), (file_vertex, file_vertex + f), (triangle, triangle + t)))
        points.append(r.points[kept])
        triangles.append(r.triangles + file_vertex)
        to_vertex.append(copies + vertex)
        influences.append(slots[kept])
        weights.append(w[kept])
        colours.append(r.colours[kept])
        first_shape[r.layout.node] = len(shapes)
        for target, label, default in zip(r.targets, r.target_names, r.target_weights, strict=True):
            shape = Shape.from_dense(label, target[kept], 0.0, default)
            shapes.append(Shape(label, shape.vertices + np.int32(vertex), shape.deltas, default))
        vertex, file_vertex, triangle = vertex + n, file_vertex + f, triangle + t

    count = sum(len(p) for p in points)
    character = Character(
        name=name,
        skeleton=skeleton,
        bones=bones,
        parts=tuple(parts),
        points=np.ascontiguousarray(np.concatenate(points), dtype=np.float32),
        file_triangles=np.ascontiguousarray(np.concatenate(triangles), dtype=np.int32),
        file_to_vertex=np.concatenate(to_vertex).astype(np.int32),
        influences=np.ascontiguousarray(np.concatenate(influences), dtype=np.int32),
        weights=np.ascontiguousarray(np.concatenate(weights), dtype=np.float32),
        skin_blend=np.zeros(count, dtype=np.float32),
        shapes=tuple(shapes),
        clips=_read_clips(file, place, raws, first_shape),
        repairs=repairs.all(),
        colours=np.concatenate(colours),
    )
    character = replace(character, mirror_x=mirror_plane(_checked_rest(character)))
    return rules.take_remedies(character, file.document)


def _checked_rest(character: Character) -> Array:
    with np.errstate(over="ignore", invalid="ignore"):
        rest = evaluate_exact(character, character.skeleton.rest_pose())
        linear = affine_maps(character, character.skeleton.rest_pose())[0]
    if not np.isfinite(rest).all() or extent(rest) > 1e9:
        raise BadFileError("The file is broken: at rest its points lie at infinity; check the inverse bind matrices.")
    if extent(rest) < 1e-9 or np.abs(np.linalg.det(linear)).max() == 0:
        raise BadFileError("The file is broken: at rest all points fall together; check the scales of its nodes.")
    return rest


def _read_parts(file: GltfFile, repairs: _Repairs) -> list[_Raw]:
    raws, taken = [], set[str]()
    for layout in layout_of(file):
        node, mesh = file.items("nodes")[layout.node], file.items("meshes")[layout.mesh]
        label = str(mesh.get("name") or node.get("name") or f"part_{layout.mesh}")
        raws.append(_read_part(file, layout, free_name(label, taken), mesh, node, repairs))
    return raws


def _read_part(
    file: GltfFile, layout: PartLayout, name: str, mesh: dict[str, Any], node: dict[str, Any], repairs: _Repairs
) -> _Raw:
    primitives = _primitives(mesh)
    first = layout.runs[0].start
    points, joints, weights, triangles, colours = [], [], [], [], []
    amount = max(len(p.get("targets", [])) for p in primitives)
    targets: list[list[Array]] = [[] for _ in range(amount)]
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
            accessor = given[k].get("POSITION") if k < len(given) and isinstance(given[k], dict) else None
            label = f"morph target {k} of “{name}”"
            empty = np.zeros((n, 3))
            targets[k].append(empty if accessor is None else file.accessor(accessor, label, "VEC3", n).astype(float))
        for p in run.primitives:
            triangles.append(_triangles(file, primitives[p], n, name) + run.start - first)
    skipped = len(primitives) - sum(len(g.primitives) for g in layout.runs)
    repairs.add("{n} primitive{s} of points or lines left out.", skipped)
    most = max(j.shape[1] for j in joints)
    return _Raw(
        name,
        layout,
        np.concatenate(points),
        np.concatenate(triangles),
        np.concatenate([np.pad(j, ((0, 0), (0, most - j.shape[1]))) for j in joints]),
        np.concatenate([np.pad(w, ((0, 0), (0, most - w.shape[1]))) for w in weights]),
        np.concatenate(colours),
        [np.concatenate(t) for t in targets],
        target_names(mesh, primitives, amount),
        _target_weights(mesh, node, amount),
    )


def target_names(mesh: dict[str, Any], primitives: list[dict[str, Any]], amount: int) -> list[str]:
    """The names of a mesh's morph targets: from its extras, or its first primitive's, else ``shape_N``."""
    named: list[Any] = []
    for holder in (mesh, *primitives):
        extras = holder.get("extras")
        if not named and isinstance(extras, dict) and isinstance(extras.get("targetNames"), list):
            named = extras["targetNames"]
    return [str(named[k]) if k < len(named) and named[k] else f"shape_{k}" for k in range(amount)]


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
    file: GltfFile, layout: PartLayout, name: str, attributes: dict[str, Any], count: int, repairs: _Repairs
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
        primitives = _primitives(file.items("meshes")[layout.mesh])
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


def skin_joints(file: GltfFile, skin: int | None) -> list[int]:
    """The nodes of a skin's joints."""
    joints = file.item("skins", skin, "a mesh").get("joints")
    if not isinstance(joints, list) or not joints:
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


def _bones(file: GltfFile, raws: list[_Raw], place: dict[int, int]) -> Bones:
    """The bone rows in the order of `bone_starts`; tells each part where its own begin."""
    joint: list[int] = []
    inverse: list[Array] = []
    group: list[int] = []
    for r, start in zip(raws, bone_starts(file, [r.layout for r in raws]), strict=True):
        r.bone_start = start
        if start < len(joint):
            continue
        if r.layout.skin is None:
            joint.append(place[r.layout.node])
            inverse.append(np.eye(4))
            group.append(start)
            continue
        nodes = skin_joints(file, r.layout.skin)
        joint += [place[n] for n in nodes]
        inverse += inverse_binds(file, r.layout.skin, len(nodes))
        group += [start] * len(nodes)
    binds = np.array(inverse, dtype=np.float64).reshape(-1, 4, 4)
    return Bones(np.array(joint, dtype=np.int32), binds, np.array(group, dtype=np.int32))


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


def _read_clips(
    file: GltfFile, place: dict[int, int], raws: list[_Raw], first_shape: dict[int, int]
) -> tuple[Clip, ...]:
    shapes_of = {r.layout.node: len(r.targets) for r in raws}
    clips, taken = [], set[str]()
    for number, animation in enumerate(file.items("animations")):
        label = str(animation.get("name") or f"clip_{number}")
        tracks = []
        for channel in animation.get("channels", []):
            track = _track(file, animation, channel, label, place, shapes_of, first_shape)
            if track is not None:
                tracks.append(track)
        duration = max((float(t.times[-1]) for t in tracks), default=0.0)
        clips.append(Clip(free_name(label, taken), duration, tuple(tracks)))
    return tuple(clips)


def _track(
    file: GltfFile,
    animation: dict[str, Any],
    channel: dict[str, Any],
    label: str,
    place: dict[int, int],
    shapes_of: dict[int, int],
    first_shape: dict[int, int],
) -> Track | None:
    target = channel.get("target", {})
    path, node = target.get("path"), target.get("node")
    samplers = animation.get("samplers", [])
    sampler = samplers[whole(channel.get("sampler"), f"a sampler of clip “{label}”", len(samplers))]
    width = {"rotation": 4, "translation": 3, "scale": 3, "weights": shapes_of.get(node, 0)}.get(path, 0)
    index = first_shape.get(node) if path == "weights" else place.get(node)
    if index is None or width == 0:
        return None
    what = f"the keys of clip “{label}”"
    times = file.accessor(sampler.get("input"), what, "SCALAR")[:, 0].astype(np.float64)
    if len(times) == 0 or (np.diff(times) < 0).any():
        raise BadFileError(f"The file is broken: {what} do not go forward in time.")
    interpolation = sampler.get("interpolation", "LINEAR")
    if interpolation not in ("LINEAR", "STEP", "CUBICSPLINE"):
        raise BadFileError(f"The file is broken: {what} have an unknown interpolation.")
    kinds = {"rotation": "VEC4", "weights": "SCALAR"}.get(path, "VEC3")
    values = file.accessor(sampler.get("output"), what, kinds).astype(np.float64)
    needed = len(times) * width * (3 if interpolation == "CUBICSPLINE" else 1)
    if values.size != needed:
        raise BadFileError(f"The file is broken: {what} have {values.size} numbers where {needed} are needed.")
    shape = (len(times), 3, width) if interpolation == "CUBICSPLINE" else (len(times), width)
    return Track(path, index, times, values.reshape(shape), interpolation)
