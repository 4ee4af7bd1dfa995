"""From the service's objects to what the API shows."""

from __future__ import annotations

import json
from typing import Any

from plethos.core.motion.motion import Motion
from plethos.service.edits.region_edits import regions_json
from plethos.service.library.version import Version
from plethos.service.schemas.bind import RegionInfo
from plethos.service.schemas.character import (
    CharacterState,
    MendInfo,
    SculptState,
)
from plethos.service.schemas.common import PoseBody
from plethos.service.schemas.motion import ClipInfo, KeptPoseInfo, MotionInfo, MotionJoint
from plethos.service.schemas.rules import DialRule, GroupRule
from plethos.service.sculpts.border import moved_border
from plethos.service.sculpts.kept_sculpt import far_from_turned
from plethos.service.told.cards import cards, values
from plethos.store.blobs import digest


def character_state(version: Version) -> CharacterState:
    """What the workbench shows of a version."""
    revision, character = version.revision, version.character
    rules = character.rules
    sculpt = None
    if version.sculpt is not None:
        note = version.sculpt.note
        sculpt = SculptState(
            remedy_id=note.remedy_id,
            pose=held_pose(note.pose),
            strokes=note.strokes,
            between=note.between,
            border_moved=len(moved_border(version)),
            hint=far_from_turned(version),
            mend=MendInfo(**note.mend) if note.mend else None,
        )
    return CharacterState(
        id=revision.character_id,
        name=revision.name,
        version=revision.number,
        revision=revision.id,
        undo=revision.label if revision.number > 0 else None,
        redo=revision.number < revision.last,
        saved_at=revision.saved_at,
        remedies=cards(character),
        dials=[DialRule(**d.to_document()) for d in rules.dials],
        groups=[GroupRule(**g.to_document()) for g in rules.groups],
        values=values(rules),
        skeleton=digest(json.dumps([revision.document.get(k) for k in ("joints", "drawing")]).encode())[:12],
        change=version.change,
        bound=character.is_bound,
        sculpt=sculpt,
        regions=[RegionInfo(**r) for r in regions_json(character)],
        clips=[ClipInfo(name=c.name, seconds=c.duration) for c in character.all_clips],
        motions=[_motion(m) for m in character.motions],
        poses=[KeptPoseInfo(name=p.name, pose=held_pose(dict(p.pose))) for p in character.poses],
        up=character.up,  # type: ignore[arg-type]
    )


def held_pose(pose: dict[str, Any]) -> PoseBody:
    """A stored pose as pages say it: joints that are only turned as quaternions alone."""
    joints = {n: e["quaternion_xyzw"] if set(e) == {"quaternion_xyzw"} else e for n, e in pose["joints"].items()}
    return PoseBody.model_validate({**pose, "joints": joints})


def _motion(motion: Motion) -> MotionInfo:
    joints = [MotionJoint(name=n, joint=motion.mapping.get(n)) for n in motion.joints]
    return MotionInfo(name=motion.name, frames=len(motion), joints=joints, left_out=list(motion.left_out))
