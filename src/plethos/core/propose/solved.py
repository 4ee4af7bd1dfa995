"""A corrective solved for a joint held in a pose, with the response that keeps the volume on the way there."""

from __future__ import annotations

from dataclasses import dataclass

from plethos.core.evaluate import Evaluator
from plethos.core.propose.first_mend import GIVE_BACK, MOST_STRETCH, FirstMend, Mended
from plethos.core.propose.held import Held
from plethos.core.propose.response import Fitted, fitted_response
from plethos.core.propose.steps import run_through
from plethos.core.rules.remedies import Corrective
from plethos.core.sculpt.solve import solve_corrective
from plethos.core.sculpt.solve_report import SolveReport
from plethos.core.skeleton.pose_files import pose_to_json


@dataclass(frozen=True, eq=False)
class Solved:
    """A corrective that is not in its character yet.

    Parameters
    ----------
    body
        The corrective.
    mend, report
        What was asked of it in the held pose, and how it was solved back to rest.
    fitted
        Its trigger, with the fitted response.
    """

    body: Corrective
    mend: Mended
    report: SolveReport
    fitted: Fitted


def solved(held: Held, name: str, give_back: float = GIVE_BACK, most_stretch: float = MOST_STRETCH) -> Solved:
    """The corrective of a held joint.

    Parameters
    ----------
    name
        Of the shape.
    give_back, most_stretch
        See `FirstMend.solved`.

    Raises
    ------
    BadEditError
        When the joint loses no volume there, or its skin encloses none.
    """
    character, pose = held.character, held.at(1.0)
    posed = Evaluator.of(character).pose(pose)
    steps = FirstMend.of(character, held.joint).solving(posed, give_back, most_stretch)
    mend = run_through(steps, lambda share: held.tell())
    shape, report = solve_corrective(posed, mend.points, name, trigger=held.trigger)
    body = Corrective.of(shape, pose_to_json(character.skeleton, pose), report.to_json())
    return Solved(body, mend, report, fitted_response(character, body, held.trigger, held.pose))
