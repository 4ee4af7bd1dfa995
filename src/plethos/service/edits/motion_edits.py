"""Motion brought onto a character, and poses kept under a name."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import PurePosixPath
from typing import Any

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.formats.bvh import read_bvh
from plethos.core.motion.likeness import guessed_mapping
from plethos.core.motion.motion import Motion
from plethos.core.skeleton.kept_poses import KeptPose, mirrored_pose
from plethos.core.skeleton.names import free_name, printable
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.pose_files import pose_to_json
from plethos.service.library.version import Version
from plethos.service.library.workbench import Workbench

MOST_POSES = 1000


def bring_motion(workbench: Workbench, character_id: str, filename: str, data: bytes) -> Version:
    """Bring a BVH motion onto a character by the names of its joints; it is a clip from then on.

    Raises
    ------
    BadFileError
        When the file is no motion.
    BadEditError
        When it has no joint in common with the character.
    """
    read = workbench.read_apart(read_bvh, data, printable(PurePosixPath(filename).stem) or "Motion")

    def change(character: Character) -> Character:
        skeleton = character.skeleton
        joints = [n for n, is_joint in zip(skeleton.names, skeleton.is_joint, strict=True) if is_joint]
        number = {n: k for k, n in enumerate(joints)}
        parents = [_joint_above(character, n, number) for n in joints]
        mapping = guessed_mapping(read.joints, read.parents, joints, parents)
        if not mapping:
            some = ", ".join(f"“{n}”" for n in read.joints[:3])
            raise BadEditError(f"The motion has no joint in common with this character: it moves {some} and the like.")
        taken = {c.name for c in character.all_clips}
        motion = replace(read.mapped(mapping), name=free_name(read.name, taken))
        return replace(character, motions=(*character.motions, motion))

    return workbench.edit(character_id, f"Bring in the motion “{read.name}”", change)


def _joint_above(character: Character, name: str, number: Mapping[str, int]) -> int:
    skeleton = character.skeleton
    up = int(skeleton.parents[skeleton.index_of[name]])
    while up >= 0 and skeleton.names[up] not in number:
        up = int(skeleton.parents[up])
    return -1 if up < 0 else number[skeleton.names[up]]


def map_motion(workbench: Workbench, character_id: str, name: str, mapping: Mapping[str, str | None]) -> Version:
    """Say which joint takes on which of a motion's; None lets one go. What is not named stays.

    Raises
    ------
    BadEditError
        When there is no such motion or joint, or two would move one joint.
    """

    def change(character: Character) -> Character:
        motion = _motion(character, name)
        now = {**motion.mapping, **mapping}
        for source, joint in mapping.items():
            if source not in motion.joints:
                raise BadEditError(f"The motion has no joint called “{source}”.")
            if joint is not None:
                character.skeleton.find(joint)
                # A joint takes on one: the one that had it before lets go.
                now.update({s: None for s, j in now.items() if j == joint and s != source})
        fresh = motion.mapped({s: j for s, j in now.items() if j is not None})
        if not fresh.mapping:
            raise BadEditError("One joint has to take the motion on, or nothing moves: delete it instead.")
        return replace(character, motions=tuple(fresh if m is motion else m for m in character.motions))

    return workbench.edit(character_id, f"Map the motion “{name}”", change)


def delete_motion(workbench: Workbench, character_id: str, name: str) -> Version:
    """Take a motion away; undo brings it back."""

    def change(character: Character) -> Character:
        gone = _motion(character, name)
        return replace(character, motions=tuple(m for m in character.motions if m is not gone))

    return workbench.edit(character_id, f"Delete the motion “{name}”", change)


def _motion(character: Character, name: str) -> Motion:
    found = next((m for m in character.motions if m.name == name), None)
    if found is None:
        raise BadEditError("That motion is not there any more; it may have been deleted or undone.")
    return found


def keep_pose(workbench: Workbench, character_id: str, name: str, pose: Pose) -> Version:
    """Keep a pose under a name; one of that name is replaced."""
    label = printable(name)
    if not label:
        raise BadEditError("Give the pose a name.")

    def change(character: Character) -> Character:
        fresh = KeptPose(label, pose_to_json(character.skeleton, pose))
        others = tuple(p for p in character.poses if p.name != label)
        if len(others) == len(character.poses):
            if len(others) >= MOST_POSES:
                raise BadEditError(f"There are {MOST_POSES} poses already: delete some first.")
            return replace(character, poses=(*others, fresh))
        return replace(character, poses=tuple(fresh if p.name == label else p for p in character.poses))

    return workbench.edit(character_id, f"Keep the pose “{label}”", change)


def delete_pose(workbench: Workbench, character_id: str, name: str) -> Version:
    """Forget a kept pose; undo brings it back."""

    def change(character: Character) -> Character:
        left = tuple(p for p in character.poses if p.name != name)
        if len(left) == len(character.poses):
            raise BadEditError("That pose is not there any more; it may have been deleted or undone.")
        return replace(character, poses=left)

    return workbench.edit(character_id, f"Delete the pose “{name}”", change)


def mirror_image(version: Version, pose: Pose) -> dict[str, Any]:
    """The mirror image of a pose, as in a pose file."""
    character = version.character
    return mirrored_pose(pose_to_json(character.skeleton, pose), character.mirror, character.skeleton)
