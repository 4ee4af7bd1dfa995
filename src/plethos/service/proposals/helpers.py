"""Helper joints of ours: made where they are wanted, or started at a bend; where they go."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.geometry import rotations
from plethos.core.joints.draft import Draft
from plethos.core.measure.helper_path import HelperPath, helper_path
from plethos.core.propose.flat_helper import flat_helper
from plethos.core.propose.held import Held
from plethos.core.propose.helpers import at_spot, started
from plethos.core.propose.hem import pushed
from plethos.core.propose.roll import with_twists
from plethos.core.rules.remedies import Helper, Remedy
from plethos.core.rules.remedies.helper_rules import rule_from_document
from plethos.core.rules.triggers.hinge import unit_axis
from plethos.core.skeleton.names import free_name
from plethos.core.skeleton.pose import Pose
from plethos.core.skin.mask import Mask
from plethos.service.edits.rule_edits import in_step
from plethos.service.library.version import Version
from plethos.service.library.workbench import Workbench
from plethos.service.library.worked_out import put
from plethos.service.proposals.joint import joint_of


def make_helper(
    workbench: Workbench,
    character_id: str,
    name: str,
    parent: str,
    place: Sequence[float],
    rules: Sequence[Mapping[str, Any]],
) -> Version:
    """A helper joint at a place at rest, a leaf below a joint; what is picked follows it by its shares."""
    return workbench.edit(
        character_id, f"Make the helper {name}", lambda c: with_helper(c, name, parent, place, rules)
    )  # fmt: skip


def with_helper(
    character: Character, name: str, parent: str, place: Sequence[float], rules: Sequence[Mapping[str, Any]]
) -> Character:
    """The character with one more helper joint, and its remedy."""
    shares = character.region()
    if not shares.any():
        raise BadEditError("Nothing is picked, so nothing would follow the helper: pick some skin first.")
    draft, up = Draft(character), character.skeleton.find(parent)
    label = free_name(name.strip(), set(character.skeleton.names))
    frame = rotations.rotation_part(draft.joints[up].world[:3, :3])
    draft.add(label, up, np.asarray(place, np.float64), frame, helper=True)
    made = draft.finish()
    joint = made.skeleton.find(label)
    given = tuple(rule_from_document(r, made.skeleton, joint) for r in rules)
    body = Helper(joint, given, Mask.of(shares))
    title = free_name(name.strip(), {r.name for r in made.rules.remedies})
    return made.with_remedy(Remedy(body, title))


def start_helper(
    workbench: Workbench,
    character_id: str,
    how: str,
    pose: Pose,
    joint: str | None,
    spot: tuple[int, float] | None = None,
) -> Version:
    """Make helper joints at the held bend: see `started`, `pushed` and `at_spot`.

    Parameters
    ----------
    spot
        Of ``spot``: the vertex that it goes under, and how far its weights reach, metres.
    """
    opened = workbench.open(character_id)
    opened.refuse_while_sculpting()
    version = opened.version
    made = _started(Held.of(version.character, joint_of(version, pose, joint), pose), how, spot)
    fresh = made.rules.remedies[len(version.character.rules.remedies) :]
    return put(workbench, opened, version, f"Make the helper {' and '.join(r.name for r in fresh)}", made)


def _started(held: Held, how: str, spot: tuple[int, float] | None) -> Character:
    if how != "spot" and held.character.mesh.is_flat:
        raise BadEditError("On a drawing a helper joint is made at a spot: click a point of an outline.")
    if how == "hem":
        return pushed(held)
    if how != "spot":
        return started(held, how)
    if spot is None or not 0 <= spot[0] < len(held.character.mesh):
        raise BadEditError("Click the skin where the helper joint is to be.")
    if not 0 < spot[1] < 1e6:
        raise BadEditError("How far the skin follows a helper has to be more than 0.")
    return flat_helper(held, *spot) if held.character.mesh.is_flat else at_spot(held, *spot)


def share_roll(workbench: Workbench, character_id: str, joint: str, count: int, eased: bool) -> Version:
    """Let twist joints share a joint's roll out along its limb: see `with_twists`."""

    def change(character: Character) -> Character:
        made = with_twists(character, character.skeleton.find(joint), count, eased)
        for remedy in character.rules.remedies:
            if made.rules.remedy(remedy.id) is not remedy:
                made = in_step(made, remedy.id)
        return made

    return workbench.edit(character_id, f"Share the roll of {joint}", change)


def vertex_at(version: Version, pose: Pose, triangle: int, at: Sequence[float]) -> int:
    """The vertex of a triangle that is nearest to a place on the posed skin.

    Raises
    ------
    BadEditError
        When there is no such triangle.
    """
    mesh = version.character.mesh
    triangles = mesh.topology.triangles
    if mesh.is_flat:  # a drawing has no triangles: the point itself is told
        if not 0 <= triangle < len(mesh):
            raise BadEditError("That place does not lie on the drawing.")
        return triangle - triangle % 3
    if not 0 <= triangle < len(triangles):
        raise BadEditError("That place does not lie on the character.")
    corners = triangles[triangle]
    away = np.linalg.norm(version.evaluator.pose(pose).points[corners] - np.asarray(at), axis=1)
    return int(corners[np.argmin(away)])


def path(
    version: Version, remedy_id: str, pose: Pose, joint: str, axis: Sequence[float], angles_deg: Sequence[float]
) -> HelperPath:
    """Where a helper joint goes over the travel of a joint, and where its slides stop: see `helper_path`.

    Raises
    ------
    BadEditError
        When the remedy is no helper joint.
    """
    number = version.character.skeleton.find(joint)
    return helper_path(
        version.evaluator, remedy_id, pose, number, unit_axis(axis), [math.radians(a) for a in angles_deg]
    )  # fmt: skip
