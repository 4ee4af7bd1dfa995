"""Automatic weights for a whole character, for chosen joints, or for a picked region."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.skeleton.symmetry import is_symmetric
from plethos.core.weights.area import area_weights
from plethos.core.weights.bones import skin_bones
from plethos.core.weights.edit import seen_across
from plethos.core.weights.heated import Progress, heated, mixed, normalised


def automatic_weights(
    character: Character,
    joints: NDArray[np.bool_] | None = None,
    region: NDArray[np.floating] | None = None,
    progress: Progress = lambda share: None,
) -> sparse.csr_matrix:
    """Weights by heat from the bones.

    Parameters
    ----------
    joints
        ``(J,)`` only these joints get new weights; what is left of each vertex keeps its old proportions. None =
        all joints.
    region
        ``(V,)`` from 0 (keeps its weights) to 1 (takes the new ones); None = everywhere.
    progress
        Called between the steps.

    Returns
    -------
    csr_matrix
        Weights ``(V, J)`` float64 that sum to 1: mirror-exact where mesh and skeleton are, and without islands.

    Raises
    ------
    BadEditError
        When there is no joint to follow, or nothing chosen.
    """
    skeleton = character.skeleton
    if joints is not None and not (joints & skeleton.is_joint).any():
        raise BadEditError("No joint was chosen, so nothing can be given weights.")
    if region is not None and not (region > 0).any():
        raise BadEditError("The region holds no vertex: pick some first.")
    if character.mesh.is_flat:
        fresh = sparse.csr_matrix(area_weights(character, progress))
    else:
        # Who is whose twin is found beside the heat, whose factoring lets go of the interpreter.
        with ThreadPoolExecutor(1) as aside:
            aside.submit(lambda: character.sides)
            fresh = _over_the_skin(character, progress)
        fresh = _mirrored(character, fresh)
    if joints is not None:
        fresh = sparse.csr_matrix(_chosen_only(character, fresh.toarray(), joints))
    if region is not None:
        share = np.clip(np.asarray(region, np.float64), 0, 1)
        fresh = mixed(character.binding.by_vertex, fresh, share)
    progress(1.0)
    return normalised(fresh).tocsr()


def _over_the_skin(character: Character, progress: Progress) -> sparse.csr_matrix:
    mesh = character.mesh
    segments = skin_bones(character.skeleton, mesh.rest.astype(np.float64), mesh.outward)
    if not segments:
        raise BadEditError("The character has no joints that its skin could follow: lay a skeleton first.")
    return heated(mesh.laplacian, mesh.outward, segments, len(character.skeleton), progress)


def _mirrored(character: Character, weights: sparse.csr_matrix) -> sparse.csr_matrix:
    twin, other = character.sides
    if not is_symmetric(twin, other):
        return weights
    return mixed(weights, seen_across(weights, twin, other), 0.5 * (twin >= 0))


def _chosen_only(character: Character, fresh: NDArray[np.float64], joints: NDArray[np.bool_]) -> NDArray[np.float64]:
    old = character.binding.joint_weights.astype(np.float64)
    taken = fresh[:, joints].sum(axis=1, keepdims=True)
    rest = np.where(joints, 0, old)
    held = rest.sum(axis=1, keepdims=True)
    # Where only chosen joints held a vertex, the automatic weights say who else does.
    rest = np.where(held > 1e-9, rest * (1 - taken) / np.maximum(held, 1e-9), np.where(joints, 0, fresh))
    return np.asarray(np.where(joints, fresh, rest))
