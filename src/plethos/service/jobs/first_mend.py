"""A first mend of the held pose, shown as a sculpt in progress."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from plethos.core.arrays import Arrays
from plethos.core.propose.steps import run_through
from plethos.service.jobs.kind import Edited, EditKind, Task
from plethos.service.library.documents import SculptNote
from plethos.service.library.version import HeldSculpt, OvertakenError, Version
from plethos.service.proposals.first_mends import MendAsked, label_of, mending
from plethos.service.schemas.character import FirstMendBody

MANY = 1300  # vertices round the joint: a layered knee of so many takes two seconds


class FirstMendJob(EditKind):
    """See `proposals.first_mends`: it comes to a sculpt, stored as that of a version is."""

    name = "first_mend"
    arguments = FirstMendBody
    sculpts = True

    def takes_long(self, version: Version, arguments: Mapping[str, Any]) -> bool:
        _, joint = MendAsked.of(version, FirstMendBody(**arguments)).place(version)
        return not version.character.mesh.is_flat and version.measures.skin_round(joint) > MANY

    def run(self, task: Task, arguments: Mapping[str, Any]) -> dict[str, Any]:
        version = task.version
        steps = mending(version, MendAsked.of(version, FirstMendBody(**arguments)))
        made = run_through(steps, task.progress).noted(task.arrays)
        before = version.sculpt and version.sculpt.note.offsets
        return {"sculpt": asdict(made.note), "before": before}

    def edited(self, now: Version, document: Mapping[str, Any], arrays: Arrays) -> Edited:
        note = SculptNote(**document["sculpt"])
        held = now.sculpt
        if held is not None and not (held.goes_on(note) and held.note.offsets == document["before"]):
            raise OvertakenError
        made = HeldSculpt.stored(note, now.evaluator, arrays, held)
        return Edited(label_of(now), now.character, made)
