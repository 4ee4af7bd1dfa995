"""Binding: automatic weights, weights given, copied, filled, mirrored and mended; each edit is one undo step."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_parts import unnormalised_weights
from plethos.core.sculpt.session import Touched
from plethos.core.weights.assign import DELIVERED, INSIDE, with_joint_weights
from plethos.core.weights.check import WeightFault, check_weights, without_stray
from plethos.core.weights.edit import eased, given_to, like_part, like_vertex, mirrored_from
from plethos.core.weights.fit import fitted
from plethos.core.weights.paint import Paint
from plethos.core.weights.table import weights_from_json
from plethos.service.edits.weight_brush import paint_of, painted, with_bone
from plethos.service.library.open_character import OpenCharacter
from plethos.service.library.version import Version
from plethos.service.library.workbench import Workbench
from plethos.service.schemas.bind import VertexChoice
from plethos.service.schemas.tools import PaintBrush


def _with(character: Character, weights: NDArray[np.float64] | sparse.csr_matrix) -> Character:
    return with_joint_weights(character, weights, INSIDE)


def give(workbench: Workbench, character_id: str, target: VertexChoice, joint: str) -> Version:
    """Let a part, a piece or a region follow one joint rigidly."""

    def change(character: Character) -> Character:
        return _with(character, given_to(character, target.shares(character), character.skeleton.find(joint)))

    return workbench.edit(character_id, f"Give {target.label} to {joint}", change)


def copy_part(workbench: Workbench, character_id: str, source: str, target: VertexChoice) -> Version:
    """Let a part or a region follow what the closest surface of another part follows."""

    def change(character: Character) -> Character:
        return _with(character, like_part(character, target.shares(character), character.mesh.part(source)))

    return workbench.edit(character_id, f"Copy weights of {source} to {target.label}", change)


def copy_vertex(workbench: Workbench, character_id: str, vertex: int, target: VertexChoice) -> Version:
    """Let a part or a region follow what one vertex follows."""

    def change(character: Character) -> Character:
        return _with(character, like_vertex(character, target.shares(character), vertex))

    return workbench.edit(character_id, f"Copy weights of a vertex to {target.label}", change)


def take_file(workbench: Workbench, character_id: str, data: bytes) -> Version:
    """Take the weights of a plain file: see `core.weights.table`."""

    def change(character: Character) -> Character:
        return _with(character, workbench.read_apart(weights_from_json, character, data))

    return workbench.edit(character_id, "Weights from a file", change)


def fill(workbench: Workbench, character_id: str, target: VertexChoice, settings: PaintBrush) -> Version:
    """Do to a whole region at once what the brush does under its ring."""

    def change(character: Character) -> Character:
        shares = target.shares(character)
        brush = painted(character, settings.mirror)
        chosen = np.flatnonzero(shares > 0).astype(np.int32)
        brush.dab(Touched(chosen, shares[chosen].astype(np.float64)), paint_of(character, settings))
        return _with(character, brush.rows.over())

    return workbench.edit(character_id, f"Fill {target.label}, {settings.joint}", change)


def even_out(workbench: Workbench, character_id: str, joint: str, mirror: bool) -> Version:
    """Spread what a bone's joints hold together evenly along the whole bone."""

    def change(character: Character) -> Character:
        j = character.skeleton.find(joint)
        paint = with_bone(character, Paint("even", j, 1.0, 1.0, np.zeros(len(character.skeleton), dtype=bool)))
        assert paint.bone is not None
        held = np.sum([character.binding.column(k) for k in (paint.bone.joint, *paint.bone.twists)], axis=0)
        chosen = np.flatnonzero(held > 1e-4).astype(np.int32)
        brush = painted(character, mirror)
        brush.dab(Touched(chosen, np.ones(len(chosen))), paint)
        return _with(character, brush.rows.over())

    return workbench.edit(character_id, f"Even out along {joint}", change)


def carry_over(workbench: Workbench, character_id: str, from_left: bool) -> Version:
    """Carry the weights of one side over to the other."""
    label = "Mirror weights, left to right" if from_left else "Mirror weights, right to left"
    side = 1.0 if from_left else -1.0
    return workbench.edit(character_id, label, lambda c: _with(c, mirrored_from(c, side)))


def mend(workbench: Workbench, character_id: str, kind: str, joint: str | None = None) -> Version:
    """Mend what `findings` lists: of one kind, of one joint or of all.

    Raises
    ------
    BadEditError
        When there is nothing of that kind any more.
    """

    def change(character: Character) -> Character:
        wanted = None if joint is None else character.skeleton.find(joint)
        found = [f for f in check_weights(character, DELIVERED) if f.kind == kind]
        found = [f for f in found if joint is None or f.joint == wanted]
        if not found or kind not in MENDS:
            raise BadEditError("There is nothing of that kind to mend there any more.")
        return _with(character, MENDS[kind](character, found))

    return workbench.edit(character_id, f"Mend {WORDS.get(kind, kind)}", change)


def _mend_steps(character: Character, found: list[WeightFault]) -> NDArray[np.float64]:
    return eased(character, np.concatenate([f.vertices for f in found]))


MENDS: dict[str, Callable[[Character, list[WeightFault]], NDArray[np.float64] | sparse.csr_matrix]] = {
    "stray": without_stray,
    "over_limit": lambda character, _: fitted(character, DELIVERED).weights,
    "unmirrored": lambda character, _: mirrored_from(character, 1.0),
    "hard_step": _mend_steps,
}
WORDS = {
    "stray": "stray weights",
    "over_limit": "the number of joints",
    "unmirrored": "the sides",
    "hard_step": "a step",
}


def findings(opened: OpenCharacter, limit: int = DELIVERED) -> list[dict[str, Any]]:
    """What is wrong with the weights, each with a place to look at."""
    character = opened.character
    out = []
    off, worst = unnormalised_weights(opened.source) if isinstance(opened.source, GltfFile) else ([], 0.0)
    if off and character.binding.weights is opened.bare.binding.weights:
        vertices = np.unique(character.mesh.file_to_vertex[off])
        at = opened.rest[vertices].mean(axis=0).round(4).tolist()
        out.append({"kind": "unnormalised", "joint": None, "vertices": len(vertices), "worst": worst, "at": at})
    for finding in check_weights(character, limit):
        at = opened.rest[finding.vertices].mean(axis=0)
        name = None if finding.joint is None else character.skeleton.names[finding.joint]
        out.append(
            {
                "kind": finding.kind,
                "joint": name,
                "vertices": len(finding.vertices),
                "worst": round(finding.worst, 3),
                "at": [round(float(c), 4) for c in at],
            }
        )
    return out


def influences(character: Character, vertex: int) -> list[tuple[str, float]]:
    """What a vertex follows, the most first.

    Raises
    ------
    BadEditError
        When there is no such vertex.
    """
    weights = character.binding.by_vertex
    if not 0 <= vertex < weights.shape[0]:
        raise BadEditError(f"There is no vertex {vertex} in this character.")
    row = weights[[vertex]].toarray()[0].astype(np.float32)
    names = character.skeleton.names
    return [(names[j], float(row[j])) for j in np.argsort(-row, kind="stable") if row[j] > 1e-6]


def set_weight(
    workbench: Workbench, character_id: str, vertex: int, joint: str, weight: float, locked: Sequence[str], mirror: bool
) -> Version:
    """Give one vertex a weight by number; the joints that are not locked make up for it."""
    if not 0 <= weight <= 1:
        raise BadEditError("A weight has to lie between 0 and 1.")

    def change(character: Character) -> Character:
        influences(character, vertex)
        skeleton = character.skeleton
        held, brush = skeleton.mask(locked), painted(character, mirror)
        one = Touched(np.array([vertex], dtype=np.int32), np.ones(1))
        brush.dab(one, Paint("replace", skeleton.find(joint), weight, 1.0, held))
        return _with(character, brush.rows.over())

    return workbench.edit(character_id, f"Weight of {joint}", change)
