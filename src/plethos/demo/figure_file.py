"""A figure as a glTF document: body and pieces, materials, joints, weights, clips."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.formats.gltf_build import ARRAY_BUFFER, ELEMENT_ARRAY_BUFFER, GltfBuilder
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.geometry import rotations
from plethos.core.geometry.topology import vertex_normals
from plethos.core.weights.limit import limit_influences
from plethos.demo.anatomy import body
from plethos.demo.build import Build
from plethos.demo.cage import Cage, build_cage
from plethos.demo.clips import DemoClip, demo_clips
from plethos.demo.joints import DemoJoint, demo_joints
from plethos.demo.pieces import Piece
from plethos.demo.quads import triangles_of
from plethos.demo.refine import refine
from plethos.demo.skin import piece_weights, skin_weights
from plethos.demo.wardrobe import Body, complexion

CENTIMETRE = 0.01


@dataclass(frozen=True)
class Figure:
    """A body type with what it wears.

    Parameters
    ----------
    build
        The body type.
    wears
        Makes its pieces.
    """

    build: Build
    wears: Callable[[Cage, Body], list[Piece]]


@cache
def body_of(build: Build) -> Cage:
    """The refined body, once a process: several figures share it."""
    return refine(build_cage(build), body(build))


def build_file(figure: Figure) -> GltfFile:
    """The figure with nothing done to it yet."""
    build, cage = figure.build, body_of(figure.build)
    joints = demo_joints(build)
    weights = skin_weights(cage, triangles_of(cage.quads), joints)
    builder = GltfBuilder(GltfFile({"asset": {"version": "2.0", "generator": "plethos demo"}}, ()))
    skin = Piece("body", cage.points, cage.quads, complexion(cage, build))
    meshes = [_add_part(builder, build, skin, weights)]
    for piece in figure.wears(cage, body(build)):
        meshes.append(_add_part(builder, build, piece, piece_weights(piece, weights, joints)))
    _add_skeleton(builder, build, joints, meshes)
    for clip in demo_clips(joints):
        _add_clip(builder, build, joints, clip)
    return builder.file()


def _add_part(builder: GltfBuilder, build: Build, piece: Piece, weights: NDArray[np.float64]) -> int:
    triangles = triangles_of(piece.quads)
    slots, shares = limit_influences(weights, 4)
    points = (piece.points * CENTIMETRE * build.scale).astype(np.float32)
    colours = np.concatenate([piece.colours, np.ones((len(points), 1))], axis=1)
    attributes = {
        "POSITION": builder.accessor(points, ARRAY_BUFFER, bounds=True),
        "NORMAL": builder.accessor(vertex_normals(points, triangles), ARRAY_BUFFER),
        "COLOR_0": builder.accessor(np.round(colours * 255).astype(np.uint8), ARRAY_BUFFER, normalized=True),
        "JOINTS_0": builder.accessor(slots.astype(np.uint8), ARRAY_BUFFER),
        "WEIGHTS_0": builder.accessor(shares, ARRAY_BUFFER),
    }
    look = {"metallicFactor": 0.0, "roughnessFactor": 0.35 if piece.name.endswith("eye") else 0.75}
    material = builder.add("materials", {"name": piece.name, "pbrMetallicRoughness": look})
    indices = builder.accessor(triangles.astype(np.uint16).ravel(), ELEMENT_ARRAY_BUFFER)
    primitive = {"attributes": attributes, "indices": indices, "material": material}
    return builder.add("meshes", {"name": piece.name, "primitives": [primitive]})


def _world(build: Build, joint: DemoJoint) -> NDArray[np.float64]:
    out = np.eye(4)
    out[:3, :3] = joint.frame
    out[:3, 3] = joint.place * CENTIMETRE * build.scale
    return out


def _locals(build: Build, joints: list[DemoJoint]) -> list[NDArray[np.float64]]:
    world = {j.name: _world(build, j) for j in joints}
    return [np.linalg.inv(world[j.parent]) @ world[j.name] if j.parent else world[j.name] for j in joints]


def _add_skeleton(builder: GltfBuilder, build: Build, joints: list[DemoJoint], meshes: list[int]) -> None:
    place = {j.name: k for k, j in enumerate(joints)}
    for joint, local in zip(joints, _locals(build, joints), strict=True):
        node = {
            "name": joint.name,
            "translation": local[:3, 3].tolist(),
            "rotation": rotations.from_matrix(local[:3, :3]).tolist(),
        }
        children = [place[j.name] for j in joints if j.parent == joint.name]
        if children:
            node["children"] = children
        if joint.hinge_range:
            told: dict[str, Any] = {"hinge_axis": [0, 0, 1], "range_deg": list(joint.hinge_range)}
            if joint.others:
                told["others_deg"] = [list(span) for span in joint.others]
            node["extras"] = {"plethos": told}
        builder.add("nodes", node)
    inverse = np.array([np.linalg.inv(_world(build, j)).T.ravel() for j in joints], dtype=np.float32)
    inverse[:, [3, 7, 11]], inverse[:, 15] = 0, 1
    binds = builder.accessor(inverse)
    builder.add("skins", {"joints": list(range(len(joints))), "inverseBindMatrices": binds, "skeleton": 0})
    for mesh in meshes:
        builder.add("nodes", {"name": builder.document["meshes"][mesh]["name"], "mesh": mesh, "skin": 0})
    builder.add("scenes", {"nodes": [0, *(len(joints) + k for k in range(len(meshes)))]})
    builder.document["scene"] = 0


def _add_clip(builder: GltfBuilder, build: Build, joints: list[DemoJoint], clip: DemoClip) -> None:
    times = builder.accessor(clip.times.astype(np.float32), bounds=True)
    samplers, channels = [], []
    for k, (joint, local) in enumerate(zip(joints, _locals(build, joints), strict=True)):
        keyed = []
        if joint.name in clip.angles:
            turn = rotations.from_euler_xyz_deg(clip.angles[joint.name])
            keyed.append(("rotation", rotations.multiply(rotations.from_matrix(local[:3, :3]), turn)))
        if joint.parent is None and np.abs(clip.lift).max() > 0:
            keyed.append(("translation", local[:3, 3] + clip.lift * build.scale))
        for path, values in keyed:
            samplers.append({"input": times, "output": builder.accessor(values.astype(np.float32))})
            channels.append({"sampler": len(samplers) - 1, "target": {"node": k, "path": path}})
    builder.add("animations", {"name": clip.name, "samplers": samplers, "channels": channels})
