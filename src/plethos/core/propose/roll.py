"""The roll along a limb: how far the skin turns about its bone, place by place, and what twist joints should take."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.evaluate import Posed
from plethos.core.geometry.rotations import Array
from plethos.core.joints.edit import twisted
from plethos.core.rules.remedies import Helper, Remedy, Share
from plethos.core.skeleton.mapping import vector
from plethos.core.skeleton.names import free_name
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.weights.bones import Segment, segments_of

STATIONS = 11
HELD = 1e-5  # of a share that all the skin follows: how strongly shares are kept small
CLEAR = 0.5  # of the weights round a place that have to be of the limb


@dataclass(frozen=True, eq=False)
class Limb:
    """The bone along which a joint's roll is shared out.

    Parameters
    ----------
    rolled
        The joint that rolls.
    bone
        Of the limb, with its twist joints.
    from_root
        Whether the joint carries the whole limb, so that the roll has to be taken back near its start; else it hangs at
        the limb's end, and the roll has to be led up to it.
    axis
        The bone's direction in the rest frame of the joint that rolls ``(3,)``.
    along
        ``(N,)`` where the limb's skin lies along the bone, 0 to 1.
    twisted, whole
        ``(N, T)`` and ``(N,)`` the weights of that skin: on each twist joint, and on all that the joint carries along.
    """

    rolled: int
    bone: Segment
    from_root: bool
    axis: Array
    along: Array
    twisted: Array
    whole: Array

    @classmethod
    def of(cls, character: Character, joint: int, bare: bool = False) -> Limb:
        """The limb of a joint.

        Parameters
        ----------
        bare
            Whether one without twist joints will do: the bone that they would be put along.

        Raises
        ------
        BadEditError
            When there are no twist joints along it, or no bone at all.
        """
        skeleton = character.skeleton
        segments = segments_of(skeleton)
        parent = skeleton.joint_parents[joint]
        own = next((s for s in segments if s.joint == joint and s.twists), None)
        above = next(
            (s for s in segments if s.joint == parent and s.twists and skeleton.main_child(parent) == joint), None
        )  # fmt: skip
        bone = own or above
        if bone is None and bare:
            twisted_bone = bone_to_twist(skeleton, joint)
            bone = next((s for s in segments if s.joint == twisted_bone), None)
            own = bone if twisted_bone == joint else None
        if bone is None:
            raise BadEditError(
                f"There are no twist joints along “{skeleton.names[joint]}”: insert some in Bind, under Joints."
            )
        way = (bone.end - bone.start) / np.linalg.norm(bone.end - bone.start)
        axis = np.linalg.solve(skeleton.pose_frame(joint), way)
        rest = character.mesh.rest.astype(np.float64)
        along = (rest - bone.start) @ way / np.linalg.norm(bone.end - bone.start)
        weights = character.binding.joint_weights
        skin = weights[:, [bone.joint, *bone.twists, joint]].sum(axis=1) > CLEAR
        skin &= (along > 0) & (along < 1)
        twisted_skin = weights[skin][:, list(bone.twists)].astype(np.float64)
        whole = character.binding.subtree_weights(skeleton, joint)[skin]
        return cls(joint, bone, bone is own, axis / np.linalg.norm(axis), along[skin], twisted_skin, whole)

    def shares(self, eased: bool = False) -> Array:
        """What share ``(T,)`` of the roll each twist joint should take for the skin to roll as `ideal` says.

        Least squares over the skin, whose roll is what the joint carries along and the shares by their weights; a twist
        joint that next to no skin follows keeps a share near 0.
        """
        missing = self.ideal(self.along, eased) - self.whole
        weights = self.twisted.T @ self.twisted
        held = HELD * len(self.along) * np.eye(len(weights))
        return np.asarray(np.clip(np.linalg.solve(weights + held, self.twisted.T @ missing), -1, 1))

    def ideal(self, places: Array, eased: bool = False) -> Array:
        """How much of the roll there should be at places along the bone, 0 to 1: evenly, or eased at both ends."""
        even = np.clip(places, 0, 1)
        return np.asarray(even**2 * (3 - 2 * even)) if eased else even

    def flips(self, skeleton: Skeleton) -> tuple[float, float]:
        """The rolls, radians, beyond which the joint counts as turned the other way: half a turn from its middle."""
        middle = skeleton.cut_middle(self.rolled, vector(self.axis))
        return middle - np.pi, middle + np.pi


def bone_to_twist(skeleton: Skeleton, joint: int) -> int:
    """The joint along whose bone twist joints should share a joint's roll: its own bone, or the one that it ends.

    The longer of the two: a hand is short and a forearm long, a thigh is long and the way to it short.

    Raises
    ------
    BadEditError
        When it has neither.
    """
    own, parent = skeleton.main_child(joint), skeleton.joint_parents[joint]
    ends = parent if parent >= 0 and skeleton.main_child(parent) == joint else None
    at = skeleton.rest_global[:, :3, 3]
    lengths = [(float(np.linalg.norm(at[own] - at[joint])), joint)] if own is not None else []
    lengths += [(float(np.linalg.norm(at[joint] - at[ends])), ends)] if ends is not None else []
    if not lengths:
        raise BadEditError(f"“{skeleton.names[joint]}” has no bone to put twist joints along: nothing hangs on it.")
    return max(lengths)[1]


def with_twists(character: Character, joint: int, count: int = 2, eased: bool = False) -> Character:
    """The character whose twist joints share a joint's roll out along its limb.

    Those that are there take the shares that suit them; where there are none, `count` are put along the bone.

    Parameters
    ----------
    eased
        Whether the roll grows slowly at both ends, not evenly.

    Raises
    ------
    BadEditError
        When there is no bone to put them along, or all are turned by other rules.
    """
    try:
        limb = Limb.of(character, joint)
    except BadEditError:
        character = twisted(character, bone_to_twist(character.skeleton, joint), count)
        limb = Limb.of(character, joint)
    shares = np.round(limb.shares(eased), 2).tolist()
    turned = {body.joint: (remedy, body) for remedy, body in character.rules.helpers}
    changed = 0
    for twist, share in zip(limb.bone.twists, shares, strict=True):
        if twist not in turned:
            continue
        remedy, body = turned[twist]
        rules = body.rules
        fresh = [replace(r, share=share) if isinstance(r, Share) and r.joint == joint else r for r in rules]
        if any(a is not b for a, b in zip(rules, fresh, strict=True)):
            character = character.with_remedy(replace(remedy, body=replace(body, rules=tuple(fresh))))
            changed += 1
    if changed and all(twist in turned for twist in limb.bone.twists):
        return character
    for remedy in twist_remedies(character, limb, eased):
        character = character.with_remedy(
            replace(remedy, name=free_name(remedy.name, {r.name for r in character.rules.remedies}))
        )
    return character


def measured_roll(posed: Posed, limb: Limb) -> tuple[Array, Array]:
    """How far the skin has turned about the bone.

    Parameters
    ----------
    posed
        The character with the joint rolled.

    Returns
    -------
    places, roll
        ``(S,)`` along the bone, 0 to 1, and the skin's turn there, radians, against the bone's start without its roll;
        NaN where there is no skin.
    """
    character, skeleton = posed.character, posed.character.skeleton
    start, length = limb.bone.start, float(np.linalg.norm(limb.bone.end - limb.bone.start))
    way = (limb.bone.end - start) / length
    rest, now = character.mesh.rest.astype(np.float64), posed.points.astype(np.float64)
    # What the limb hangs on: its parent where the joint carries the limb, else the limb's own bone.
    base = skeleton.joint_parents[limb.rolled]
    back = np.linalg.inv(posed.world[base] @ np.linalg.inv(skeleton.rest_global[base])) if base >= 0 else np.eye(4)
    now = now @ back[:3, :3].T + back[:3, 3]
    family = [limb.bone.joint, *limb.bone.twists, limb.rolled]
    own = character.binding.joint_weights[:, family].sum(axis=1) > CLEAR
    along = (rest - start) @ way / length
    off_rest, off_now = (p - start - ((p - start) @ way)[:, None] * way for p in (rest, now))
    turn = np.arctan2(np.cross(off_rest, off_now) @ way, np.einsum("vi,vi->v", off_rest, off_now))
    far = np.linalg.norm(off_rest, axis=1)
    places = np.linspace(0, 1, STATIONS)
    roll = np.full(STATIONS, np.nan)
    for k, place in enumerate(places.tolist()):
        near = own & (np.abs(along - place) < 0.6 / STATIONS)
        if near.any():
            # The mean turn of the ring, as vectors, so that half a turn does not cancel out.
            roll[k] = np.angle(np.sum(far[near] * np.exp(1j * turn[near])))
    return places, roll


def twist_remedies(character: Character, limb: Limb, eased: bool = False) -> list[Remedy]:
    """One helper for each twist joint of a limb: its share of the roll.

    Raises
    ------
    BadEditError
        When they are all turned by rules already.
    """
    skeleton, rules = character.skeleton, character.rules
    taken = {body.joint for _, body in rules.helpers}
    axis = vector(limb.axis)
    made = [
        Remedy(
            Helper(twist, (Share(limb.rolled, round(float(share), 2), "twist", axis),)),
            skeleton.names[twist],
        )
        for twist, share in zip(limb.bone.twists, limb.shares(eased).tolist(), strict=True)
        if twist not in taken
    ]
    if not made:
        raise BadEditError(f"The twist joints along “{skeleton.names[limb.bone.joint]}” are turned by rules already.")
    return made
