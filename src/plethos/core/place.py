"""Moving joints at rest: the skin stays where it is, and every pose shows the consequence at once."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import ArrayLike

from plethos.core.character import Bones, Character
from plethos.core.errors import BadEditError


def moved_joints(character: Character, places: Mapping[int, ArrayLike]) -> Character:
    """The character with some joints moved.

    Parameters
    ----------
    places
        Where joints go in the world at rest, metres ``(3,)``. All other joints stay where they are, those below a moved
        one too; frames keep their directions.

    Raises
    ------
    BadEditError
        For places that are not finite numbers, or a joint whose parent is squashed flat.

    Notes
    -----
    A bone of a moved joint gets the inverse bind matrix that leaves the skin at rest as it was:
    ``G' B' = G B``, so ``B' = G'^-1 G B``.
    """
    skeleton = character.skeleton
    before = skeleton.rest_global
    at = before[:, :3, 3].copy()
    for joint, place in places.items():
        at[joint] = np.asarray(place, dtype=np.float64)
    if not np.isfinite(at).all():
        raise BadEditError("The place of a joint has to be three finite numbers.")
    local = np.empty_like(skeleton.rest_translation)
    for j, parent in enumerate(skeleton.parents.tolist()):
        if parent < 0:
            local[j] = at[j]
            continue
        frame = before[parent, :3, :3]
        if abs(np.linalg.det(frame)) < 1e-12:
            raise BadEditError(f"“{skeleton.names[parent]}” is squashed flat: nothing below it can be moved.")
        local[j] = np.linalg.solve(frame, at[j] - at[parent])
    # Joints that stayed keep their numbers to the last bit.
    same = np.abs(local - skeleton.rest_translation).max(axis=1) < 1e-12
    local[same] = skeleton.rest_translation[same]
    moved = replace(skeleton, rest_translation=local)
    bones = character.bones
    binds = bones.inverse_bind.copy()
    for row, joint in enumerate(bones.joint.tolist()):
        if joint in places:
            binds[row] = np.linalg.solve(moved.rest_global[joint], before[joint] @ bones.inverse_bind[row])
    edited = replace(character, skeleton=moved, bones=Bones(bones.joint, binds, bones.group))
    edited.__dict__.update({k: v for k, v in character.__dict__.items() if k in ("topology", "joint_weights")})
    return edited


def places_changed(character: Character, bare: Character) -> dict[str, list[float]]:
    """Joints by name that are elsewhere than in the file, and where."""
    now, before = (c.skeleton.rest_global[:, :3, 3] for c in (character, bare))
    off = np.abs(now - before).max(axis=1) > 1e-9
    return {character.skeleton.names[j]: now[j].tolist() for j in np.flatnonzero(off)}
