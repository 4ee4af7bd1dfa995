"""The skins of a written file: those of its source, with the joints and bind matrices that edits changed or added."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.formats.gltf_build import GltfBuilder
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_layout import PartLayout, inverse_binds, skin_joints

Slots = NDArray[np.int32]


def write_skins(
    builder: GltfBuilder, source: GltfFile, character: Character, layouts: list[PartLayout]
) -> list[Slots | None]:
    """Bring the document's skins to what the character follows.

    Returns
    -------
    list
        For each part ``(B,)``: the number in its skin's joints of each bone row; None for a part that follows its node
        rigidly and needs no skin.
    """
    bones = character.binding.bones
    used = [
        np.unique(character.binding.influences[slice(*p.vertices)][character.binding.weights[slice(*p.vertices)] > 0])
        for p in character.mesh.parts
    ]
    out: list[Slots | None] = []
    done: dict[int, Slots] = {}
    for layout, rows_used in zip(layouts, used, strict=True):
        group = int(bones.group[rows_used[0]])
        if layout.skin is None and len(rows_used) == 1 and _is_own_node(character, layout, int(rows_used[0])):
            out.append(None)
            continue
        if group not in done:
            # In the order of the table: a skin's own joints come first, then what was added to it.
            rows = rows_used if layout.skin is None else np.flatnonzero(bones.group == group).astype(np.int32)
            if layout.skin is None:
                _add_skin(builder, character, layout, rows)
            else:
                _change_skin(builder, source, character, layout.skin, rows)
            slots = np.full(len(bones.joint), -1, dtype=np.int32)
            slots[rows] = np.arange(len(rows), dtype=np.int32)
            done[group] = slots
        out.append(done[group])
    return out


def _is_own_node(character: Character, layout: PartLayout, row: int) -> bool:
    """Whether a part follows nothing but the node that carries it, as a file says without any skin."""
    bones = character.binding.bones
    carrier = int(character.skeleton.nodes[bones.joint[row]]) == layout.node
    return carrier and bool(np.abs(bones.inverse_bind[row] - np.eye(4)).max() < 1e-9)


def _binds(builder: GltfBuilder, character: Character, rows: NDArray[np.int32]) -> int:
    stored = character.binding.bones.inverse_bind[rows].transpose(0, 2, 1).reshape(-1, 16).astype(np.float32)
    stored[:, [3, 7, 11]], stored[:, 15] = 0, 1
    return builder.accessor(stored)


def _nodes(character: Character, rows: NDArray[np.int32]) -> list[int]:
    return [int(n) for n in character.skeleton.nodes[character.binding.bones.joint[rows]]]


def _add_skin(builder: GltfBuilder, character: Character, layout: PartLayout, rows: NDArray[np.int32]) -> None:
    skin = {"joints": _nodes(character, rows), "inverseBindMatrices": _binds(builder, character, rows)}
    builder.document["nodes"][layout.node]["skin"] = builder.add("skins", skin)


def _change_skin(
    builder: GltfBuilder, source: GltfFile, character: Character, skin: int, rows: NDArray[np.int32]
) -> None:
    known = len(skin_joints(source, skin))
    before = np.array(inverse_binds(source, skin, known))
    now = character.binding.bones.inverse_bind[rows]
    same = len(rows) == known and _nodes(character, rows) == skin_joints(source, skin)
    if same and np.abs(now - before).max(initial=0) < 1e-9:
        return
    document = builder.document["skins"]
    changed = {"joints": _nodes(character, rows), "inverseBindMatrices": _binds(builder, character, rows)}
    document[skin] = {**document[skin], **changed}
