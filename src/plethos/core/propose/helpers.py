"""Helper joints to start from: made at a bend, with soft weights of the skin there and rules that are tried out."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from plethos.core import rotations
from plethos.core.bend import BendMeasure
from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import Evaluator
from plethos.core.joints.draft import Draft
from plethos.core.mapping import vector
from plethos.core.mask import Mask
from plethos.core.measure.girth import bone_directions
from plethos.core.measure.region import joint_region
from plethos.core.names import free_name
from plethos.core.propose.held import WAY, Held, off
from plethos.core.propose.soft import faded
from plethos.core.remedies import Helper, Remedy, Share, Slide
from plethos.core.response import Response
from plethos.core.rotations import Array
from plethos.core.skeleton import Pose

STARTS = ("half", "outside", "inside")
REACH = 1.1  # of the region's radius: how far over the skin a helper's weights go
FURTHEST = 0.3  # of the radius: the greatest slide that is tried
TRIED = 7
FOLDED = 0.2  # a bone that went less far only rolled, of its length
BESIDE = 0.3  # of the radius: what lies at the joint


def started(held: Held, how: str) -> Character:
    """The character with a helper joint at the held bend.

    Parameters
    ----------
    how
        ``half``: takes half of the turn, all round the joint. ``outside``: over the outside of the bend (a knee cap,
        the tip of an elbow, the seat), half of the turn and out of the skin. ``inside``: in the fold (the front of the
        hip, the belly), out of the skin. How far is tried out: whatever keeps most volume and girth on the way.

    Raises
    ------
    BadEditError
        When the joint does not bend, or hangs on nothing.
    """
    if how not in STARTS:
        raise BadEditError(f"There is no helper joint to start from called “{how}”; there are {', '.join(STARTS)}.")
    character, skeleton, joint = held.character, held.character.skeleton, held.joint
    parent, name = skeleton.joint_parents[joint], skeleton.names[joint]
    if parent < 0:
        raise BadEditError(f"“{name}” hangs on nothing, so a helper joint beside it would have nothing to stay with.")
    rest = character.mesh.rest.astype(np.float64)
    region, at = joint_region(character, joint, character.mesh.rest, 0.1), skeleton.rest_global[joint, :3, 3]
    out = _outwards(held, parent)
    if how == "inside":
        out = -out
    own = rest[region.vertices]
    beside = np.abs((own - at) @ _along(held)) < BESIDE * region.radius
    near = own[beside] if beside.any() else own
    spot = at if how == "half" else near[int(np.argmax((near - at) @ out))]
    # All that lies there, skin and the cloth over it.
    seed = np.zeros(len(rest), bool)
    there = beside if how == "half" and beside.any() else np.linalg.norm(own - spot, axis=1) < BESIDE * region.radius
    seed[region.vertices[there]] = True
    mask = Mask.of(faded(character.mesh.topology, character.mesh.rest, seed, REACH * region.radius))
    label = free_name(f"{name}_{how}", set(skeleton.names))
    frame = rotations.rotation_part(skeleton.rest_global[parent, :3, :3])
    draft = Draft(character)
    draft.add(label, parent, at + 0.6 * (spot - at), frame, helper=True)
    made = draft.finish()
    best = None
    for far in np.linspace(0, FURTHEST, TRIED if how != "half" else 1).tolist():
        helper = _helper(made, held, name, label, how, mask, frame.T @ out, far * region.radius)
        title = free_name(label, {r.name for r in made.rules.remedies})
        tried = made.with_remedy(Remedy(helper, title, id=f"start-{label}"))
        lost = off_on_the_way(tried, held, name)
        if best is None or lost < best[0] - 1e-9:
            best = (lost, tried)
    assert best is not None
    fresh = best[1].rules.remedies[-1]
    return made.with_remedy(Remedy(fresh.body, fresh.name))


def _helper(
    character: Character, held: Held, name: str, label: str, how: str, mask: Mask, along: Array, far: float
) -> Helper:
    skeleton = character.skeleton
    joint, helper, axis = skeleton.find(name), skeleton.find(label), held.trigger.axis
    rules: list[Share | Slide] = []
    if how != "inside":
        rules.append(Share(joint, 0.5, "all", axis))
    if far > 0 or not rules:
        ends = sorted(((0.0, 0.0), (held.angle, far)))
        rules.append(Slide(joint, axis, vector(along / np.linalg.norm(along)), Response.of_knots(ends)))
    return Helper(helper, tuple(rules), mask)


def off_on_the_way(character: Character, held: Held, name: str) -> float:
    """How far from keeping volume and girth the joint is on the way; percent."""
    skeleton = character.skeleton
    measure = BendMeasure.of(character, skeleton.find(name))
    total = 0.0
    for share in WAY:
        pose = _carried(held.at(share), held.character, character)
        total += off(measure.at(pose))
    return total / len(WAY)


def _carried(pose: Pose, before: Character, after: Character) -> Pose:
    """A pose on a skeleton that has one joint more."""
    own = after.skeleton.rest_pose()
    for j, name in enumerate(before.skeleton.names):
        own.rotations[after.skeleton.find(name)] = pose.rotations[j]
    return replace(own, dials=pose.dials)


def _along(held: Held) -> Array:
    before, after = bone_directions(held.character.skeleton, held.joint)
    across = before + after
    return across / np.linalg.norm(across) if np.linalg.norm(across) > 1e-6 else after


def _outwards(held: Held, parent: int) -> Array:
    """The unit way to the outside of the bend, at rest in the world."""
    skeleton = held.character.skeleton
    _, after = bone_directions(skeleton, held.joint)
    posed = Evaluator.of(held.character).pose(held.at(1.0))
    up, down = ((posed.world[j] @ np.linalg.inv(skeleton.rest_global[j]))[:3, :3] for j in (parent, held.joint))
    # Where the bone went, seen from the one above: to the inside of the bend.
    fold = np.linalg.solve(up, down @ after) - after
    if np.linalg.norm(fold) < FOLDED:
        raise BadEditError("The joint only rolls here, so there is no outside of a bend: use twist joints.")
    # Across the bone at rest: what points along it is no outside.
    bone = _along(held)
    fold = fold - (fold @ bone) * bone
    if np.linalg.norm(fold) < 1e-6:
        raise BadEditError("The joint folds straight back here: bend it less.")
    return np.asarray(-fold / np.linalg.norm(fold))
