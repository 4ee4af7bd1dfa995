"""The joints of a written file: those of its source, as edits have moved, renamed, hung elsewhere, added or deleted."""

from __future__ import annotations

import math
import re
from dataclasses import replace
from typing import Any

import numpy as np

from plethos.core.character import Character
from plethos.core.formats.gltf_build import GltfBuilder
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_layout import skin_joints
from plethos.core.formats.gltf_nodes import is_marked, local_transform, marked, node_parents, stored_hinge
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.skeleton.hinge import Hinge


def write_joints(builder: GltfBuilder, source: GltfFile, character: Character) -> Character:
    """Bring the document's nodes to the character's skeleton.

    Returns
    -------
    Character
        The same, each of its joints with the number of its node.

    Notes
    -----
    A deleted joint stays as a plain node, since cameras, sockets or clips may hang on it; it is only a joint no more.
    """
    skeleton = character.skeleton
    nodes = builder.document["nodes"]
    numbers = skeleton.nodes.copy()
    for j in np.flatnonzero(numbers < 0).tolist():
        numbers[j] = builder.add("nodes", {"name": skeleton.names[j]})
    for j, node in enumerate(numbers.tolist()):
        before = local_transform(source, node) if node < len(source.items("nodes")) else None
        nodes[node] = _with_transform(nodes[node], character, j, before)
        nodes[node] = _with_name(nodes[node], node, skeleton.names[j])
        hinge = skeleton.known_hinge(j)
        if hinge is not None and hinge != stored_hinge(nodes[node]):
            nodes[node] = _with_own(nodes[node], _hinge_json(hinge))
    _hang(builder, source, skeleton.parents.tolist(), numbers.tolist())
    _mark_unskinned(builder, source, character, numbers.tolist())
    return replace(character, skeleton=replace(skeleton, nodes=numbers))


def _with_transform(
    node: dict[str, Any], character: Character, j: int, before: tuple[Array, Array, Array] | None
) -> dict[str, Any]:
    skeleton = character.skeleton
    now = (skeleton.rest_translation[j], skeleton.rest_rotation[j], skeleton.rest_stretch[j])
    if before is not None and all(np.abs(a - b).max() < 1e-12 for a, b in zip(now, before, strict=True)):
        return node
    translation, rotation, stretch = now
    diagonal = np.diag(np.diag(stretch))
    if before is not None and "matrix" not in node and np.abs(rotation - before[1]).max() < 1e-12:
        return {**node, "translation": translation.tolist()}
    out = {k: v for k, v in node.items() if k not in ("matrix", "translation", "rotation", "scale")}
    if np.abs(stretch - diagonal).max() < 1e-9:
        out.update(translation=translation.tolist(), rotation=rotation.tolist())
        if np.abs(stretch - np.eye(3)).max() > 1e-9:
            out["scale"] = np.diag(stretch).tolist()
        return out
    local = np.eye(4)
    local[:3, :3], local[:3, 3] = rotations.to_matrix(rotation) @ stretch, translation
    return {**out, "matrix": local.T.ravel().tolist()}


def _with_name(node: dict[str, Any], number: int, name: str) -> dict[str, Any]:
    stored = node.get("name")
    # Reading makes names of nodes without one, and numbers those that are used twice: that is no change.
    as_read = name == f"joint_{number}" if not stored else re.fullmatch(re.escape(str(stored)) + r"(_\d+)?", name)
    return node if as_read else {**node, "name": name}


def _with_own(node: dict[str, Any], more: dict[str, Any]) -> dict[str, Any]:
    extras = node.get("extras")
    extras = extras if isinstance(extras, dict) else {}
    own = extras.get("plethos")
    return {**node, "extras": {**extras, "plethos": {**(own if isinstance(own, dict) else {}), **more}}}


def _hinge_json(hinge: Hinge) -> dict[str, Any]:
    told: dict[str, Any] = {
        "hinge_axis": list(hinge.axis),
        "range_deg": [math.degrees(hinge.low), math.degrees(hinge.high)],
    }
    if hinge.others is not None:
        told["others_deg"] = [[math.degrees(a) for a in pair] for pair in hinge.others]
    return told


def _hang(builder: GltfBuilder, source: GltfFile, parents: list[int], numbers: list[int]) -> None:
    """Give each joint's node the parent that the skeleton says."""
    document, before = builder.document, node_parents(source)
    nodes = document["nodes"]
    for j, node in enumerate(numbers):
        wanted = numbers[parents[j]] if parents[j] >= 0 else -1
        known = node < len(before)
        if known and before[node] == wanted:
            continue
        if known and before[node] >= 0:
            left = [c for c in nodes[before[node]]["children"] if c != node]
            nodes[before[node]] = {k: v for k, v in nodes[before[node]].items() if k != "children"}
            if left:
                nodes[before[node]]["children"] = left
        if wanted >= 0:
            nodes[wanted] = {**nodes[wanted], "children": [*nodes[wanted].get("children", []), node]}
        for scene in document.get("scenes", []):
            listed = [n for n in scene.get("nodes", []) if n != node]
            if wanted < 0 and scene is document["scenes"][document.get("scene", 0)]:
                listed.append(node)
            if listed != scene.get("nodes", []):
                scene["nodes"] = listed


def _mark_unskinned(builder: GltfBuilder, source: GltfFile, character: Character, numbers: list[int]) -> None:
    """Say of joints that no skin names that they are joints, and of our helpers that they are helpers."""
    nodes, bones = builder.document["nodes"], character.binding.bones
    skinned = {numbers[j] for j in bones.joint.tolist()}
    for skin in range(len(source.items("skins"))):
        skinned |= set(skin_joints(source, skin))
    for j in np.flatnonzero(character.skeleton.is_joint).tolist():
        node = numbers[j]
        if node not in skinned and not is_marked(nodes[node]):
            nodes[node] = _with_own(nodes[node], marked())
    for _, helper in character.rules.helpers:
        node = numbers[helper.joint]
        if helper.mask is not None and not is_marked(nodes[node], "helper"):
            nodes[node] = _with_own(nodes[node], marked("helper"))
