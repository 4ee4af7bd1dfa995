"""A corrective that pushes apart what crosses at a bend: for the hem that no slide frees, since it lies over a crease.

Cloth that goes two layers deep into a fold has no one way out: there each vertex goes its own.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.evaluate import Evaluator
from plethos.core.geometry.rotations import Array
from plethos.core.measure.region import joint_region
from plethos.core.propose.beside import Beside
from plethos.core.propose.held import Held
from plethos.core.rules.remedies import Corrective, Remedy
from plethos.core.rules.remedies.corrective import APART, Target, target_name
from plethos.core.rules.response import Response
from plethos.core.sculpt.push_apart import pushed_apart
from plethos.core.sculpt.solve import solve_corrective
from plethos.core.skeleton.pose_files import pose_to_json

LOOKS = 20  # how often it is looked at on the way
BETWEEN = 4  # in-betweens at most


def pushed_apart_at(held: Held) -> Character:
    """The character with a corrective after which nothing beside a bent joint crosses that did not at rest.

    In-betweens are made where the way there still crosses, where most does first; a few crossings may stay between.

    Raises
    ------
    BadEditError
        When pushing apart moves nothing that would hold.
    """
    character = held.character
    region = joint_region(character, held.joint, character.mesh.rest)
    way, shares = _Way(held, Beside.of(character, held.joint, region, over=True)), np.linspace(0, 1, LOOKS + 1)
    evaluator = Evaluator.of(character)
    # It sets out where the last look finds nothing that crosses yet.
    crossing = way.counts(evaluator, shares)
    start = float(shares[max(int(np.argmax(crossing > 0)) - 1, 0)])
    trigger = replace(held.trigger, response=Response.preset("late", start * held.angle, held.angle))
    name = held.named(f"{character.skeleton.names[held.joint]} clear at {math.degrees(held.angle):.0f}°")
    body = Corrective((way.target(evaluator, name, 1.0, 1.0),))
    remedy = Remedy(body, name, by=trigger.id)
    made = character.with_remedy(remedy, trigger)
    on = np.round(trigger.response.at(shares * held.angle), 6)
    for _ in range(BETWEEN):
        evaluator = Evaluator.of(made, evaluator)
        crossing = way.counts(evaluator, shares)
        taken = [0.0, *(t.at for t in body.targets)]
        crossing[np.abs(on[:, None] - taken).min(axis=1) < APART] = 0
        k = int(np.argmax(crossing))
        if crossing[k] == 0:
            break
        at = float(on[k])
        body = body.with_target(way.target(evaluator, target_name(name, at), at, float(shares[k])))
        made = made.with_rules(made.rules.with_remedy(replace(remedy, body=body)))
    return made


@dataclass(frozen=True, eq=False)
class _Way:
    """The way to a bend, and what crosses beside the joint on it.

    Parameters
    ----------
    beside
        What may move, and where it is looked at.
    """

    held: Held
    beside: Beside

    def counts(self, evaluator: Evaluator, shares: Array) -> NDArray[np.intp]:
        """How many pairs cross at parts of the way that did not at rest."""
        found = list[int]()
        for share in shares.tolist():
            self.held.tell()
            found.append(len(self.beside.crossing(evaluator.pose(self.held.at(share)).points)))
        return np.array(found)

    def target(self, evaluator: Evaluator, name: str, at: float, share: float) -> Target:
        """One at part of the way: what is there now pushed apart, told as offsets of what there was before."""
        character, pose = self.held.character, self.held.at(share)
        now = evaluator.pose(pose).exact_points()
        pushed = pushed_apart(character.mesh.topology, now, character.mesh.rest, self.beside.near.astype(np.float64))
        before = Evaluator.of(character, evaluator).pose(pose)
        shape, report = solve_corrective(before, pushed.points, name, trigger=self.held.trigger)
        return Target(shape, at, pose_to_json(character.skeleton, pose), report.to_json())
