"""How far each remedy moves the skin in a pose: what a table of all of them is sorted by."""

from __future__ import annotations

import numpy as np

from plethos.core.evaluate import ALL, Acting, Evaluator
from plethos.core.skeleton.pose import Pose


def contributions(evaluator: Evaluator, pose: Pose) -> dict[str, float]:
    """The greatest distance of a vertex between all remedies and all but one, metres, by the id of that one.

    Every kind is measured alike, helpers and deformers too. One that is off, or whose value is 0, moves nothing and is
    not posed for.
    """
    program = evaluator.program
    whole = evaluator.pose(pose)
    gains, places = program.gains(ALL)[0], program.places.remedies
    on = [r.id for r in evaluator.character.rules.remedies if not np.isnan(gains[places[r.id]])]
    told = program.activations(whole.moment)
    # Each set of helpers and blends is a layout of the skin of its own: they are not kept for later.
    scratch = Evaluator.of(evaluator.character, evaluator, evaluator.rows)
    out = dict.fromkeys((r.id for r in evaluator.character.rules.remedies), 0.0)
    for one in on:
        if told[one] * gains[places[one]] != 0:
            others = Acting.these(*(i for i in on if i != one))
            apart = whole.points - scratch.pose(pose, others).points
            out[one] = float(np.sqrt(np.einsum("vi,vi->v", apart, apart).max(initial=0.0)))
    return out
