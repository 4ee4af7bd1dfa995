"""Where a helper joint goes over the travel of a joint: what the view draws, with the stops of its slides."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.evaluate import ALL, Evaluator, Posed
from plethos.core.geometry.rotations import Array
from plethos.core.measure.travel import bent
from plethos.core.rules.remedies import Helper, Slide
from plethos.core.skeleton.pose import Pose


@dataclass(frozen=True, eq=False)
class Stop:
    """A knot of a slide, as a place that can be dragged.

    Parameters
    ----------
    rule, knot
        Which rule of the helper, and which knot of it.
    at
        ``(3,)`` where the helper is there, in the world.
    along
        ``(3,)`` how far it goes for each metre of the knot, in the world: as long as the slide acts.
    """

    rule: int
    knot: int
    at: Array
    along: Array


@dataclass(frozen=True, eq=False)
class HelperPath:
    """The places of a helper.

    Parameters
    ----------
    places
        ``(A, 3)`` at each angle, in the world.
    stops
        Those of its slides.
    """

    places: Array
    stops: tuple[Stop, ...]


def helper_path(
    evaluator: Evaluator, remedy_id: str, pose: Pose, joint: int, axis: Sequence[float], angles: Sequence[float]
) -> HelperPath:
    """Where a helper joint goes.

    Parameters
    ----------
    pose
        What else is held.
    joint, axis, angles
        Whose travel: a unit axis in its rest frame, radians.

    Raises
    ------
    BadEditError
        When the remedy is no helper joint.
    """
    rules = evaluator.character.rules
    remedy = rules.remedy(remedy_id)
    body = next((b for r, b in rules.helpers if r is remedy), None)
    if body is None:
        raise BadEditError(f"“{remedy.name}” is no helper joint, so it goes nowhere.")
    places = [evaluator.pose(bent(pose, joint, axis, a), ALL).world[body.joint][:3, 3] for a in angles]
    stops = []
    for number, rule in enumerate(body.rules):
        if not isinstance(rule, Slide):
            continue
        for knot, angle in enumerate(rule.response.inputs):
            posed = evaluator.pose(bent(pose, rule.joint, rule.axis, angle), ALL)
            along = _along(posed, body, rule) * posed.activation(remedy_id) * remedy.amount
            stops.append(Stop(number, knot, posed.world[body.joint][:3, 3], along))
    return HelperPath(np.array(places).reshape(-1, 3), tuple(stops))


def _along(posed: Posed, body: Helper, rule: Slide) -> Array:
    """The way of a slide in the world, as the helper's parent stands there."""
    skeleton = posed.character.skeleton
    way = skeleton.pose_frame(body.joint) @ np.array(rule.along)
    way = way / np.linalg.norm(way)
    parent = int(skeleton.parents[body.joint])
    if parent < 0:
        return np.asarray(way)
    return np.asarray(posed.world[parent][:3, :3] @ np.linalg.solve(skeleton.rest_global[parent][:3, :3], way))
