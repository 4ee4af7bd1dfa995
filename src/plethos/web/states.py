"""From the service's objects to what the API shows."""

from __future__ import annotations

import json
import math
from typing import Any
from weakref import WeakKeyDictionary

import numpy as np
from pydantic import TypeAdapter

from plethos.core.character import Character
from plethos.core.geometry.subdivide import subdivided
from plethos.core.geometry.topology import extent
from plethos.core.joints.ranges import suggested
from plethos.core.measure.outline_site import bends_outlines
from plethos.core.motion.motion import Motion
from plethos.core.propose.kinds import Tried
from plethos.core.propose.response import Fitted
from plethos.core.propose.soft import joints_under
from plethos.core.rules.remedies import Corrective, Helper, Order, Relaxer, Remedy, VolumeKeeper
from plethos.core.rules.rules import Rules
from plethos.core.rules.triggers.pose_set import PoseSet
from plethos.core.skeleton.posture import lies_on_its_back
from plethos.core.skin.binding import Binding
from plethos.core.skin.mask import Mask
from plethos.core.skin.mesh import Mesh, Triangles
from plethos.core.weights.bones import segments_of
from plethos.service.desk.response_curves import response_curve
from plethos.service.edits.region_edits import regions_json
from plethos.service.library.version import Version
from plethos.service.proposals.tried_kinds import Kinds
from plethos.service.sculpts.border import moved_border
from plethos.service.sculpts.kept_sculpt import far_from_turned
from plethos.store.blobs import digest
from plethos.store.repository import Revision
from plethos.store.work import Work
from plethos.web.drawing_states import drawing_info
from plethos.web.schemas.bind import RegionInfo
from plethos.web.schemas.character import (
    CharacterState,
    FigureInfo,
    FittedResponse,
    JointInfo,
    LibraryEntry,
    MendInfo,
    PartInfo,
    RemedyCard,
    SculptState,
    SolveReport,
    TargetInfo,
)
from plethos.web.schemas.common import PoseBody
from plethos.web.schemas.live import JobMessage
from plethos.web.schemas.mending import BodyChange, KindsTried, KindTried
from plethos.web.schemas.motion import ClipInfo, KeptPoseInfo, MotionInfo, MotionJoint
from plethos.web.schemas.rules import DialRule, GroupRule, HingeTriggerRule, TriggerRule, ValueInfo


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
        remedies=_cards(character),
        dials=[DialRule(**d.to_document()) for d in rules.dials],
        groups=[GroupRule(**g.to_document()) for g in rules.groups],
        values=_values(rules),
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


TRIGGER: TypeAdapter[TriggerRule] = TypeAdapter(TriggerRule)


def _cards(character: Character) -> list[RemedyCard]:
    rules = character.rules
    # Every edit tells of all remedies; masks, weights and joints seldom change.
    masks = [r.mask for r in rules.remedies if r.mask is not None and not rules.joints_read(r)]
    new = [m for m in masks if m not in _known_joints or _known_joints[m][0] is not character.binding]
    found = joints_under(character.skeleton, character.binding, new) if new else []
    for mask, joints in zip(new, found, strict=True):
        _known_joints[mask] = (character.binding, tuple(character.skeleton.names[j] for j in joints))
    under: dict[Mask | None, list[str]] = {m: list(_known_joints[m][1]) for m in masks}
    return [_card(character, r, under.get(r.mask, [])) for r in rules.remedies]


_known_joints: WeakKeyDictionary[Mask, tuple[Binding, tuple[str, ...]]] = WeakKeyDictionary()


def _card(character: Character, remedy: Remedy, under: list[str]) -> RemedyCard:
    """A remedy for its card; `under`: the joints whose skin its mask lies on, for one that reads no joint."""
    rules, skeleton = character.rules, character.skeleton
    trigger = rules.trigger_of(remedy)
    targets = remedy.body.targets if isinstance(remedy.body, Corrective) else ()
    last = targets[-1] if targets else None
    return RemedyCard(
        id=remedy.id,
        kind=remedy.kind,  # type: ignore[arg-type]
        name=remedy.name,
        on=remedy.on,
        amount=remedy.amount,
        by=remedy.by,
        trigger=TRIGGER.validate_python(trigger.to_document(skeleton)) if trigger else None,
        curve=response_curve(trigger) if trigger else [],
        joints=sorted(skeleton.names[j] for j in rules.joints_read(remedy)) or under,
        group=remedy.group,
        twin=remedy.twin,
        notes=list(remedy.notes),
        pose=dict(last.pose) if last else {},
        report=SolveReport(**last.report) if last else SolveReport(),
        targets=[
            TargetInfo(at=t.at, name=t.shape.name, moved=len(t.shape.vertices), pose=dict(t.pose)) for t in targets
        ],
        eased=isinstance(remedy.body, Corrective) and remedy.body.eased,
        driven=skeleton.names[remedy.body.joint] if isinstance(remedy.body, Helper) else None,
        numbers=_numbers(character, remedy),
        masked=None if remedy.mask is None else len(remedy.mask.vertices),
    )


def _numbers(character: Character, remedy: Remedy) -> BodyChange:
    body = remedy.body
    if isinstance(body, Helper):
        return BodyChange.model_validate({"rules": [r.to_document(character.skeleton) for r in body.rules]})
    if isinstance(body, Relaxer):
        return BodyChange(steps=body.steps)
    if isinstance(body, Order):
        return BodyChange(part=body.part, other=body.other, behind=body.behind)
    return BodyChange(share=body.share, most=body.most) if isinstance(body, VolumeKeeper) else BodyChange()


def kinds_info(kinds: Kinds) -> KindsTried:
    """What was tried, as the page reads it."""

    def told(kind: str, tried: Tried | None, why: str) -> KindTried:
        if tried is None:
            return KindTried(kind=kind, can=False, why=why)
        m = tried.measured
        return KindTried(
            kind=kind, can=True, why=why, volume=m.volume, girth=m.girth, contacts=tried.contacts, off=tried.off
        )  # fmt: skip

    return KindsTried(
        now=told("now", kinds.now, ""),
        kinds=[told(k.kind, k.tried, k.why) for k in kinds.kinds],
        proposed=kinds.proposed,
        left=kinds.left,
    )


def _values(rules: Rules) -> list[ValueInfo]:
    """All values, dials first."""
    out = [ValueInfo(id=d.id, name=d.name, kind="dial") for d in rules.dials]
    out += [ValueInfo(id=g.id, name=g.name, kind="group") for g in rules.groups]
    for trigger in rules.triggers:
        poses = {p.id: p.name for p in trigger.poses} if isinstance(trigger, PoseSet) else {}
        for value in trigger.writes():
            name = poses.get(value) or rules.label(trigger)
            out.append(ValueInfo(id=value, name=name, kind=trigger.kind))
    return out


def fitted_info(version: Version, fitted: Fitted) -> FittedResponse:
    """A fitted response as the page reads it."""
    between = fitted.between
    return FittedResponse(
        trigger=HingeTriggerRule(**fitted.trigger.to_document(version.character.skeleton)),
        worst_before=fitted.worst_before,
        worst=fitted.worst,
        between_deg=None if between is None else math.degrees(between),
        further_deg=None if fitted.further is None else math.degrees(fitted.further),
    )


def figure_info(version: Version) -> FigureInfo:
    """What the workbench needs to draw and to bend a character, until its joints change."""
    character, skeleton = version.character, version.character.skeleton
    world = skeleton.rest_global
    joints = []
    # Parts follow each other, in vertices and so in triangles.
    first_corner = character.mesh.topology.triangles[:, 0]
    carried = None if character.mesh.is_flat else character.binding.carried(skeleton).tocsc()
    twists = {t for bone in segments_of(skeleton) for t in bone.twists}
    for j, name in enumerate(skeleton.names):
        if not skeleton.is_joint[j]:
            continue
        hinge = skeleton.hinge(j)
        if carried is None:
            bends = bends_outlines(character, j)
        else:
            w = carried.data[carried.indptr[j] : carried.indptr[j + 1]]
            bends = bool(((w > 0.02) & (w < 0.98)).any())
        joints.append(
            JointInfo(
                index=j,
                name=name,
                parent=skeleton.joint_parents[j],
                at=tuple(world[j, :3, 3].tolist()),
                hinge_axis=hinge.axis,
                low_deg=math.degrees(hinge.low),
                high_deg=math.degrees(hinge.high),
                hinge_known=skeleton.known_hinge(j) is not None,
                likely_range=suggested(name),
                bends=bends,
                on_bone=j in twists,
            )
        )
    return FigureInfo(
        nodes=len(skeleton),
        vertices=len(character.mesh.points),
        triangles=len(character.mesh.topology.triangles),
        height=extent(character.mesh.rest),
        mirror_x=character.mesh.mirror_x,
        lies=lies_on_its_back(skeleton),
        parts=[
            PartInfo(
                name=p.name,
                vertices=p.file_vertices[1] - p.file_vertices[0],
                triangles=len(p.surface.corners) if isinstance(p.surface, Triangles) else 0,
                drawn=(int(a), int(b)),
            )
            for p in character.mesh.parts
            for a, b in [np.searchsorted(first_corner, p.vertices)]
        ],
        joints=joints,
        shapes=[s.name for s in character.mesh.shapes],
        repairs=list(character.repairs),
        drawing=drawing_info(character.mesh),
    )


def mesh_bytes(mesh: Mesh) -> bytes:
    """What the view draws: vertex and triangle counts (uint32), then rest points float32, triangles uint32, and
    four bytes a vertex: linear RGB and 255, or zeros where the file says no colour."""
    triangles = mesh.topology.triangles
    counts = np.array([len(mesh), len(triangles)], dtype="<u4")
    colours = np.zeros((len(mesh), 4), dtype=np.uint8)
    if mesh.colours is not None:
        known = np.isfinite(mesh.colours).all(axis=1)
        colours[known, :3] = np.round(mesh.colours[known] * 255)
        colours[known, 3] = 255
    parts = [counts.tobytes(), mesh.rest.astype("<f4").tobytes(), triangles.astype("<u4").tobytes()]
    return b"".join([*parts, colours.tobytes()])


def subdivision_bytes(mesh: Mesh) -> bytes:
    """The finer skin: counts of its points, entries and triangles (uint32), where each point's entries begin (one more
    than there are points) and the coarse vertices they name uint32, their weights float32, triangles uint32."""
    fine = subdivided(mesh.topology)
    weights = fine.weights
    counts = np.array([weights.shape[0], weights.nnz, len(fine.triangles)], "<u4")
    parts = (counts, weights.indptr.astype("<u4"), weights.indices.astype("<u4"), weights.data.astype("<f4"))
    return b"".join([*(p.tobytes() for p in parts), fine.triangles.astype("<u4").tobytes()])


def library_entry(revision: Revision) -> LibraryEntry:
    """A card of the library."""
    remedies = revision.document.get("remedies", [])
    return LibraryEntry(
        id=revision.character_id,
        name=revision.name,
        demo=revision.demo,
        picture=revision.picture and revision.picture[:12],
        version=revision.number,
        saved_at=revision.saved_at,
        remedies=len(remedies),
        # What is no corrective acts untied too.
        tied=sum(1 for r in remedies if r.get("by") or r.get("trigger") or r.get("kind", "corrective") != "corrective"),
    )


def job_message(work: Work) -> JobMessage:
    """How far a piece of long work has got."""
    return JobMessage(id=work.id, kind=work.kind, state=work.state, share=work.share, detail=work.detail)  # type: ignore[arg-type]
