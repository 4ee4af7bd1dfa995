"""The lock keeper: the generator that makes the file which ships with the package.

``python -m plethos.demo.lock_keeper`` writes it anew; `tests/core/test_demo.py` holds the file to the generator.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from plethos.core import rotations
from plethos.core.character import Character
from plethos.core.formats import gltf_file
from plethos.core.formats.gltf_build import ARRAY_BUFFER, ELEMENT_ARRAY_BUFFER, GltfBuilder
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_read import read_character
from plethos.core.formats.gltf_write import write_glb
from plethos.core.mesh import vertex_normals
from plethos.core.weights.heat import limit_influences
from plethos.demo.anatomy import body
from plethos.demo.cage import build_cage
from plethos.demo.clips import DemoClip, demo_clips
from plethos.demo.elbow import mended_elbow
from plethos.demo.joints import DemoJoint, demo_joints
from plethos.demo.refine import refine
from plethos.demo.skin import skin_weights

SHIPPED = Path(__file__).with_name("lock_keeper.glb")
CENTIMETRE = 0.01


def build_file() -> GltfFile:
    """The bare lock keeper as a glTF document: body, joints, weights, clips."""
    cage = refine(build_cage(), body())
    triangles = np.ascontiguousarray(cage.quads[:, [0, 1, 2, 0, 2, 3]].reshape(-1, 3), dtype=np.int32)
    joints = demo_joints()
    slots, weights = limit_influences(skin_weights(cage, triangles, joints), 4)
    points = (cage.points * CENTIMETRE).astype(np.float32)
    builder = GltfBuilder(GltfFile({"asset": {"version": "2.0", "generator": "plethos demo"}}, ()))
    attributes = {
        "POSITION": builder.accessor(points, ARRAY_BUFFER, bounds=True),
        "NORMAL": builder.accessor(vertex_normals(points, triangles), ARRAY_BUFFER),
        "JOINTS_0": builder.accessor(slots.astype(np.uint8), ARRAY_BUFFER),
        "WEIGHTS_0": builder.accessor(weights, ARRAY_BUFFER),
    }
    clay = {"baseColorFactor": [0.62, 0.56, 0.5, 1.0], "metallicFactor": 0.0, "roughnessFactor": 0.75}
    material = builder.add("materials", {"name": "clay", "pbrMetallicRoughness": clay})
    indices = builder.accessor(triangles.astype(np.uint16).ravel(), ELEMENT_ARRAY_BUFFER)
    primitive = {"attributes": attributes, "indices": indices, "material": material}
    builder.add("meshes", {"name": "body", "primitives": [primitive]})
    _add_skeleton(builder, joints)
    for clip in demo_clips():
        _add_clip(builder, joints, clip)
    return builder.file()


def _world(joint: DemoJoint) -> NDArray[np.float64]:
    out = np.eye(4)
    out[:3, :3] = joint.frame
    out[:3, 3] = joint.place * CENTIMETRE
    return out


def _locals(joints: list[DemoJoint]) -> list[NDArray[np.float64]]:
    world = {j.name: _world(j) for j in joints}
    return [np.linalg.inv(world[j.parent]) @ world[j.name] if j.parent else world[j.name] for j in joints]


def _add_skeleton(builder: GltfBuilder, joints: list[DemoJoint]) -> None:
    place = {j.name: k for k, j in enumerate(joints)}
    for joint, local in zip(joints, _locals(joints), strict=True):
        node = {
            "name": joint.name,
            "translation": local[:3, 3].tolist(),
            "rotation": rotations.from_matrix(local[:3, :3]).tolist(),
        }
        children = [place[j.name] for j in joints if j.parent == joint.name]
        if children:
            node["children"] = children
        if joint.hinge_range:
            node["extras"] = {"plethos": {"hinge_axis": [0, 0, 1], "range_deg": list(joint.hinge_range)}}
        builder.add("nodes", node)
    inverse = np.array([np.linalg.inv(_world(j)).T.ravel() for j in joints], dtype=np.float32)
    inverse[:, [3, 7, 11]], inverse[:, 15] = 0, 1
    binds = builder.accessor(inverse)
    builder.add("skins", {"joints": list(range(len(joints))), "inverseBindMatrices": binds, "skeleton": 0})
    builder.add("nodes", {"name": "body", "mesh": 0, "skin": 0})
    builder.add("scenes", {"nodes": [0, len(joints)]})
    builder.document["scene"] = 0


def _add_clip(builder: GltfBuilder, joints: list[DemoJoint], clip: DemoClip) -> None:
    times = builder.accessor(clip.times.astype(np.float32), bounds=True)
    samplers, channels = [], []
    for k, (joint, local) in enumerate(zip(joints, _locals(joints), strict=True)):
        keyed = []
        if joint.name in clip.angles:
            turn = rotations.from_euler_xyz_deg(clip.angles[joint.name])
            keyed.append(("rotation", rotations.multiply(rotations.from_matrix(local[:3, :3]), turn)))
        if joint.parent is None and np.abs(clip.lift).max() > 0:
            keyed.append(("translation", local[:3, 3] + clip.lift))
        for path, values in keyed:
            samplers.append({"input": times, "output": builder.accessor(values.astype(np.float32))})
            channels.append({"sampler": len(samplers) - 1, "target": {"node": k, "path": path}})
    builder.add("animations", {"name": clip.name, "samplers": samplers, "channels": channels})


def build_lock_keeper() -> bytes:
    """The lock keeper as shipped: one corrective done, at the left elbow."""
    file = build_file()
    return write_glb(mended_elbow(read_character(file, "Lock keeper")), file)


def open_lock_keeper() -> tuple[Character, GltfFile]:
    """The shipped lock keeper."""
    file = gltf_file.parse(SHIPPED.read_bytes())
    return read_character(file, "Lock keeper"), file


if __name__ == "__main__":
    SHIPPED.write_bytes(build_lock_keeper())
