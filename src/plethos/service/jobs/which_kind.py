"""Which kind of remedy suits a joint: each is tried, and can be looked at before one is taken."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from plethos.core.propose.kinds import TRIALS
from plethos.service.jobs.kind import JobKind, Task
from plethos.service.library.documents import describe
from plethos.service.library.poses import pose_of
from plethos.service.library.version import Version
from plethos.service.proposals.joint import joint_of
from plethos.service.proposals.tried_kinds import which_kind
from plethos.service.schemas.mending import ProposalRequest
from plethos.service.told.answers import kinds_info

STEPS = 20  # of a kind, after which it is told as half done: how many there are is not known
MANY = 700  # vertices round the joint: all kinds take two seconds there


class WhichKindJob(JobKind):
    """See `proposals.tried_kinds`: it comes to what is told of all kinds, and to the document of each trial."""

    name = "which_kind"
    arguments = ProposalRequest
    ends_with_page = True

    def takes_long(self, version: Version, arguments: Mapping[str, Any]) -> bool:
        asked = ProposalRequest(**arguments)
        joint = joint_of(version, pose_of(version, asked.pose.plain()), asked.joint)
        return version.measures.skin_round(joint) > MANY

    def run(self, task: Task, arguments: Mapping[str, Any]) -> dict[str, Any]:
        version, asked = task.version, ProposalRequest(**arguments)
        bare = task.bench.open(task.character_id).bare
        trials = dict[str, Any]()
        found: dict[str, Any] = {}
        tried, steps = 0, 0

        def tell() -> None:
            nonlocal steps
            steps += 1
            task.progress((tried + steps / (steps + STEPS)) / len(TRIALS))

        for kinds in which_kind(version, pose_of(version, asked.pose.plain()), asked.joint, tell):
            for kind in kinds.kinds:
                if kind.tried is not None and kind.kind not in trials:
                    trials[kind.kind] = describe(kind.tried.character, None, task.arrays, bare)
            found = {"told": kinds_info(kinds).model_dump(mode="json"), "trials": dict(trials)}
            tried, steps = len(kinds.kinds), 0
            if kinds.left:
                task.progress(tried / len(TRIALS), found)
        return found
