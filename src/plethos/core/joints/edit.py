"""Edits of joints at rest. The skin stays where it is, and every pose shows the consequence at once.

What is done to a joint can be done to its mirror image by `reflected`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import ArrayLike

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.joints.draft import Draft
from plethos.core.joints.flat import flat_hinge
from plethos.core.joints.frames import frame_along
from plethos.core.skeleton.hinge import Hinge
from plethos.core.skeleton.names import free_name
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skeleton.symmetry import across, joint_mirror
from plethos.core.weights.assign import INSIDE, with_joint_weights
from plethos.core.weights.bones import Segment
from plethos.core.weights.gradient import grade

MOST_TWISTS = 8


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
    """
    draft = Draft(character)
    for joint, place in places.items():
        draft.joints[joint].world[:3, 3] = np.asarray(place, dtype=np.float64) * (
            [1, 1, 0] if character.mesh.is_flat else 1
        )
    return draft.finish()


def rest_place(skeleton: Skeleton, parent: int, place: ArrayLike, pose: Pose | None) -> Array:
    """Where a joint has to be at rest ``(3,)``, so that it is at `place` in the pose: its parent carries it there."""
    at = np.asarray(place, dtype=np.float64)
    if pose is None or parent < 0:
        return at
    posed = skeleton.global_matrices(pose)[parent]
    local = np.linalg.solve(posed, np.append(at, 1.0))
    return np.asarray((skeleton.rest_global[parent] @ local)[:3])


def with_joint_moved(character: Character, joint: int, place: ArrayLike, pose: Pose | None, mirror: bool) -> Character:
    """The character with a joint moved so that it is at a place in a pose; its mirror image goes along if wanted.

    Parameters
    ----------
    place
        In the world, metres ``(3,)``.
    pose
        The pose in which the joint is to be there; None = at rest.
    """
    at = rest_place(character.skeleton, int(character.skeleton.parents[joint]), place, pose)
    places, twin = {joint: at}, int(joint_mirror(character.skeleton, character.mesh.mirror_x)[joint])
    if mirror and twin != joint:
        places[twin] = across(at, character.mesh.mirror_x)
    return moved_joints(character, places)


def made(character: Character, name: str, parent: int | None, place: ArrayLike, pose: Pose | None = None) -> Character:
    """The character with one more joint, which nothing follows yet.

    Parameters
    ----------
    parent
        The joint that it hangs on, whose frame it takes over; None = a joint at the top.
    place
        In the world, metres ``(3,)``.
    pose
        The pose in which it is to be there; None = at rest.
    """
    draft = Draft(character)
    up = -1 if parent is None else parent
    frame = rotations.rotation_part(draft.joints[up].world[:3, :3]) if up >= 0 else np.eye(3)
    at = rest_place(character.skeleton, up, place, pose)
    if character.mesh.is_flat:  # in the plane, and turning in it
        draft.add(name.strip(), up, at * [1, 1, 0], frame, flat_hinge())
    else:
        draft.add(name.strip(), up, at, frame)
    return draft.finish()


def continued(
    character: Character, name: str, parent: int | None, place: ArrayLike, pose: Pose | None = None
) -> Character:
    """Like `made`, and a parent that nothing followed nor hung on before is laid along its bone, which ends here."""
    fresh = made(character, name, parent, place, pose)
    if parent is None or character.mesh.is_flat:
        return fresh
    begun = not character.skeleton.children(parent) and not character.binding.joint_weights[:, parent].any()
    up = fresh.skeleton.find(character.skeleton.names[parent])
    # The last of a chain lies as the one before.
    return aimed(aimed(fresh, up), fresh.skeleton.find(name.strip())) if begun else fresh


def stands_as_before(before: Skeleton, after: Skeleton, joint: str) -> bool:
    """Whether a joint has the place and frame at rest that it had."""
    old, new = (s.rest_global[s.find(joint)] for s in (before, after))
    return bool(np.abs(old - new).max() < 1e-12)


def turned(character: Character, joint: int, turn: Array) -> Character:
    """The character with a joint's own frame turned at rest, by a quaternion ``(4,)`` in that frame."""
    draft = Draft(character)
    world = draft.joints[joint].world
    world[:3, :3] = world[:3, :3] @ rotations.to_matrix(rotations.normalize(turn))
    return draft.finish()


def aimed(character: Character, joint: int) -> Character:
    """The character with a joint's Y axis along its bone, and its hinge as near as can be to where it was.

    Raises
    ------
    BadEditError
        When the joint has no bone: neither a child nor a parent apart from it.
    """
    skeleton = character.skeleton
    along = bone_of(skeleton, joint)
    if along is None:
        raise BadEditError(f"“{skeleton.names[joint]}” has no bone to lie along: nothing hangs on it.")
    draft = Draft(character)
    world = draft.joints[joint].world
    own = rotations.rotation_part(world[:3, :3])
    hinge = skeleton.hinge(joint)
    axis = own @ np.array(hinge.axis)
    # A roll joint's hinge is the bone itself; then any axis across it will do for Z.
    across = axis if abs(axis @ along) < 0.9 * np.linalg.norm(along) else own[:, 2]
    frame = frame_along(along, across)
    world[:3, :3] = frame @ (own.T @ world[:3, :3])
    if skeleton.known_hinge(joint) is not None:
        x, y, z = (frame.T @ axis).tolist() if across is not axis else (0.0, 0.0, 1.0)
        draft.joints[joint].hinge = replace(hinge, axis=(x, y, z))
    return draft.finish()


def renamed(character: Character, joint: int, name: str) -> Character:
    """The character with a joint called otherwise; names are unique."""
    draft = Draft(character)
    draft.joints[joint].name = name.strip()
    return draft.finish()


def reparented(character: Character, joint: int, parent: int | None) -> Character:
    """The character with a joint hung on another, or on none; it stays where it is.

    Raises
    ------
    BadEditError
        When it would hang on itself.
    """
    draft = Draft(character)
    if parent == joint:
        raise BadEditError(f"“{character.skeleton.names[joint]}” would hang on itself: choose another parent.")
    draft.joints[joint].parent = -1 if parent is None else parent
    return draft.finish()


def removed(character: Character, joints: Sequence[int]) -> Character:
    """The character without some joints: what hung on them, and what followed them, goes to their parents.

    Raises
    ------
    BadEditError
        When a remedy is tied to one, or nothing would be left to follow.
    """
    draft = Draft(character)
    for joint in joints:
        draft.remove(joint)
    return draft.finish()


def hinged(character: Character, joint: int, hinge: Hinge) -> Character:
    """The character with another hinge axis and range of motion for a joint.

    Raises
    ------
    BadEditError
        When the range is empty, or so wide that an angle could not be told: a whole turn or more.
    """
    if not -2 * np.pi <= hinge.low < hinge.high <= 2 * np.pi:
        raise BadEditError("The range of motion needs a low end below its high end, within a full turn either way.")
    if hinge.high - hinge.low > 2 * np.pi - 1e-6:
        raise BadEditError("The range of motion has to be less than a whole turn wide: its ends would look the same.")
    before = character.skeleton.known_hinge(joint)
    if before is not None and hinge.others is None and np.dot(before.axis, hinge.axis) > 0.999:
        hinge = replace(hinge, others=before.others)
    draft = Draft(character)
    draft.joints[joint].hinge = hinge
    return draft.finish()


def twisted(character: Character, joint: int, count: int) -> Character:
    """The character with so many twist joints spread evenly along a joint's bone.

    They take over the joint's frame, and share its weight in an even gradient along the bone.

    Raises
    ------
    BadEditError
        When the joint has no bone, has twist joints already, or for a silly number.
    """
    skeleton = character.skeleton
    if not 1 <= count <= MOST_TWISTS:
        raise BadEditError(f"Between 1 and {MOST_TWISTS} twist joints can be put along a bone.")
    main = skeleton.main_child(joint)
    if main is None:
        raise BadEditError(f"“{skeleton.names[joint]}” has no bone to put twist joints along: nothing hangs on it.")
    start, end = skeleton.rest_global[joint, :3, 3], skeleton.rest_global[main, :3, 3]
    draft, names = Draft(character), set(skeleton.names)
    frame = rotations.rotation_part(draft.joints[joint].world[:3, :3])
    labels = []
    for k in range(1, count + 1):
        label = free_name(f"{skeleton.names[joint]}_twist_{k}", names)
        draft.add(label, joint, start + (end - start) * k / (count + 1), frame)
        labels.append(label)
    fresh = draft.finish()
    chain = tuple(fresh.skeleton.find(n) for n in labels)
    bone = fresh.skeleton.find(skeleton.names[joint])
    dense = fresh.binding.joint_weights.astype(np.float64)
    grade(dense, fresh.mesh.rest, Segment(bone, start, end, chain))
    return with_joint_weights(fresh, dense, INSIDE)


def bone_of(skeleton: Skeleton, joint: int) -> Array | None:
    """From a joint to where its bone ends ``(3,)``; for an end, on from its parent; None for a joint alone."""
    at, child, parent = skeleton.rest_global[:, :3, 3], skeleton.main_child(joint), skeleton.joint_parents[joint]
    if child is not None:
        return np.asarray(at[child] - at[joint])
    if parent >= 0 and np.linalg.norm(at[joint] - at[parent]) > 1e-9:
        return np.asarray(at[joint] - at[parent])
    return None
