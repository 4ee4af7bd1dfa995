"""From the service's objects to what the API shows."""

from __future__ import annotations

import json
import math

import numpy as np

from plethos.core.joints.ranges import suggested
from plethos.core.mesh import extent
from plethos.core.weights.bones import segments_of
from plethos.service.live import response_curve
from plethos.service.open_character import OpenCharacter
from plethos.service.picking import regions_json
from plethos.store.blobs import digest
from plethos.store.repository import Revision
from plethos.web.schemas.bind import RegionInfo
from plethos.web.schemas.character import (
    CharacterState,
    ClipInfo,
    FigureInfo,
    HingeTriggerRule,
    JointInfo,
    LibraryEntry,
    PartInfo,
    RemedyCard,
    SculptState,
    SolveReport,
)
from plethos.web.schemas.common import PoseBody


def character_state(opened: OpenCharacter) -> CharacterState:
    """What the workbench shows of the current version."""
    with opened.lock:
        revision, skeleton = opened.revision, opened.character.skeleton
        cards = []
        for remedy in opened.character.remedies:
            rule = remedy.to_rule(skeleton)
            cards.append(
                RemedyCard(
                    id=remedy.id,
                    kind=remedy.kind,
                    name=remedy.name,
                    on=remedy.on,
                    amount=remedy.amount,
                    trigger=HingeTriggerRule(**rule["trigger"]) if rule["trigger"] else None,
                    curve=response_curve(remedy.trigger) if remedy.trigger else [],
                    pose=rule["pose"],
                    report=SolveReport(**rule["report"]),
                )
            )
        sculpt = None
        if opened.sculpt is not None:
            note = opened.sculpt.note
            turned = {n: tuple(e["quaternion_xyzw"]) for n, e in note.pose["joints"].items()}
            pose = PoseBody(joints=turned)  # type: ignore[arg-type]
            sculpt = SculptState(remedy_id=note.remedy_id, pose=pose, strokes=note.strokes)
        return CharacterState(
            id=revision.character_id,
            name=revision.name,
            version=revision.number,
            undo=revision.label if revision.number > 0 else None,
            redo=revision.number < revision.last,
            saved_at=revision.saved_at,
            remedies=cards,
            skeleton=digest(json.dumps(revision.document.get("joints")).encode())[:12],
            bound=opened.character.is_bound,
            sculpt=sculpt,
            regions=[RegionInfo(**r) for r in regions_json(opened.character)],
        )


def figure_info(opened: OpenCharacter) -> FigureInfo:
    """What the workbench needs to draw and to bend a character, until its joints change."""
    character, skeleton = opened.character, opened.character.skeleton
    world = skeleton.rest_global
    joints = []
    # Parts follow each other, in vertices and so in triangles.
    first_corner = character.topology.triangles[:, 0]
    shares = character.joint_weights
    twists = {t for bone in segments_of(skeleton) for t in bone.twists}
    for j, name in enumerate(skeleton.names):
        if not skeleton.is_joint[j]:
            continue
        hinge = skeleton.hinge(j)
        w = shares[:, skeleton.subtree(j)].sum(axis=1)
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
                bends=bool(((w > 0.02) & (w < 0.98)).any()),
                on_bone=j in twists,
            )
        )
    return FigureInfo(
        nodes=len(skeleton),
        vertices=len(character.points),
        triangles=len(character.topology.triangles),
        height=extent(opened.rest),
        mirror_x=opened.character.mirror_x,
        parts=[
            PartInfo(
                name=p.name,
                vertices=p.file_vertices[1] - p.file_vertices[0],
                triangles=p.triangles[1] - p.triangles[0],
                drawn=(int(a), int(b)),
            )
            for p in character.parts
            for a, b in [np.searchsorted(first_corner, p.vertices)]
        ],
        joints=joints,
        clips=[ClipInfo(name=c.name, seconds=c.duration) for c in character.clips],
        shapes=[s.name for s in character.shapes],
        repairs=list(character.repairs),
    )


def mesh_bytes(opened: OpenCharacter) -> bytes:
    """What the view draws: vertex and triangle counts (uint32), then rest points float32, triangles uint32, and
    four bytes a vertex: linear RGB and 255, or zeros where the file says no colour."""
    triangles = opened.bare.topology.triangles
    counts = np.array([len(opened.rest), len(triangles)], dtype="<u4")
    colours = np.zeros((len(opened.rest), 4), dtype=np.uint8)
    if opened.bare.colours is not None:
        known = np.isfinite(opened.bare.colours).all(axis=1)
        colours[known, :3] = np.round(opened.bare.colours[known] * 255)
        colours[known, 3] = 255
    parts = [counts.tobytes(), opened.rest.astype("<f4").tobytes(), triangles.astype("<u4").tobytes()]
    return b"".join([*parts, colours.tobytes()])


def library_entry(revision: Revision) -> LibraryEntry:
    """A card of the library."""
    remedies = revision.document.get("remedies", [])
    return LibraryEntry(
        id=revision.character_id,
        name=revision.name,
        demo=revision.demo,
        version=revision.number,
        saved_at=revision.saved_at,
        remedies=len(remedies),
        tied=sum(1 for r in remedies if r.get("trigger")),
    )
