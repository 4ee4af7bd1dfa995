"""What is told of proposals, of the library and of long work."""

from __future__ import annotations

import math

import numpy as np

from plethos.core.propose.kinds import Tried
from plethos.core.propose.response import Fitted
from plethos.core.rules.response import Response
from plethos.core.rules.triggers.pose_map import PoseMap
from plethos.service.library.version import Version
from plethos.service.proposals.tried_kinds import Kinds
from plethos.service.schemas.character import (
    FittedResponse,
    LibraryEntry,
    PresetRequest,
)
from plethos.service.schemas.live import JobMessage
from plethos.service.schemas.mending import KindsTried, KindTried, MapOfPoses
from plethos.service.schemas.rules import HingeTriggerRule, Knot
from plethos.store.revision import Revision
from plethos.store.work import Work


def kinds_info(kinds: Kinds) -> KindsTried:
    """What was tried, as the page reads it."""

    def told(kind: str, tried: Tried | None, why: str) -> KindTried:
        if tried is None:
            return KindTried(kind=kind, can=False, why=why)
        m = tried.measured
        return KindTried(
            kind=kind,
            can=True,
            why=why,
            volume=m.volume,
            girth=m.girth,
            contacts=tried.contacts,
            badness=tried.badness_percent,
        )  # fmt: skip

    best_first = sorted(kinds.kinds, key=lambda k: math.inf if k.tried is None else k.tried.rank)
    return KindsTried(
        now=told("now", kinds.now, ""),
        kinds=[told(k.kind, k.tried, k.why) for k in best_first],
        proposed=kinds.proposed,
        left=kinds.left,
    )


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


def map_of_poses(found: PoseMap) -> MapOfPoses:
    """Where the weights of a pose set lie, as the page draws it."""
    return MapOfPoses(
        swings=np.where(np.isfinite(found.swings), found.swings, -1).round(3).tolist(),
        twists=found.twists.round(3).tolist(),
        poses=found.poses.tolist(),
        here=found.here.tolist(),
    )


def preset_knots(body: PresetRequest) -> list[Knot]:
    """The knots of a preset between two angles."""
    curve = Response.preset(body.preset, math.radians(body.start_deg), math.radians(body.end_deg))
    return [Knot(angle_deg=math.degrees(a), value=v) for a, v in zip(curve.inputs, curve.values, strict=True)]
