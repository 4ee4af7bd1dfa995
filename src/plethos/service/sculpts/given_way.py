"""What acts after the skin gives way to a sculpt: a relaxer's mask fades there, a volume keeper takes its volume."""

from __future__ import annotations

from dataclasses import dataclass, replace

from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.geometry.topology import extent
from plethos.core.rules.remedies import Remedy
from plethos.core.sculpt.solve import out_of_reach
from plethos.service.library.version import HeldSculpt, Version
from plethos.service.library.workbench import Workbench
from plethos.service.library.worked_out import put
from plethos.service.sculpts.session import current

OFF = 1e-5  # of the height: what stays off by less comes back
FADE = 0.03  # of the height: over how much of the surface round what it held back a mask fades


@dataclass(frozen=True)
class HoldsBack:
    """A remedy that keeps part of a sculpt from coming back: how many vertices, and how far the furthest stays off."""

    remedy: Remedy
    gives_way: str
    vertices: int
    most: float


def holding_back(version: Version) -> list[HoldsBack]:
    """What holds back the sculpt in progress.

    Raises
    ------
    BadEditError
        When there is none.
    """
    held, character = current(version), version.character
    off = out_of_reach(held.base, held.points)
    far = off > OFF * extent(character.mesh.rest)
    found = []
    for remedy_id, deformer in held.base.evaluator.deformers(held.base.acting):
        remedy = character.rules.remedy(remedy_id)
        under = far[remedy.mask.vertices] if remedy.mask is not None else far[:0]
        if remedy.mask is not None and under.any():
            found.append(
                HoldsBack(remedy, deformer.gives_way, int(under.sum()), float(off[remedy.mask.vertices].max()))
            )
    return found


def give_way(workbench: Workbench, character_id: str, remedy_id: str) -> Version:
    """Let a relaxer or a volume keeper give way to the sculpt in progress, which stays as it is.

    Raises
    ------
    BadEditError
        When no sculpt is in progress, or the remedy holds nothing back.
    """
    opened = workbench.open(character_id)
    version = opened.version
    held, character = current(version), version.character
    remedy = character.rules.remedy(remedy_id)
    deformer = dict(held.base.evaluator.deformers(held.base.acting)).get(remedy_id)
    if deformer is None:
        raise BadEditError(f"“{remedy.name}” acts before the sculpt, so it holds nothing back.")
    height = extent(character.mesh.rest)
    far = out_of_reach(held.base, held.points) > OFF * height
    fresh = replace(remedy, body=deformer.giving_way(character.mesh, held.points, far, FADE * height))
    label = f"{deformer.gives_way}: “{remedy.name}”"
    changed = character.with_rules(character.rules.with_remedy(fresh))
    again = HeldSculpt.of(held.note, Evaluator.of(changed, version.evaluator), None)
    return put(workbench, opened, version, label, changed, again.after(held.note, held.points))
