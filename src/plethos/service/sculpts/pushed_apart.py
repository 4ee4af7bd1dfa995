"""What crosses in a sculpt, pushed apart in one stored step."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.sculpt.push_apart import ROUNDS, pushing_apart
from plethos.service.library.version import OvertakenError, Version
from plethos.service.library.workbench import Workbench
from plethos.service.sculpts.session import current, on_top


@dataclass(frozen=True)
class PushingApart:
    """How far pushing apart has got: crossing pairs left, the share of its rounds, and what was stored in the end."""

    left: int
    share: float
    version: Version | None = None


def push_apart(
    workbench: Workbench, character_id: str, joint: str, border_stays: bool = True
) -> Iterator[PushingApart]:
    """Push apart what crosses in a joint's region, in the sculpt in progress; stored once it is through.

    Whoever stops asking before that stops it, and nothing is changed.

    Raises
    ------
    BadEditError
        When nothing crosses there.
    """
    opened = workbench.open(character_id)
    version = opened.version
    held, mesh = current(version), version.character.mesh
    shares = np.zeros(len(mesh))
    shares[version.measures.bend(version.character.skeleton.find(joint)).site.vertices] = 1
    if border_stays:
        shares[mesh.border] = 0
    best = None
    for pushed in pushing_apart(mesh.topology, held.points, mesh.rest, shares):
        if pushed.rounds == 0 and pushed.left == 0:
            raise BadEditError(f"Nothing crosses at “{joint}” that did not at rest.")
        best = pushed if best is None or pushed.left <= best.left else best
        yield PushingApart(pushed.left, pushed.rounds / ROUNDS)
    assert best is not None, "there is always a first round"
    with opened.editing:
        now = current(opened.version)
        if not now.goes_on(held.note):
            raise OvertakenError
        stored = on_top(workbench, opened, "Push apart", now, now.points + (best.points - held.points))
    yield PushingApart(best.left, 1.0, stored)
