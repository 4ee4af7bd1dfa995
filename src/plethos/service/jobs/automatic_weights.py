"""Automatic weights, of all joints or of some, in all the skin or in a region."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from plethos.core.arrays import Arrays
from plethos.core.errors import BadEditError
from plethos.core.weights.assign import INSIDE, with_influences
from plethos.core.weights.bind import bound_automatically
from plethos.service.jobs.kind import Edited, EditKind, Task
from plethos.service.library.version import Version
from plethos.service.schemas.bind import AutomaticWeights

OTHER_SKIN = "The character has another skin by now: these weights fit on it no more."


class AutomaticWeightsJob(EditKind):
    """Weights by heat along the bones: see `core.weights.bind`."""

    name = "automatic"
    arguments = AutomaticWeights

    def run(self, task: Task, arguments: Mapping[str, Any]) -> dict[str, Any]:
        asked, character = AutomaticWeights(**arguments), task.version.character
        chosen = None if asked.joints is None else character.skeleton.mask(asked.joints)
        region = None if asked.region is None else character.region(asked.region)
        bound = bound_automatically(character, INSIDE, chosen, region, task.progress).binding
        weights = task.arrays.put("weights", "weights", bound.numbers, bound.weights)
        return {"joints": list(character.skeleton.names), "weights": weights, "label": _label(asked)}

    def edited(self, now: Version, document: Mapping[str, Any], arrays: Arrays) -> Edited:
        joints, weights = arrays.get("weights", document["weights"])
        character = now.character
        if len(weights) != len(character.mesh):
            raise BadEditError(OTHER_SKIN)
        here = {name: number for number, name in enumerate(character.skeleton.names)}
        numbers = np.array([here.get(name, -1) for name in document["joints"]], np.int32)[joints]
        if ((numbers < 0) & (weights > 0)).any():
            gone = document["joints"][joints[(numbers < 0) & (weights > 0)][0]]
            raise BadEditError(f"The joint “{gone}” is gone by now: these weights fit no more.")
        return Edited(document["label"], with_influences(character, np.maximum(numbers, 0), weights))


def _label(asked: AutomaticWeights) -> str:
    label = "Automatic weights" if asked.joints is None else f"Automatic weights of {', '.join(asked.joints)}"
    return label + (" in the region" if asked.region is not None else "")
