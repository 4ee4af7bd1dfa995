"""What crosses in a sculpt, pushed apart in one stored step."""

from __future__ import annotations

import contextlib
from collections.abc import Generator
from dataclasses import dataclass

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.geometry.rotations import Array
from plethos.core.propose.first_mend import MOST_STRETCH, FirstMend
from plethos.core.propose.steps import told_as
from plethos.core.sculpt.push_apart import ROUNDS, pushing_apart
from plethos.service.library.version import Version
from plethos.service.sculpts.session import current

PUSHING = 0.7  # of the work is pushing apart, the rest giving back
LEAST = 0.5  # percent of volume: less is not given back
EASED = 0.05  # over the most stretch: one edge more or less tells nothing


@dataclass(frozen=True)
class PushingApart:
    """How far pushing apart has got: crossing pairs left, and the share of its rounds."""

    left: int
    share: float


def push_apart(version: Version, joint: str, border_stays: bool = True) -> Generator[PushingApart, None, Array]:
    """Push apart what crosses in a joint's region, in the sculpt in progress; returns by how much ``(V, 3)``.

    Where that costs volume, which lay in the fold, it is given back all round: see `FirstMend.apart`.

    Raises
    ------
    BadEditError
        When nothing crosses there.
    """
    held, mesh, number = current(version), version.character.mesh, version.character.skeleton.find(joint)
    measure, counter = version.measures.bend(number), version.measures.contacts

    def volume(points: Array) -> float:
        return measure.of_points(points[measure.site.vertices].astype(np.float32)).volume or 0.0

    shares = np.zeros(len(mesh))
    shares[measure.site.vertices] = 1
    if border_stays:
        shares[mesh.border] = 0
    best = None
    for pushed in pushing_apart(mesh.topology, held.points, mesh.rest, shares):
        if pushed.rounds == 0 and pushed.left == 0:
            raise BadEditError(f"Nothing crosses at “{joint}” that did not at rest.")
        best = pushed if best is None or pushed.left <= best.left else best
        yield PushingApart(pushed.left, PUSHING * pushed.rounds / ROUNDS)
    assert best is not None, "there is always a first round"
    points, left = best.points, best.left
    if border_stays and volume(points) < volume(held.points) - LEAST:
        with contextlib.suppress(BadEditError):
            steps = FirstMend.of(version.character, number).apart(held.points)
            mend = yield from told_as(steps, lambda share: PushingApart(left, PUSHING + (1 - PUSHING) * share))
            crossing = [counter.count(p.astype(np.float32)) for p in (mend.points, points)]
            if mend.stretch <= MOST_STRETCH + EASED and crossing[0] <= crossing[1]:
                points, left = mend.points, min(left, mend.contacts)
    yield PushingApart(left, 1.0)
    return points - held.points
