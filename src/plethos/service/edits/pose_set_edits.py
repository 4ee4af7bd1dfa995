"""Stored poses: one more for a set round some joints, one less, and where the weights lie."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.propose.held import furthest_turned
from plethos.core.rules.rules import Rules
from plethos.core.rules.triggers.pose_map import PoseMap
from plethos.core.rules.triggers.pose_set import PoseSet
from plethos.core.skeleton.pose import Pose
from plethos.service.edits.rule_edits import in_step
from plethos.service.library.version import Version
from plethos.service.library.workbench import Workbench


def proposed(
    version: Version, pose: Pose, joints: Sequence[str], by: str, name: str, set_id: str | None
) -> tuple[dict[str, Any], str]:
    """A pose set with the held pose in it, as plain data, and the id of that pose's value; nothing is stored.

    Parameters
    ----------
    joints
        Which joints count; none = the one that is turned furthest. A set that is there has its own.
    set_id
        The set to which the pose is to be added; None = another one.

    Raises
    ------
    BadEditError
        When the pose is too close to rest or to another of the set, which is named.
    """
    character, skeleton = version.character, version.character.skeleton
    if set_id is not None:
        grown = pose_set(character.rules, set_id).with_held(pose, by, name)
    else:
        numbers = [skeleton.find(j) for j in joints] or [furthest_turned(character, pose)]
        grown = PoseSet.of_held(skeleton, numbers, pose, by, name)
    return grown.to_document(skeleton), grown.poses[-1].id


def pose_set(rules: Rules, set_id: str) -> PoseSet:
    """The pose set of that id.

    Raises
    ------
    BadEditError
        When there is none.
    """
    for trigger in rules.triggers:
        if trigger.id == set_id and isinstance(trigger, PoseSet):
            return trigger
    raise BadEditError("Those stored poses are not there any more; they may have been deleted or undone.")


def without_pose(workbench: Workbench, character_id: str, set_id: str, pose_id: str) -> Version:
    """Take a stored pose out of its set; remedies that followed it are untied."""

    def change(character: Character) -> Character:
        rules = character.rules
        readers = [r.id for r in rules.remedies if r.by == pose_id]
        left = pose_set(rules, set_id).without_pose(pose_id)
        others = tuple(t for t in rules.triggers if t.id != set_id)
        if any(pose_id in t.reads() for t in others):
            raise BadEditError(f"“{rules.readers(pose_id)[0]}” reads that pose: untie it first.")
        untied = tuple(replace(r, by=None) if r.by == pose_id else r for r in rules.remedies)
        made = character.with_rules(
            replace(rules.with_trigger(left) if left else replace(rules, triggers=others), remedies=untied)
        )
        for remedy_id in readers:
            made = in_step(made, remedy_id)
        return made

    return workbench.edit(character_id, "Delete a stored pose", change)


def pose_map(version: Version, set_id: str, joint: str, pose: Pose) -> PoseMap:
    """Where the weights of a set lie round one of its joints."""
    character = version.character
    return PoseMap.of(pose_set(character.rules, set_id), character.skeleton.find(joint), pose)
