"""A response fitted to the volume: how much of a corrective is right at each angle on the way to its pose."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from scipy.optimize import isotonic_regression

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.geometry.rotations import Array
from plethos.core.measure.bend import BendMeasure
from plethos.core.measure.travel import bent
from plethos.core.rules.dials import Dial
from plethos.core.rules.remedies import Corrective, Remedy
from plethos.core.rules.response import Response
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.skeleton.pose import Pose

STEPS = 12
TRIED = np.linspace(0, 1, 9)  # activations
MOST_KNOTS = 5
NEAR = 0.01  # knots are added until the curve is this near to what is wanted
BETWEEN = 2.0  # percent of volume that a single shape may be off
STEP_BEYOND = math.radians(10)


@dataclass(frozen=True)
class Fitted:
    """A response and what it comes to.

    Parameters
    ----------
    trigger
        With the response.
    angles, volumes, wanted
        ``(A,)`` radians, and percent of rest there with the response, and as it should be.
    worst_before
        Percent of volume that the response before was off at most.
    further
        The first angle, radians, beyond the held one at which one more target is needed; None where the shape holds to
        the end of the joint's range, or nobody knows that.
    """

    trigger: HingeTrigger
    angles: Array
    volumes: Array
    wanted: Array
    worst_before: float
    further: float | None = None

    @property
    def worst(self) -> float:
        """Percent of volume that it is off at most."""
        return float(np.abs(self.volumes - self.wanted).max())

    @property
    def between(self) -> float | None:
        """The angle, radians, at which an in-between is needed; None where the one shape will do."""
        off = np.abs(self.volumes - self.wanted)
        return float(self.angles[int(off.argmax())]) if off.max() > BETWEEN else None


def fitted_response(character: Character, body: Corrective, trigger: HingeTrigger, pose: Pose) -> Fitted:
    """The response, monotone and of at most five knots, that keeps the volume nearest to what it should be.

    What it should be runs evenly from 100 percent at rest to what the shape reaches in its pose; where the skin keeps
    more than that by itself, nothing is switched on.

    Parameters
    ----------
    character
        Without the remedy.
    body
        What is switched on.
    trigger
        Whose joint, axis and end are kept.
    pose
        What else is held.

    Raises
    ------
    BadEditError
        When the region of the joint encloses no volume.
    """
    dial, end = Dial("", 0.0, 1.0, 0.0, id="fitted"), trigger.response.end
    dial = replace(dial, name="fitted")
    held = Remedy(body, " fitted", by=dial.id, id="fitted-remedy")
    rules = character.rules.with_dial(dial).with_remedy(held)
    measure = BendMeasure.of(character.with_rules(rules), trigger.joint)
    if measure.site.volume is None:
        name = character.skeleton.names[trigger.joint]
        raise BadEditError(f"The skin at “{name}” encloses no volume that a response could be fitted to.")
    angles = np.linspace(0, end, STEPS + 1)

    def volume(angle: float, activation: float) -> float:
        there = bent(pose, trigger.joint, trigger.axis, angle)
        there = replace(there, dials={**(there.dials or {}), dial.name: activation})
        found = measure.at(there).volume
        assert found is not None
        return found

    table = np.array([[volume(a, x) for x in TRIED] for a in angles.tolist()])
    table[0] = table[0, 0]
    wanted = 100 + (table[-1, -1] - 100) * np.linspace(0, 1, STEPS + 1)
    # A shape that takes volume away is fitted just so.
    sign = 1.0 if table[-1, -1] >= table[-1, 0] else -1.0
    best = np.array([_where(sign * row, sign * w) for row, w in zip(table, wanted, strict=True)])
    best[0], best[-1] = 0.0, 1.0
    response = _through(angles, isotonic_regression(best).x)
    own = np.array([volume(a, float(response.at(a))) for a in angles.tolist()])
    # What the skin keeps by itself is not asked to go.
    reachable = np.clip(wanted, table.min(axis=1), table.max(axis=1))
    was = np.array([volume(a, float(trigger.response.at(a))) for a in angles.tolist()])
    if np.abs(own - reachable).max() > np.abs(was - reachable).max():
        response, own = trigger.response, was  # of few knots none is nearer
    further = next((a for a in _beyond(character, trigger, end) if abs(volume(a, 1.0) - table[-1, -1]) > BETWEEN), None)
    return Fitted(
        replace(trigger, response=response), angles, own, reachable, float(np.abs(was - reachable).max()), further
    )


def _beyond(character: Character, trigger: HingeTrigger, end: float) -> list[float]:
    """Angles from where a trigger is fully on to the end of its joint's range, where that is known."""
    skeleton = character.skeleton
    if skeleton.known_hinge(trigger.joint) is None:
        return []
    low, high = skeleton.range_about(trigger.joint, trigger.axis)
    until = high if end > 0 else low
    if abs(until) <= abs(end):
        return []
    return [*np.arange(end, until, math.copysign(STEP_BEYOND, end))[1:].tolist(), until]


def _where(row: Array, wanted: float) -> float:
    """The activation at which a row of volumes reaches what is wanted."""
    if wanted <= row[0]:
        return 0.0
    above = np.flatnonzero(row >= wanted)
    if not len(above):
        return float(TRIED[int(row.argmax())])
    k = int(above[0])
    return float(np.interp(wanted, row[k - 1 : k + 1], TRIED[k - 1 : k + 1]))


def _through(angles: Array, values: Array) -> Response:
    """A response through as few of the points as come near to all."""
    chosen = [0, len(angles) - 1]
    while True:
        knots = sorted(chosen)
        response = Response.of_knots([(float(angles[k]), float(min(max(values[k], 0), 1))) for k in knots])
        off = np.abs(response.at(angles) - values)
        if len(chosen) == MOST_KNOTS or off.max() < NEAR:
            return response
        chosen.append(int(off.argmax()))
