"""Laying a skeleton: joints made, moved, turned, renamed, hung elsewhere and deleted, each on both sides if wanted."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.geometry import rotations
from plethos.core.joints import edit, reflect, template
from plethos.core.joints.body_plan import with_proposed_ranges
from plethos.core.joints.ranges import with_range
from plethos.core.rules.triggers.hinge import unit_axis
from plethos.core.skeleton.hinge import Hinge
from plethos.core.skeleton.names import other_side_name
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.posture import UPS
from plethos.core.skeleton.symmetry import joint_mirror
from plethos.service.library.version import Version
from plethos.service.library.workbench import Workbench


def make(
    workbench: Workbench,
    character_id: str,
    name: str,
    parent: str | None,
    place: Sequence[float],
    mirror: bool,
    pose: Pose | None = None,
) -> Version:
    """One more joint; with `mirror` its image on the other side too, unless it lies in the middle.

    Parameters
    ----------
    pose
        The pose in which `place` was said; None = at rest.
    """

    def change(character: Character) -> Character:
        up = None if parent is None else character.skeleton.find(parent)
        fresh = edit.continued(character, name, up, place, pose)
        if not mirror:
            return fresh
        joints = [fresh.skeleton.find(name.strip())]
        if parent is not None and not edit.stands_as_before(character.skeleton, fresh.skeleton, parent):
            joints.append(fresh.skeleton.find(parent))
        return reflect.reflected(fresh, joints)

    return workbench.edit(character_id, f"Make {name}", change)


def move(
    workbench: Workbench,
    character_id: str,
    joint: str,
    place: Sequence[float],
    mirror: bool,
    pose: Pose | None = None,
) -> Version:
    """Move a joint at rest to a place in the world; the skin stays.

    Parameters
    ----------
    pose
        The pose in which `place` was said: the joint is to be there in it. None = at rest.
    """

    def change(character: Character) -> Character:
        return edit.with_joint_moved(character, character.skeleton.find(joint), place, pose, mirror)

    return workbench.edit(character_id, f"Move {joint}", change)


def turn(workbench: Workbench, character_id: str, joint: str, turn_deg: Sequence[float], mirror: bool) -> Version:
    """Turn a joint's own frame at rest, degrees about its X, then Y, then Z."""
    by = rotations.from_euler_xyz_deg(turn_deg)
    return _both(workbench, character_id, f"Turn {joint}", joint, mirror, lambda c, j: edit.turned(c, j, by))


def aim(workbench: Workbench, character_id: str, joint: str, mirror: bool) -> Version:
    """Lay a joint's Y axis along its bone."""
    return _both(workbench, character_id, f"Lay {joint} along its bone", joint, mirror, edit.aimed)


def set_hinge(
    workbench: Workbench,
    character_id: str,
    joint: str,
    axis: Sequence[float],
    low_deg: float,
    high_deg: float,
    mirror: bool,
) -> Version:
    """Say about which axis a joint mainly bends, and how far."""
    hinge = Hinge(unit_axis(axis), math.radians(low_deg), math.radians(high_deg))
    return _both(workbench, character_id, f"Range of {joint}", joint, mirror, lambda c, j: edit.hinged(c, j, hinge))


def set_range(workbench: Workbench, character_id: str, joint: str, preset: str, mirror: bool) -> Version:
    """Give a joint the hinge and range of a preset."""
    return _both(workbench, character_id, f"Range of {joint}", joint, mirror, lambda c, j: with_range(c, j, preset))


def take_proposed_ranges(workbench: Workbench, character_id: str) -> Version:
    """Give all joints of which nothing is known the ranges that the body proposes."""
    return workbench.edit(character_id, "Take the proposed ranges", with_proposed_ranges)


def rename(workbench: Workbench, character_id: str, joint: str, name: str, mirror: bool) -> Version:
    """Call a joint otherwise; with `mirror` its image too, when the new name tells a side."""

    def change(character: Character) -> Character:
        j, other = _pair(character, joint, mirror)
        fresh, twin_name = edit.renamed(character, j, name), other_side_name(name.strip())
        return edit.renamed(fresh, other, twin_name) if other is not None and twin_name else fresh

    return workbench.edit(character_id, f"Rename {joint}", change)


def hang(workbench: Workbench, character_id: str, joint: str, parent: str | None, mirror: bool) -> Version:
    """Hang a joint on another, or on none."""

    def change(character: Character, j: int) -> Character:
        return edit.reparented(character, j, None if parent is None else character.skeleton.find(parent))

    return _both(workbench, character_id, f"Hang {joint} on {parent or 'nothing'}", joint, mirror, change)


def delete(workbench: Workbench, character_id: str, joint: str, mirror: bool, remedies: bool = False) -> Version:
    """Delete a joint; what hung on it and what followed it goes to its parent.

    Parameters
    ----------
    remedies
        Whether remedies that need it give way (see `Rules.without_joint`); else they keep it.
    """

    def change(character: Character) -> Character:
        j, other = _pair(character, joint, mirror)
        gone = [j] if other is None else [j, other]
        if remedies:
            for one in gone:
                character = character.with_rules(character.rules.without_joint(one))
        return edit.removed(character, gone)

    return workbench.edit(character_id, f"Delete {joint}", change)


def insert_twists(workbench: Workbench, character_id: str, joint: str, count: int, mirror: bool) -> Version:
    """Put twist joints evenly along a joint's bone, and share its weight with them."""

    def change(character: Character) -> Character:
        j, other = _pair(character, joint, mirror)
        other_name = None if other is None else character.skeleton.names[other]
        fresh = edit.twisted(character, j, count)
        return fresh if other_name is None else edit.twisted(fresh, fresh.skeleton.find(other_name), count)

    return workbench.edit(character_id, f"Twist joints along {joint}", change)


def mirror_side(workbench: Workbench, character_id: str, from_left: bool) -> Version:
    """Bring one side's joints to where the other side's are mirrored, and make those that are missing."""

    def change(character: Character) -> Character:
        skeleton = character.skeleton
        side = 1.0 if from_left else -1.0
        own = [j for j in range(len(skeleton)) if skeleton.is_joint[j] and side * skeleton.rest_global[j, 0, 3] > 1e-6]
        if not own:
            raise BadEditError("There is no joint on that side.")
        return reflect.reflected(character, own)

    label = "Mirror joints, left to right" if from_left else "Mirror joints, right to left"
    return workbench.edit(character_id, label, change)


def stand(workbench: Workbench, character_id: str, up: str) -> Version:
    """Look at the character with this axis up; its file, and all that is computed, stay as they are."""
    if up not in UPS:
        raise BadEditError(f"Only {' or '.join(u.upper() for u in UPS)} can be up.")
    return workbench.edit(
        character_id, "Stand up" if up == "z" else "Lay down again", lambda c: replace(c, up=up)
    )  # fmt: skip


def markers(version: Version) -> dict[str, list[float]]:
    """Where the markers of the template likely belong on a character."""
    guessed = template.guessed_markers(version.rest, version.character.mesh.mirror_x)
    return {name: np.round(place, 4).tolist() for name, place in guessed.items()}


def lay(workbench: Workbench, character_id: str, places: dict[str, Sequence[float]], twists: int) -> Version:
    """Lay the skeleton of a biped between markers."""
    return workbench.edit(character_id, "Lay a skeleton", lambda c: template.laid(c, places, twists))


def _pair(character: Character, joint: str, mirror: bool) -> tuple[int, int | None]:
    """The joint, and its mirror image when there is one that is to follow."""
    j = character.skeleton.find(joint)
    other = int(joint_mirror(character.skeleton, character.mesh.mirror_x)[j])
    return j, other if mirror and other != j else None


def _both(
    workbench: Workbench,
    character_id: str,
    label: str,
    joint: str,
    mirror: bool,
    change: Callable[[Character, int], Character],
) -> Version:
    """Edit a joint and, with `mirror`, bring its mirror image to the same."""

    def changed(character: Character) -> Character:
        j, other = _pair(character, joint, mirror)
        fresh = change(character, j)
        if other is None:
            return fresh
        return reflect.reflected(fresh, [fresh.skeleton.find(joint)], character.skeleton)

    return workbench.edit(character_id, label, changed)
