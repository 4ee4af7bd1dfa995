"""Joints of one side carried over to the other."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.joints.draft import Draft
from plethos.core.skeleton.hinge import Hinge
from plethos.core.skeleton.names import free_name, other_side_name
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skeleton.symmetry import MIRROR, across, joint_mirror


def reflected(character: Character, joints: Sequence[int], before: Skeleton | None = None) -> Character:
    """The character with the mirror images of some joints brought to where they are, or made.

    Parameters
    ----------
    joints
        Whose place, frame, parent and hinge are mirrored; those in the middle are passed over.
    before
        The skeleton in which mirror images are looked for, when an edit has moved one of a pair since; its joints have
        the same names.

    Notes
    -----
    A twin that is there keeps the way in which its frame mirrors the other (whatever the file's habit is); a new one
    mirrors turns about its hinge: the same angle means the same motion on both sides.
    """
    known = before if before is not None else character.skeleton
    plane = character.mesh.mirror_x
    twins = joint_mirror(known, plane)
    draft, skeleton = Draft(character), character.skeleton
    height = max(float(np.ptp(skeleton.rest_global[:, 1, 3])), 1e-6)
    key_of = {name: key for key, name in enumerate(skeleton.names)}
    made_of: dict[int, int] = {}
    usual = _usual_habit(known, twins) if before is None else None

    def twin_of(joint: int) -> int | None:
        if joint in made_of:
            return made_of[joint]
        old = known.index_of.get(skeleton.names[joint], -1)
        if old >= 0 and int(twins[old]) != old:
            return key_of.get(known.names[int(twins[old])])
        # Where the two have come apart, or one is new, the name tells.
        return key_of.get(other_side_name(skeleton.names[joint]) or "")

    for joint in sorted(joints):
        own = draft.joints[joint]
        twin = twin_of(joint)
        if twin is None and abs(own.world[0, 3] - plane) < 1e-3 * height:
            continue
        up = own.parent
        parent = -1 if up < 0 else (twin_of(up) if twin_of(up) is not None else up)
        assert parent is not None
        frame = rotations.rotation_part(own.world[:3, :3])
        if twin is None:
            flip = _flip_about(own.hinge)
            name = other_side_name(own.name) or free_name(f"{own.name}_mirrored", set(skeleton.names))
            twin = draft.add(name, parent, across(own.world[:3, 3], plane), MIRROR[:, None] * frame @ flip)
            made_of[joint] = twin
        else:
            at = draft.joints[twin]
            flip = _habit(known, skeleton.names[joint], skeleton.names[twin], usual)
            size = rotations.rotation_part(at.world[:3, :3]).T @ at.world[:3, :3]
            at.world[:3, :3] = MIRROR[:, None] * frame @ flip @ size
            at.world[:3, 3] = across(own.world[:3, 3], plane)
            at.parent = parent
        if own.hinge is not None:
            x, y, z = (-flip.T @ np.array(own.hinge.axis)).tolist()
            draft.joints[twin].hinge = Hinge((x, y, z), own.hinge.low, own.hinge.high, own.hinge.mirrored_others)
    return draft.finish()


def _flip_about(hinge: Hinge | None) -> Array:
    """The handedness of a mirrored frame: about its hinge (or Z) the same turn mirrors."""
    flip = np.ones(3)
    flip[int(np.argmax(np.abs(hinge.axis))) if hinge is not None else 2] = -1
    return np.diag(flip)


def _habit(skeleton: Skeleton, joint: str, twin: str, usual: Array | None) -> Array:
    """How the frame of a joint's mirror image goes with its own: ``F' = M F D`` with this D.

    Parameters
    ----------
    usual
        Taken where the two frames are no mirror images of each other; None = they are to stay as unlike as they are.
    """
    own, other = (rotations.rotation_part(skeleton.rest_global[skeleton.find(n), :3, :3]) for n in (joint, twin))
    habit = (MIRROR[:, None] * own).T @ other
    snapped = np.round(habit)
    if np.abs(habit - snapped).max() < 0.05:
        return np.asarray(snapped)
    return np.asarray(habit if usual is None else usual)


def _usual_habit(skeleton: Skeleton, twins: NDArray[np.int32]) -> Array:
    """What most pairs of a skeleton do; without pairs the same turn about Z mirrors."""
    counted: Counter[tuple[float, ...]] = Counter()
    for j, other in enumerate(twins.tolist()):
        if other > j:
            habit = _habit(skeleton, skeleton.names[j], skeleton.names[other], _flip_about(None))
            counted[tuple(habit.ravel().tolist())] += 1
    return np.array(counted.most_common(1)[0][0]).reshape(3, 3) if counted else _flip_about(None)
