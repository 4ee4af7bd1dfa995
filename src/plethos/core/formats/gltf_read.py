"""glTF 2.0 -> character."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadFileError, BadPoseError
from plethos.core.evaluate import Evaluator
from plethos.core.formats import rules
from plethos.core.formats.gltf_clips import read_clips
from plethos.core.formats.gltf_file import GltfFile
from plethos.core.formats.gltf_join import JoinedParts
from plethos.core.formats.gltf_layout import bone_starts, inverse_binds, left_out, skin_joints
from plethos.core.formats.gltf_nodes import is_marked, node_label, read_skeleton
from plethos.core.formats.gltf_parts import RawPart, Repairs, read_parts
from plethos.core.formats.limits import check_weights
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.topology import extent, is_somewhere
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skeleton.symmetry import mirror_plane
from plethos.core.skin.binding import Bones
from plethos.core.skin.mesh import Mesh, Triangles


def read_character(
    file: GltfFile, name: str, welded: NDArray[np.int32] | None = None, cells_only: bool = False
) -> Character:
    """Read everything that Plethos computes with.

    Parameters
    ----------
    welded
        ``(F,)`` the vertex that each file vertex is a copy of, when that is stored with the character: then nothing is
        welded anew, since shapes, weights and regions count these vertices.
    cells_only
        Weld as it was before that was stored: see `weld`.

    Raises
    ------
    BadFileError
        With one sentence that names the fault.
    """
    repairs = Repairs(sentences=[*file.notes, *left_out(file)])
    raws = read_parts(file, repairs)
    if not raws:
        raise BadFileError("The file holds no mesh of triangles.")
    skeleton, place = _skeleton(file, raws, repairs)
    bones = _bones(file, raws, place)
    if welded is not None and len(welded) != sum(len(r.points) for r in raws):
        raise BadFileError("The file has another number of vertices than the character that was stored of it.")
    joined = JoinedParts(max(r.joints.shape[1] for r in raws), 1e-6 * max(extent(r.points) for r in raws), cells_only)
    for raw in raws:
        repairs.add("{n} vertices that the file splits along seams are computed as one.", joined.add(raw, welded))
    binding = joined.binding(bones, len(skeleton))
    clips = read_clips(file, place, raws, joined.first_shape)
    character = Character(name, joined.mesh(), skeleton, binding, clips=clips, repairs=repairs.all())
    character = replace(character, mesh=_at_rest(character))
    return rules.take_rules(character, file.document)


def _skeleton(file: GltfFile, raws: list[RawPart], repairs: Repairs) -> tuple[Skeleton, dict[int, int]]:
    """The joints that the parts follow, with what is above them; and the joint of each node."""
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
    helpers = {n for n, node in enumerate(file.items("nodes")) if is_marked(node, "helper")}
    check_weights(len(joints), sum(len(r.points) for r in raws))
    return read_skeleton(file, joints - helpers, carriers | helpers)


def _at_rest(character: Character) -> Mesh:
    """The mesh with where it lies in the world at rest, and which of its parts are mirrored there."""
    rest, volume = _checked_rest(character)
    sign = np.sign(volume)
    parts = tuple(
        replace(p, surface=Triangles(p.surface.corners, bool(sign[slice(*p.vertices)].sum() < 0)))
        if isinstance(p.surface, Triangles)
        else p
        for p in character.mesh.parts
    )
    return replace(
        character.mesh, parts=parts, rest=rest.astype(np.float32), mirror_x=mirror_plane(rest)
    )  # fmt: skip


def _checked_rest(character: Character) -> tuple[Array, Array]:
    """Where the points lie in the world at rest ``(V, 3)``, and how a volume around each grows on the way ``(V,)``."""
    infinite = "The file is broken: at rest its points lie at infinity; check the inverse bind matrices."
    try:
        with np.errstate(over="ignore", invalid="ignore"):
            posed = Evaluator.of(character).pose(character.skeleton.rest_pose())
            rest, linear = posed.exact_points(), posed.affine[0]
    except BadPoseError:
        raise BadFileError(infinite) from None
    if not is_somewhere(rest):
        raise BadFileError(infinite)
    volume = np.linalg.det(linear)
    if extent(rest) < 1e-9 or np.abs(volume).max() == 0:
        raise BadFileError("The file is broken: at rest all points fall together; check the scales of its nodes.")
    return rest, volume


def _bones(file: GltfFile, raws: list[RawPart], place: dict[int, int]) -> Bones:
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
