"""A sweep: where a character is worst, way by way."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from plethos.core.errors import PlethosError
from plethos.service.jobs.kind import JobKind, Task
from plethos.service.schemas.stress import SweepAsked
from plethos.service.stress.plan import plan_of
from plethos.store.swept import SweptWays


class SweepJob(JobKind):
    """See `service.stress`: what it comes to is kept as it is found, so that nothing is measured twice.

    A part that is taken up anew begins where the one before left off, and what the character's rules do not touch since
    the sweep before is not measured at all.
    """

    name = "sweep"
    arguments = SweepAsked

    def parts(self, task: Task) -> Sequence[Mapping[str, Any]]:
        plan, kept = plan_of(task.version), SweptWays(task.bench.store.transactions)
        there = kept.of_character(task.character_id)
        kept.keep(task.character_id, plan.ways)
        stale = [name for name in plan.ways if name not in there or there[name].reads != plan.reads(name)]
        found = [{"ways": names} for names in plan.parts(stale, SweepAsked(**task.arguments).first)]
        return found or [{"ways": []}]

    def run(self, task: Task, arguments: Mapping[str, Any]) -> dict[str, Any]:
        plan, kept = plan_of(task.version), SweptWays(task.bench.store.transactions)
        there = kept.of_character(task.character_id)
        names = [n for n in arguments["ways"] if n in plan.ways]
        poses, refused = 0, []
        for number, name in enumerate(names):
            task.progress(number / len(names))
            if name in there and there[name].reads == plan.reads(name):
                continue
            try:
                way = plan.measured(name)
            except PlethosError as error:
                refused.append(error.sentence)
                continue
            kept.put(task.character_id, way)
            poses += way.document["poses"]
        return {"poses": poses, "refused": refused}

    def merge(self, task: Task, documents: Sequence[dict[str, Any]]) -> dict[str, Any]:
        return {
            "poses": sum(d["poses"] for d in documents),
            "refused": sorted({sentence for d in documents for sentence in d["refused"]}),
        }
