"""Twins: the same remedy on the other side, with all that it is tied to."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import NONE, Evaluator
from plethos.core.geometry import rotations
from plethos.core.geometry.topology import extent
from plethos.core.joints.draft import Draft
from plethos.core.rules.remedies import Remedy
from plethos.core.rules.rules import Rules
from plethos.core.rules.triggers import Trigger
from plethos.core.skeleton.mapping import VertexMap
from plethos.core.skeleton.names import free_name, new_id
from plethos.core.skeleton.symmetry import MIRROR
from plethos.core.skin.mask import Mask

NEAR = 1e-3  # of the height: a helper nearer to its own mirror image lies in the middle
ALIKE = 0.1  # of a mask: what differs by less is its own mirror image


def vertex_map(character: Character) -> VertexMap:
    """Where each vertex goes across, and what its offsets become, said in the space of its twin's part."""
    linear, _ = Evaluator.of(character.with_rules(Rules())).pose(character.skeleton.rest_pose(), NONE).affine
    twin = character.vertices_across
    if character.in_depth:
        return VertexMap(twin, np.tile(np.eye(3), (len(twin), 1, 1)))
    there = linear[np.maximum(twin, 0)]
    # What is squashed flat at rest cannot say an offset: it keeps its own.
    flat = np.abs(np.linalg.det(there)) < 1e-18
    back = np.linalg.inv(np.where(flat[:, None, None], np.eye(3), there))
    return VertexMap(twin, np.asarray(back @ (MIRROR[:, None] * linear)))


def twinned(character: Character, remedy_id: str) -> Character:
    """The character with a remedy's twin made, or brought to what the remedy is now.

    Triggers and dials that both sides share are not doubled: a rule that reads nothing of one side is its own twin.

    Raises
    ------
    BadEditError
        When the remedy lies on no side: all that it reads and moves is in the middle.
    """
    character = _with_joint_across(character, character.rules.remedy(remedy_id))
    rules, joints, vertices = character.rules, character.mirror, vertex_map(character)
    remedy = rules.remedy(remedy_id)
    known = rules.remedy(remedy.twin) if remedy.twin is not None and rules.has(remedy.twin) else None
    needed = _one_sided(character, remedy)
    there = _one_sided(character, known) if known is not None else []
    moves = any(joints.joint(j) != j for j in _own_joints(remedy)) or _on_one_side(character, remedy)
    if not needed and not moves:
        raise BadEditError(f"“{remedy.name}” lies in the middle: there is no other side for it.")
    ids = {remedy.id: known.id if known is not None else new_id()}
    for trigger in needed:
        left = [t for t in there if type(t) is type(trigger) and t.id not in ids.values()]
        reads = {ids.get(slot, slot) if isinstance(slot, str) else joints.joint(slot) for slot in trigger.reads()}
        same = next((t for t in left if t.reads() == reads), None)
        if same is None and known is not None and trigger is rules.trigger_of(remedy):
            # It may read another joint by now.
            same = next((t for t in left if t is rules.trigger_of(known)), None)
        own, others = trigger.writes(), () if same is None else same.writes()
        ids |= {v: others[k] if k < len(others) else new_id() for k, v in enumerate(own)}
        ids[trigger.id] = new_id() if same is None else same.id
    if known is not None:
        name = known.name
    else:
        name = free_name(
            character.name_across(remedy.name) or f"{remedy.name}, mirrored", {r.name for r in rules.remedies}
        )
    fresh = replace(remedy.mapped(joints, vertices, ids, character.skeleton, name), notes=_lost(character, remedy))
    rules = rules.with_remedy(replace(remedy, twin=fresh.id)).with_remedy(fresh)
    for trigger in needed:
        rules = rules.with_trigger(trigger.mapped(joints, ids))
    for trigger in reversed(there):
        if trigger.id not in ids.values():
            rules = rules.without_unread(trigger)
    return character.with_rules(rules)


def lone_vertices(character: Character, remedy: Remedy) -> NDArray[np.int32]:
    """The vertices ``(N,)`` that a remedy acts on and that have no partner on the other side, ascending."""
    own = _own_vertices(remedy)
    return np.asarray(own[character.vertices_across[own] < 0])


def lone_joints(character: Character, remedy: Remedy) -> list[str]:
    """The joints on one side that a remedy reads, or turns, and that have no partner on the other; by name."""
    skeleton, mirror, x = character.skeleton, character.mirror, character.mesh.mirror_x
    reach = NEAR * extent(character.mesh.rest)
    aside = np.abs(skeleton.rest_global[:, 0, 3] - x) > reach
    if character.in_depth:
        aside = np.zeros(len(skeleton), dtype=bool)
    read = set(character.rules.joints_read(remedy)) | set(_own_joints(remedy))
    return sorted(skeleton.names[j] for j in read if aside[j] and mirror.joint(j) == j)


def _own_vertices(remedy: Remedy) -> NDArray[np.int32]:
    touched = [s.vertices for s in remedy.sculpted.shapes] if remedy.sculpted is not None else []
    touched += [remedy.mask.vertices] if remedy.mask is not None else []
    return np.unique(np.concatenate([np.zeros(0, np.int32), *touched]))


def _lost(character: Character, remedy: Remedy) -> tuple[str, ...]:
    """Sentences about the vertices and joints that have no partner across."""
    told, alone, joints = [], len(lone_vertices(character, remedy)), lone_joints(character, remedy)
    if alone:
        every = len(_own_vertices(remedy))
        told.append(f"{alone} of {every} vertices have no partner on the other side, so they stay as they are here.")
    if joints:
        told.append(f"No partner on the other side for {', '.join(f'“{j}”' for j in joints)}: it is read here as well.")
    return tuple(told)


def _with_joint_across(character: Character, remedy: Remedy) -> Character:
    """The character with the mirror image of the helper joint that a remedy drives, where that has none."""
    skeleton, joint = character.skeleton, remedy.body.drives()
    if remedy.mask is None or joint is None or character.mirror.joint(joint) != joint:
        return character
    if character.in_depth:
        return character
    world, parent = skeleton.rest_global[joint], int(skeleton.parents[joint])
    place = MIRROR * (world[:3, 3] - [character.mesh.mirror_x, 0, 0]) + [character.mesh.mirror_x, 0, 0]
    if np.linalg.norm(place - world[:3, 3]) < NEAR * extent(character.mesh.rest):
        return character
    turn = rotations.rotation_part(world[:3, :3])
    draft, own = Draft(character), skeleton.names[joint]
    above = character.mirror.joint(parent) if parent >= 0 else None
    name = free_name(character.name_across(own) or f"{own}_mirrored", set(skeleton.names))
    draft.add(name, -1 if above is None else above, place, MIRROR[:, None] * turn * MIRROR, helper=True)
    return draft.finish()


def _on_one_side(character: Character, remedy: Remedy) -> bool:
    """Whether what it acts on lies under a mask that is not its own mirror image."""
    mask = remedy.mask
    if not isinstance(mask, Mask):
        return False
    twin = character.vertices_across[mask.vertices]
    shares = mask.dense(len(character.mesh))
    apart = np.abs(shares[twin[twin >= 0]] - mask.shares[twin >= 0]).sum()
    return bool(apart > ALIKE * mask.shares.sum())


def _own_joints(remedy: Remedy) -> list[int]:
    return [j for j in (*remedy.body.reads(), *remedy.body.writes()) if isinstance(j, int)]


def _one_sided(character: Character, remedy: Remedy) -> list[Trigger]:
    """The triggers that a remedy depends on which read something of one side, each after those that it reads."""
    rules, joints = character.rules, character.mirror
    found: list[Trigger] = []

    def one_sided(value: str) -> bool:
        trigger = next((t for t in rules.triggers if value in t.writes()), None)
        if trigger is None:
            return False
        told = [one_sided(s) if isinstance(s, str) else joints.joint(s) != s for s in sorted(trigger.reads(), key=str)]
        if any(told) and trigger not in found:
            found.append(trigger)
        return any(told)

    if remedy.by is not None:
        one_sided(remedy.by)
    return found
