"""What crosses in a sculpt, pushed apart in one stored step."""

from __future__ import annotations

from collections.abc import Generator
from dataclasses import dataclass

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.geometry.rotations import Array
from plethos.core.sculpt.push_apart import ROUNDS, pushing_apart
from plethos.service.library.version import Version
from plethos.service.sculpts.session import current


@dataclass(frozen=True)
class PushingApart:
    """How far pushing apart has got: crossing pairs left, and the share of its rounds."""

    left: int
    share: float


def push_apart(version: Version, joint: str, border_stays: bool = True) -> Generator[PushingApart, None, Array]:
    """Push apart what crosses in a joint's region, in the sculpt in progress; returns by how much ``(V, 3)``.

    Raises
    ------
    BadEditError
        When nothing crosses there.
    """
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
    yield PushingApart(best.left, 1.0)
    return best.points - held.points
