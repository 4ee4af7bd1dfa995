"""What crosses in a sculpt, pushed apart."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

import numpy as np

from plethos.core.arrays import Arrays
from plethos.core.propose.steps import run_through
from plethos.service.jobs.kind import Edited, EditKind, Task
from plethos.service.library.documents import SculptNote
from plethos.service.library.version import OvertakenError, Version
from plethos.service.schemas.character import PushApart
from plethos.service.sculpts.pushed_apart import PushingApart, push_apart
from plethos.service.sculpts.session import current, one_more

MANY = 1300  # vertices round the joint: a fold of so many takes two seconds


class PushApartJob(EditKind):
    """See `sculpts.pushed_apart`: it comes to by how much the skin moves, on top of whatever the sculpt is then."""

    name = "push_apart"
    arguments = PushApart
    sculpts = True

    def takes_long(self, version: Version, arguments: Mapping[str, Any]) -> bool:
        joint = version.character.skeleton.find(arguments["joint"])
        return version.measures.skin_round(joint) > MANY

    def run(self, task: Task, arguments: Mapping[str, Any]) -> dict[str, Any]:
        left = 0

        def tell(now: PushingApart) -> None:
            nonlocal left
            left = now.left
            task.progress(now.share, {"left": left})

        version, asked = task.version, PushApart(**arguments)
        moved = run_through(push_apart(version, asked.joint, asked.border_stays), tell)
        vertices = np.flatnonzero((moved != 0).any(axis=1)).astype(np.int32)
        ref = task.arrays.put("offsets", "pushed apart", vertices, moved[vertices])
        return {"left": left, "moved": ref, "on": asdict(current(version).note)}

    def edited(self, now: Version, document: Mapping[str, Any], arrays: Arrays) -> Edited:
        held = current(now)
        if not held.goes_on(SculptNote(**document["on"])):
            raise OvertakenError
        points = held.points.copy()
        vertices, moved = arrays.get("offsets", document["moved"])
        points[vertices] += moved
        return Edited("Push apart", now.character, one_more(held, points))
