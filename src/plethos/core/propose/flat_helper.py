"""A helper joint at a spot of a drawing: it takes half of the held turn, and the outline round it with it."""

from __future__ import annotations

import numpy as np
from scipy.sparse import csgraph

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.joints.draft import Draft
from plethos.core.propose.held import Held
from plethos.core.rules.remedies import Helper, Remedy
from plethos.core.rules.remedies.helper_rules import Share
from plethos.core.sculpt.outline_brushes import along_outlines
from plethos.core.skeleton.names import free_name
from plethos.core.skin.mask import Mask

HALF = 0.5


def flat_helper(held: Held, vertex: int, reach: float) -> Character:
    """The drawing with a helper joint at a control point.

    Parameters
    ----------
    vertex
        Of the control point, or one of its handles.
    reach
        How far along the outline, and through the air to others, its weights go.

    Raises
    ------
    BadEditError
        When the joint that is turned hangs on nothing.
    """
    character, skeleton = held.character, held.character.skeleton
    mesh, parent = character.mesh, skeleton.joint_parents[held.joint]
    if parent < 0:
        name = skeleton.names[held.joint]
        raise BadEditError(f"“{name}” hangs on nothing: a helper joint beside it would have nothing to stay with.")
    heads, graph = along_outlines(mesh)
    own = vertex // 3
    away = csgraph.dijkstra(graph, directed=False, indices=[own], min_only=True, limit=reach)
    away = np.minimum(away, np.linalg.norm(mesh.rest[heads] - mesh.rest[3 * own], axis=1))
    shares = np.where(away < reach, (1 - np.minimum(away / reach, 1) ** 2) ** 2, 0.0)
    draft = Draft(character)
    label = free_name(f"{skeleton.names[held.joint]}_spot", set(skeleton.names))
    draft.add(label, parent, mesh.rest[3 * own].astype(np.float64), np.eye(3), helper=True)
    made = draft.finish()
    body = Helper(
        made.skeleton.find(label), (Share(held.joint, HALF, "all", held.trigger.axis),), Mask.of(np.repeat(shares, 3))
    )  # fmt: skip
    name = free_name(label, {r.name for r in made.rules.remedies})
    return made.with_remedy(Remedy(body, name))
