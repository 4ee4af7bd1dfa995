"""First mends that the program solves for a held pose, shown as a sculpt in progress."""

from __future__ import annotations

import dataclasses
from collections.abc import Generator
from dataclasses import dataclass
from typing import Any

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.propose.first_mend import MOST_STRETCH, FirstMend
from plethos.core.propose.flat_mend import width_kept
from plethos.core.propose.steps import run_through
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.pose_files import pose_to_json
from plethos.service.library.documents import SculptNote
from plethos.service.library.poses import pose_of
from plethos.service.library.version import HeldSculpt, Version
from plethos.service.library.workbench import Workbench
from plethos.service.library.worked_out import put
from plethos.service.proposals.joint import joint_of
from plethos.service.schemas.character import FirstMendBody


@dataclass(frozen=True, eq=False)
class MendAsked:
    """What a first mend is asked for.

    Parameters
    ----------
    pose
        Held from now on when no sculpt is in progress.
    joint
        Whose skin is mended; None = the one that is turned furthest.
    give_back, most_stretch
        See `FirstMend.solved`.
    """

    pose: Pose | None
    joint: str | None = None
    give_back: float = 1.0
    most_stretch: float = MOST_STRETCH

    @classmethod
    def of(cls, version: Version, body: FirstMendBody) -> MendAsked:
        """As a page asks."""
        pose = pose_of(version, body.pose.plain()) if body.pose else None
        return cls(pose, body.joint, body.give_back, body.most_stretch)

    def place(self, version: Version) -> tuple[Pose, int]:
        """The pose that is mended, and the number of the joint whose skin it is.

        Raises
        ------
        BadEditError
            When no pose is held, and none is said.
        """
        pose = self.pose if version.sculpt is None else version.sculpt.pose
        if pose is None:
            raise BadEditError("Say which pose is to be mended.")
        return pose, joint_of(version, pose, self.joint)


def first_mend(workbench: Workbench, character_id: str, asked: MendAsked) -> Version:
    """Solve a corrective for the held pose and show it as a sculpt in progress: see `mending`."""
    opened = workbench.open(character_id)
    version = opened.version
    made = run_through(mending(version, asked))
    return put(workbench, opened, version, label_of(version), version.character, made)


def label_of(version: Version) -> str:
    """What the edit that shows a first mend is called."""
    return "Keep the width" if version.character.mesh.is_flat else "Solve a first mend"


def mending(version: Version, asked: MendAsked) -> Generator[float, None, HeldSculpt]:
    """Solve a corrective for the held pose; gives how much of it is done, and returns the sculpt with it.

    Raises
    ------
    BadEditError
        When nothing is lost there, or the skin encloses nothing.
    """
    pose, number = asked.place(version)
    held = version.sculpt
    if held is None:
        held = HeldSculpt.of(SculptNote(None, pose_to_json(version.character.skeleton, pose)), version.evaluator, None)
    strokes = held.note.strokes + 1
    if version.character.mesh.is_flat:
        points = width_kept(version.character, number, held.pose, held.base.acting, asked.give_back)
        return held.after(dataclasses.replace(held.note, strokes=strokes), points)
    mend = yield from FirstMend.of(version.character, number).solving(held.base, asked.give_back, asked.most_stretch)
    # What is told is measured as the bend strip and the table measure it, contacts of the whole character too.
    site = version.measures.bend(number)
    before, after = (
        site.of_points(points[site.site.vertices].astype(np.float32)) for points in (held.base.points, mend.points)
    )
    counter = version.measures.contacts
    told: dict[str, Any] = {
        "joint": version.character.skeleton.names[number],
        "strokes": strokes,
        "give_back": asked.give_back,
        "most_stretch": asked.most_stretch,
        **{k: v for k, v in dataclasses.asdict(mend).items() if k != "points"},
        **({} if after.volume is None else {"volume_before": before.volume, "volume": after.volume}),
        "contacts_before": counter.count(held.base.points),
        "contacts": counter.count(mend.points.astype(np.float32)),
    }
    return held.after(dataclasses.replace(held.note, strokes=strokes, mend=told), mend.points)
