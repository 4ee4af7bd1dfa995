"""Small made-up characters for the tests."""

from __future__ import annotations

import json
from collections.abc import Iterable
from typing import Any

import numpy as np

from plethos.core.character import Character
from plethos.core.evaluate import ALL, Evaluator
from plethos.core.formats.gltf_build import GltfBuilder
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_parse import parse
from plethos.core.formats.gltf_read import read_character
from plethos.core.geometry.topology import vertex_normals
from plethos.core.rules.program import compiled
from plethos.core.rules.remedies import Corrective, Remedy
from plethos.core.rules.rules import Rules
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.skeleton.pose import Pose
from plethos.core.skin.shape import Shape


def tube_points(rings: int = 21, around: int = 24, radius: float = 0.1, length: float = 1.0):
    """A closed tube along +Y from 0 to `length`: points, triangles, height of each vertex."""
    heights = np.linspace(0, length, rings)
    angles = np.linspace(0, 2 * np.pi, around, endpoint=False)
    points = np.array([[radius * np.cos(a), h, radius * np.sin(a)] for h in heights for a in angles])
    triangles = []
    for r in range(rings - 1):
        for k in range(around):
            a, b = r * around + k, r * around + (k + 1) % around
            triangles += [[a, a + around, b], [b, a + around, b + around]]
    points = np.vstack([points, [0, 0, 0], [0, length, 0]])
    low, high, top = len(points) - 2, len(points) - 1, (rings - 1) * around
    for k in range(around):
        triangles += [[low, k, (k + 1) % around], [high, top + (k + 1) % around, top + k]]
    return points.astype(np.float32), np.array(triangles, dtype=np.int32)


def tube_file(
    softness: float = 0.25,
    influences: int = 4,
    scale: float = 1.0,
    weight_sum: float = 1.0,
    names: tuple[str | None, ...] = ("lower", "upper"),
    root: dict | None = None,
    target: bool = False,
    seam: bool = False,
    rings: int = 21,
) -> GltfFile:
    """A tube on two joints, at 0 and in its middle; `softness` is the width of the shared part."""
    points, triangles = tube_points(rings)
    upper = np.clip((points[:, 1] - 0.5) / softness + 0.5, 0, 1).astype(np.float32)
    weights = np.zeros((len(points), influences), np.float32)
    weights[:, 0], weights[:, 1] = (1 - upper) * weight_sum, upper * weight_sum
    joints = np.zeros((len(points), influences), np.uint8)
    joints[:, 1] = np.where(upper > 0, 1, 0)
    if seam:
        # Every vertex of the seam twice, as a file with texture coordinates has it.
        split = np.arange(0, rings * 24, 24)
        place = {int(v): len(points) + i for i, v in enumerate(split)}
        points = np.vstack([points, points[split]])
        weights, joints = np.vstack([weights, weights[split]]), np.vstack([joints, joints[split]])
        for tri in triangles:
            columns = tri % 24
            if (columns == 23).any():
                for c in range(3):
                    if int(tri[c]) in place:
                        tri[c] = place[int(tri[c])]
    builder = GltfBuilder(GltfFile({"asset": {"version": "2.0"}}, ()))
    attributes = {
        "POSITION": builder.accessor(points * np.float32(1 / scale), 34962, bounds=True),
        "NORMAL": builder.accessor(vertex_normals(points, triangles).astype(np.float32), 34962),
    }
    for k in range(influences // 4):
        attributes[f"JOINTS_{k}"] = builder.accessor(joints[:, 4 * k : 4 * k + 4], 34962)
        attributes[f"WEIGHTS_{k}"] = builder.accessor(weights[:, 4 * k : 4 * k + 4], 34962)
    small = np.uint16 if len(points) < 65536 else np.uint32
    primitive = {"attributes": attributes, "indices": builder.accessor(triangles.astype(small).ravel(), 34963)}
    mesh: dict = {"name": "tube", "primitives": [primitive]}
    if target:
        primitive["targets"] = [
            {"POSITION": builder.offsets(np.array([3, 4]), np.ones((2, 3), np.float32), len(points))}
        ]
        mesh["extras"] = {"targetNames": ["dent"]}
    builder.add("meshes", mesh)
    inverse = np.tile(np.eye(4, dtype=np.float32), (2, 1, 1))
    inverse[1, 1, 3] = -0.5 / scale
    binds = builder.accessor(inverse.transpose(0, 2, 1).reshape(2, 16))
    nodes = [{"children": [1]}, {"translation": [0, 0.5 / scale, 0]}]
    for node, name in zip(nodes, names, strict=True):
        if name is not None:
            node["name"] = name
    top = {"name": "root", "children": [0], **(root or {})}
    builder.document["nodes"] = [*nodes, top, {"name": "tube", "mesh": 0, "skin": 0}]
    builder.add("skins", {"joints": [0, 1], "inverseBindMatrices": binds})
    builder.document["scenes"] = [{"nodes": [2, 3]}]
    builder.document["scene"] = 0
    return builder.file()


def tube(**options) -> Character:
    """The tube as a character."""
    return read_character(parse(tube_file(**options).pack()), "Tube")


def broken(change, **options) -> bytes:
    """The tube's file with its JSON changed by `change(document)`."""
    file = tube_file(**options)
    document = json.loads(json.dumps(file.document))
    change(document)
    return GltfFile(document, file.buffers).pack()


def pair_file(interpolation: str = "LINEAR", target: bool = False) -> GltfFile:
    """Two tubes on one skin, the second a wider sleeve, and a clip that bends the upper joint and then lifts it.

    With `target` each part has a shape of its own, on by different weights.
    """
    file = tube_file(target=target)
    builder = GltfBuilder(file)
    document = builder.document
    points, triangles = tube_points(radius=0.12)
    mesh = json.loads(json.dumps(document["meshes"][0]))
    primitive = mesh["primitives"][0]
    primitive["attributes"]["POSITION"] = builder.accessor(points, 34962, bounds=True)
    primitive["attributes"]["NORMAL"] = builder.accessor(vertex_normals(points, triangles).astype(np.float32), 34962)
    mesh["name"] = "sleeve"
    if target:
        document["meshes"][0]["weights"], mesh["weights"] = [0.3], [0.8]
    node = builder.add("nodes", {"name": "sleeve", "mesh": builder.add("meshes", mesh), "skin": 0})
    document["scenes"][0]["nodes"].append(node)
    half = np.radians([0.0, 50.0, 20.0]) / 2
    turns = np.stack([np.sin(half) * 0, np.sin(half) * 0, np.sin(half), np.cos(half)], axis=1).astype(np.float32)
    lifts = np.array([[0, 0.5, 0], [0, 0.55, 0], [0.02, 0.5, 0]], np.float32)
    if interpolation == "CUBICSPLINE":
        # Each key with tangents that differ on its two sides.
        into, out = np.zeros_like(turns) + np.float32(0.1), np.zeros_like(turns) - np.float32(0.2)
        turns = np.stack([into, turns, out], axis=1).reshape(-1, 4)
        into, out = np.zeros_like(lifts) + np.float32(0.03), np.zeros_like(lifts) - np.float32(0.05)
        lifts = np.stack([into, lifts, out], axis=1).reshape(-1, 3)
    times = builder.accessor(np.array([0.0, 0.5, 1.2], np.float32), bounds=True)
    samplers = [{"input": times, "output": builder.accessor(v), "interpolation": interpolation} for v in (turns, lifts)]
    paths = ("rotation", "translation")
    channels = [{"sampler": s, "target": {"node": 1, "path": path}} for s, path in enumerate(paths)]
    builder.add("animations", {"name": "bend", "samplers": samplers, "channels": channels})
    return builder.file()


def tied(shape: Shape, trigger: HingeTrigger | None, **more) -> tuple[Any, ...]:
    """A corrective of one shape and its trigger, as `Character.with_remedy` takes them."""
    given = {"by": trigger.id if trigger else None, "name": shape.name, **more}
    report = given.pop("report", None)
    remedy = Remedy(Corrective.of(shape, report=report), **given)
    return (remedy, trigger) if trigger else (remedy,)


def only_with(rules: Rules, kept: Iterable[Remedy]) -> Rules:
    """Rules with these of their remedies only, and without the triggers that nobody reads then."""
    ids = {r.id for r in kept}
    for remedy in rules.remedies:
        if remedy.id not in ids:
            rules = rules.without_remedy(remedy.id)
    return rules


def activation(character: Character, remedy: Remedy, pose: Pose) -> float:
    """What a remedy's value stands at in a pose."""
    return Evaluator.of(character).pose(pose).activation(remedy.id)


def value_of(character: Character, trigger, pose: Pose) -> float:
    """What a trigger alone gives in a pose, worked out by a compiled program."""
    program = compiled(Rules(triggers=(trigger,)), character.skeleton)
    moment = program.moment(pose, ALL)
    return float(moment.values[program.places.values[trigger.id]])


def paths(value, at=()):
    """The ways to everything in a document; of long lists only the first."""
    items = value.items() if isinstance(value, dict) else enumerate(value[:1]) if isinstance(value, list) else ()
    for key, inner in items:
        yield (*at, key)
        yield from paths(inner, (*at, key))


def set_at(document, path, value):
    """Put a value there, or take what is there away when it is “gone”; changes the document."""
    for key in path[:-1]:
        document = document[key]
    if value == "gone":
        del document[path[-1]]
    else:
        document[path[-1]] = value


def hemmed(radius: float = 0.13, top: float = 0.05, hem: float = 0.47) -> Character:
    """The tube in a loose sleeve, open at both ends, that follows the lower joint and ends just before the other."""
    builder = GltfBuilder(tube_file())
    document = builder.document
    points, triangles = tube_points(radius=radius)
    points, triangles = points[:-2], triangles[(triangles < len(points) - 2).all(axis=1)]
    points[:, 1] = top + (hem - top) * points[:, 1]
    weights = np.tile(np.array([1, 0, 0, 0], np.float32), (len(points), 1))
    attributes = {
        "POSITION": builder.accessor(points, 34962, bounds=True),
        "NORMAL": builder.accessor(vertex_normals(points, triangles).astype(np.float32), 34962),
        "JOINTS_0": builder.accessor(np.zeros((len(points), 4), np.uint8), 34962),
        "WEIGHTS_0": builder.accessor(weights, 34962),
    }
    indices = builder.accessor(triangles.astype(np.uint16).ravel(), 34963)
    mesh = {"name": "sleeve", "primitives": [{"attributes": attributes, "indices": indices}]}
    node = builder.add("nodes", {"name": "sleeve", "mesh": builder.add("meshes", mesh), "skin": 0})
    document["scenes"][0]["nodes"].append(node)
    return read_character(parse(builder.file().pack()), "Hemmed")
