"""A character as a file to hand out."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from plethos.service.jobs.kind import JobKind, Task
from plethos.service.library.delivery import delivered
from plethos.service.library.poses import clip_named
from plethos.service.library.version import Version
from plethos.service.schemas.character import DeliveryAsked

MANY = 60_000  # vertices: a file of so many takes two seconds
LENGTHY = 40.0  # seconds of a clip that is baked: so many take two to bake


class DeliveryJob(JobKind):
    """See `library.delivery`: it comes to a file, and what it is called."""

    name = "delivery"
    arguments = DeliveryAsked

    def takes_long(self, version: Version, arguments: Mapping[str, Any]) -> bool:
        asked = DeliveryAsked(**arguments)
        seconds = 0.0 if asked.bake is None else clip_named(version, asked.bake).duration
        return not version.character.mesh.is_flat and (len(version.character.mesh) > MANY or seconds > LENGTHY)

    def run(self, task: Task, arguments: Mapping[str, Any]) -> dict[str, Any]:
        asked = DeliveryAsked(**arguments)
        made = delivered(task.version, task.source, asked.bake, asked.influences, task.progress)
        file = task.arrays.put("file", "delivery", np.frombuffer(made.data, np.uint8))
        return {"name": made.name, "file": file}
