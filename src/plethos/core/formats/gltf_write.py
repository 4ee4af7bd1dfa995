"""Character -> glTF 2.0: the file it came from, with its remedies as morph targets and rules.

Everything that Plethos does not compute with (materials, pictures, cameras, unknown extras) goes out as it came in.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.formats import rules
from plethos.core.formats.gltf_build import ARRAY_BUFFER, GltfBuilder
from plethos.core.formats.gltf_clips import add_motions, bake_clip, drop_empty_clips, write_clips
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_joints import write_joints
from plethos.core.formats.gltf_layout import PartLayout, layout_of, target_names
from plethos.core.formats.gltf_normals import Turning, shaded_target, with_still_normals
from plethos.core.formats.gltf_skins import write_skins
from plethos.core.skin.binding import Binding, rows_of
from plethos.core.skin.layout import masked_binding
from plethos.core.skin.mesh import Part
from plethos.core.skin.shape import Shape


def write_glb(
    character: Character,
    source: GltfFile,
    bake: str | None = None,
    skin: Binding | None = None,
    progress: Callable[[float], None] = lambda share: None,
) -> bytes:
    """The character as one `.glb`.

    Parameters
    ----------
    source
        The file it was read from.
    bake
        The name of a clip that gets the activations as keys of morph weights, so that a viewer that knows nothing of
        the rules shows them.
    skin
        The binding that is written; None = the character's own, helper joints over it: see `flattened`.
    progress
        Called with how much is done, 0 to 1; what it raises stops it.

    Raises
    ------
    BadEditError
        When there is no such clip.
    """
    builder = GltfBuilder(_without_own_targets(source, character))
    layouts = layout_of(GltfFile(builder.document, source.buffers))
    _unshare_meshes(builder, layouts)
    _drop_wrong_strides(builder, source)
    described, shapes = rules.rules_of(character)
    evaluated, character = character, replace(character, binding=skin or flattened(character))
    character = write_joints(builder, source, character)
    write_clips(builder, source, character)
    add_motions(builder, character)
    slots_of = write_skins(builder, source, character, layouts)
    written: list[list[int]] = []
    for part, layout, slots in zip(character.mesh.parts, layouts, slots_of, strict=True):
        if slots is not None:
            _write_weights(builder, source, character, layout, slots)
        written.append(_write_targets(builder, source, character, part, layout, shapes))
    described.pop("motions", None)  # they are clips of the file from now on
    if any(described.get(k) for k in ("remedies", "triggers", "dials", "groups", "regions", "poses")):
        extras = builder.document.get("extras")
        builder.document["extras"] = {**(extras if isinstance(extras, dict) else {}), "plethos": described}
    if bake is not None:
        clip = next((c for c in character.all_clips if c.name == bake), None)
        if clip is None:
            raise BadEditError(f"There is no clip called “{bake}”.")
        bake_clip(builder, evaluated, character.skeleton.nodes.tolist(), clip, layouts, written, progress)
    drop_empty_clips(builder)
    return builder.file().pack()


def flattened(character: Character) -> Binding:
    """What the skin follows with the helper joints that are on: a file knows no masks."""
    helpers = [(h.joint, h.mask) for h in character.rules.helpers_on if h.mask is not None]
    return masked_binding(character.mesh, character.skeleton, character.binding, helpers)


def _without_own_targets(source: GltfFile, character: Character) -> GltfFile:
    """The document without the morph targets that an earlier delivery put there for remedies."""
    extras = source.document.get("extras")
    described = extras.get("plethos") if isinstance(extras, dict) else None
    if not isinstance(described, dict):
        return source
    own = set(rules.target_names_of(described))
    document = dict(source.document)
    document["extras"] = {k: v for k, v in source.document["extras"].items() if k != "plethos"}
    if not document["extras"]:
        del document["extras"]
    kept_of_mesh: dict[int, list[int]] = {}
    meshes = []
    for number, mesh in enumerate(source.items("meshes")):
        primitives = mesh.get("primitives", [])
        amount = max((len(p.get("targets", [])) for p in primitives), default=0)
        names = target_names(mesh, primitives, amount)
        keep = [k for k in range(amount) if names[k] not in own]
        kept_of_mesh[number] = keep
        mesh = dict(mesh)
        if len(keep) < amount:
            mesh["primitives"] = [_with_targets(p, [p["targets"][k] for k in keep]) for p in primitives]
            mesh["extras"] = {**mesh.get("extras", {}), "targetNames": [names[k] for k in keep]}
            mesh.pop("weights", None)
            if not keep:
                del mesh["extras"]["targetNames"]
        meshes.append(mesh)
    document["meshes"] = meshes
    if "animations" in document:
        document["animations"] = _without_stale_bakes(source, kept_of_mesh)
    return replace(source, document=document)


def _with_targets(primitive: dict[str, Any], targets: list[Any]) -> dict[str, Any]:
    out = {k: v for k, v in primitive.items() if k != "targets"}
    return {**out, "targets": targets} if targets else out


def _without_stale_bakes(source: GltfFile, kept_of_mesh: dict[int, list[int]]) -> list[dict[str, Any]]:
    """Clips without the weight keys of meshes whose targets were taken away; `bake` writes them anew."""
    nodes, out = source.items("nodes"), []
    for animation in source.items("animations"):
        channels = []
        for channel in animation.get("channels", []):
            target = channel.get("target", {})
            mesh = nodes[target["node"]].get("mesh") if target.get("path") == "weights" else None
            if mesh is None or kept_of_mesh.get(mesh) == list(range(_target_count(source, mesh))):
                channels.append(channel)
        out.append({**animation, "channels": channels})
    return out


def _target_count(source: GltfFile, mesh: int) -> int:
    return max((len(p.get("targets", [])) for p in source.items("meshes")[mesh].get("primitives", [])), default=0)


def _unshare_meshes(builder: GltfBuilder, layouts: list[PartLayout]) -> None:
    """Give every part a mesh of its own, since remedies differ between two nodes that show one mesh."""
    seen: set[int] = set()
    for i, layout in enumerate(layouts):
        if layout.mesh in seen:
            mesh = builder.document["meshes"][layout.mesh]
            copied = {**mesh, "primitives": [dict(p) for p in mesh["primitives"]]}
            layouts[i] = replace(layout, mesh=builder.add("meshes", copied))
            builder.document["nodes"][layout.node]["mesh"] = layouts[i].mesh
        seen.add(layout.mesh)


def _drop_wrong_strides(builder: GltfBuilder, source: GltfFile) -> None:
    """Store matrices and keys without a stride: many files give them one, which only vertex data may have."""
    document = builder.document
    used = {s["inverseBindMatrices"] for s in document.get("skins", []) if "inverseBindMatrices" in s}
    for animation in document.get("animations", []):
        used |= {s[end] for s in animation.get("samplers", []) for end in ("input", "output")}
    for number in sorted(used):
        accessor = document["accessors"][number] if number < len(document.get("accessors", [])) else {}
        view = accessor.get("bufferView")
        if view is None or "byteStride" not in document["bufferViews"][view]:
            continue
        data = source.stored(accessor, "an animation or a skin")
        document["accessors"][number] = {**accessor, "bufferView": builder.view(data.tobytes()), "byteOffset": 0}


def _write_weights(
    builder: GltfBuilder, source: GltfFile, character: Character, layout: PartLayout, slot_of: NDArray[np.int32]
) -> None:
    """Write the influences anew where the stored ones are not what is computed with (not of sum 1, or edited)."""
    mesh = builder.document["meshes"][layout.mesh]
    for run in layout.runs:
        vertices = character.mesh.file_to_vertex[run.start : run.start + run.count]
        weights = character.binding.weights[vertices]
        slots = np.where(weights > 0, slot_of[character.binding.influences[vertices]], 0)
        attributes = mesh["primitives"][run.primitives[0]]["attributes"]
        if _stored_alike(source, attributes, slots, weights):
            continue
        width = -(-slots.shape[1] // 4) * 4
        pad = ((0, 0), (0, width - slots.shape[1]))
        weights = np.pad(weights, pad)
        weights = (weights / weights.sum(axis=1, keepdims=True, dtype=np.float64)).astype(np.float32)
        slots = np.pad(slots, pad).astype(np.uint16)
        fresh = {k: v for k, v in attributes.items() if not k.startswith(("JOINTS_", "WEIGHTS_"))}
        for k in range(width // 4):
            columns = slice(4 * k, 4 * k + 4)
            fresh[f"JOINTS_{k}"] = builder.accessor(slots[:, columns], ARRAY_BUFFER)
            fresh[f"WEIGHTS_{k}"] = builder.accessor(weights[:, columns], ARRAY_BUFFER)
        for p in run.primitives:
            mesh["primitives"][p]["attributes"] = dict(fresh)


def _stored_alike(
    source: GltfFile, attributes: dict[str, int], slots: NDArray[np.int32], weights: NDArray[np.float32]
) -> bool:
    sets = [k for k in range(8) if f"JOINTS_{k}" in attributes]
    if not sets:
        return False
    joints, stored = (
        np.concatenate([source.accessor(attributes[f"{name}_{k}"], "weights", "VEC4") for k in sets], axis=1)
        for name in ("JOINTS", "WEIGHTS")
    )
    if stored.dtype.kind in "iu":
        stored = stored / np.iinfo(stored.dtype).max
    if (stored < 0).any() or np.abs(stored.sum(axis=1, dtype=np.float64) - 1).max(initial=0) > 4e-7:
        return False
    if (joints[stored == 0] != 0).any():
        return False
    # A welded vertex may hold its copies' weights in another order, so they are compared joint by joint.
    size = int(max(joints.max(initial=0), slots.max(initial=0))) + 1
    ours, theirs = (rows_of(j, w.astype(np.float64), size) for j, w in ((slots, weights), (joints, stored)))
    return not len(stored) or bool(abs(ours - theirs).max() < 1e-4)


def _write_targets(
    builder: GltfBuilder, source: GltfFile, character: Character, part: Part, layout: PartLayout, shapes: list[Shape]
) -> list[int]:
    """Add the shapes that move this part; returns which of them they are."""
    mesh = builder.document["meshes"][layout.mesh]
    primitives = mesh["primitives"]
    before = max(len(p.get("targets", [])) for p in primitives)
    labels = target_names(mesh, primitives, before)
    first, last = part.vertices
    added = []
    for number, shape in enumerate(shapes):
        inside = (shape.vertices >= first) & (shape.vertices < last)
        if not inside.any():
            continue
        dense = np.zeros((len(character.mesh.points), 3), np.float32)
        dense[shape.vertices] = shape.deltas
        turning = Turning.of(character, shape)
        for run in layout.runs:
            rows = dense[character.mesh.file_to_vertex[run.start : run.start + run.count]]
            moved = np.flatnonzero(np.abs(rows).max(axis=1) > 0)
            target = {"POSITION": builder.offsets(moved, rows[moved], run.count)}
            attributes = primitives[run.primitives[0]]["attributes"]
            target |= shaded_target(builder, source, character, run, attributes, turning)
            for p in run.primitives:
                known = with_still_normals(builder, primitives[p], run.count)
                primitives[p] = {**known, "targets": [*known.get("targets", []), target]}
        added.append(number)
        labels.append(shape.name)
    if added:
        mesh["extras"] = {**mesh.get("extras", {}), "targetNames": labels}
        defaults = mesh.get("weights", [0.0] * before)
        mesh["weights"] = [*defaults, *[0.0] * len(added)]
        node = builder.document["nodes"][layout.node]
        if "weights" in node:
            node["weights"] = [*node["weights"][:before], *[0.0] * len(added)]
    return added
