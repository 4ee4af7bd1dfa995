"""Which joint of a body each is, told by how the bones lie and never by names, and the ranges that go with it.

A body stands, or goes on four legs, and has two sides: limbs are chains of joints on one side that have an image on the
other. Those that end at the ground are legs; of the others those with two long bones are arms. What stands in the
middle is spine up to where the arms begin, and neck beyond.

Ranges: normal adult ranges as orthopaedic handbooks print them (AAOS, Joint Motion, 1965; from memory); those of spine,
neck, collar bone, fingers and toes are common practice, no source.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import pairwise
from typing import Literal

import numpy as np

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.joints.draft import Draft
from plethos.core.rules.triggers.hinge import snap_axis, unit_axis
from plethos.core.skeleton.hinge import Hinge
from plethos.core.weights.bones import twist_joints

LONG = 0.08  # of the height: the two bones of an arm or a leg are no shorter
CURLED = 0.05  # the sine of how far a finger is bent at rest, from which on its curl is known
GROUND = 0.15  # of the height: a leg ends lower
OFF_MIDDLE = 0.02  # of the height: what lies nearer to the plane between the sides has no side

Degrees = tuple[float, float]


@dataclass(frozen=True)
class Standard:
    """The standard range of one joint of a body.

    Parameters
    ----------
    toward
        Where the end of the bone goes at first when the hinge turns, as ``(left, up, front)`` of the body's own.
    bent
        Degrees from `straight`.
    straight
        Where the bone goes on straight from the one *before* it, where it *hangs* down, or as it is at *rest*.
    roll, swing
        Degrees about the bone, and of the other swing towards the body's left (on its left side outwards) or its front.
    """

    toward: tuple[float, float, float]
    bent: Degrees
    straight: Literal["before", "hanging", "rest"]
    roll: Degrees = (0.0, 0.0)
    swing: Degrees = (0.0, 0.0)


UP, FRONT, BACK, DOWN = (0.0, 1.0, 0.0), (0.0, 0.0, 1.0), (0.0, 0.0, -1.0), (0.0, -1.0, 0.0)
STANDARD: Mapping[str, Standard] = {
    "collar bone": Standard(UP, (-10, 30), "rest", swing=(-15, 15)),
    "shoulder": Standard(UP, (0, 180), "hanging", roll=(-70, 70), swing=(-40, 90)),
    "elbow": Standard(FRONT, (0, 150), "before", roll=(-80, 80)),
    "wrist": Standard(DOWN, (-70, 80), "rest", swing=(-25, 25)),
    "finger": Standard(DOWN, (-10, 90), "rest"),
    "hip": Standard(FRONT, (-20, 120), "hanging", roll=(-45, 45), swing=(-30, 45)),
    "knee": Standard(BACK, (0, 135), "before"),
    "ankle": Standard(UP, (-50, 20), "rest", roll=(-20, 20), swing=(-10, 10)),
    "toes": Standard(UP, (-30, 60), "rest"),
    "neck": Standard(FRONT, (-35, 35), "rest", roll=(-35, 35), swing=(-20, 20)),
}
SPINE_BENT, SPINE_OTHERS = (-25.0, 80.0), (-35.0, 35.0)  # of the whole spine: its joints share it


def proposed_hinges(character: Character) -> dict[int, Hinge]:
    """The hinges of joints of which nothing is known, as far as the body tells which joints they are."""
    if character.mesh.is_flat:
        return {}
    body = Body(character)
    out = {}
    for joint, standard in body.recognised():
        if character.skeleton.known_hinge(joint) is None:
            hinge = body.hinge(joint, standard)
            if hinge is not None:
                out[joint] = hinge
    return out


def with_proposed_ranges(character: Character) -> Character:
    """The character with the hinges and ranges that its body proposes for joints of which nothing is known.

    Raises
    ------
    BadEditError
        When it proposes none.
    """
    proposed = proposed_hinges(character)
    if not proposed:
        raise BadEditError("The bones do not tell which joints these are: set their ranges one by one.")
    draft = Draft(character)
    for joint, hinge in proposed.items():
        draft.joints[joint].hinge = hinge
    return draft.finish()


class Body:
    """The joints of a character as a body."""

    def __init__(self, character: Character) -> None:
        self.skeleton, self.middle = character.skeleton, character.mesh.mirror_x
        self.pairs = character.joint_pairs
        self.up = np.array([0.0, 0.0, 1.0]) if character.up == "z" else np.array([0.0, 1.0, 0.0])
        self.at = self.skeleton.rest_global[:, :3, 3]
        self.height = max(float(np.ptp(character.mesh.rest @ self.up)), 1e-9)
        self.floor = float((character.mesh.rest @ self.up).min(initial=0.0))
        self.twists = twist_joints(self.skeleton)
        self.main = [j for j in range(len(self.skeleton)) if self.skeleton.is_joint[j] and j not in self.twists]

    def below(self, joint: int) -> list[int]:
        """Its children that are no twist joints."""
        return [c for c in self.skeleton.children(joint) if c not in self.twists]

    def side(self, joint: int) -> int:
        """1 for the left, -1 for the right, 0 in the middle."""
        off = float(self.at[joint, 0] - self.middle)
        if self.pairs[joint] == joint and abs(off) < OFF_MIDDLE * self.height:
            return 0
        return 1 if off > 0 else -1

    def chain(self, joint: int) -> list[int]:
        """The joints from one on down the longest way."""
        out = [joint]
        while self.below(out[-1]):
            out.append(max(self.below(out[-1]), key=self._length))
        return out

    def _length(self, joint: int) -> float:
        """How long the longest way through a joint is, from its parent on."""
        own = float(np.linalg.norm(self.at[joint] - self.at[self.skeleton.joint_parents[joint]]))
        return own + max((self._length(c) for c in self.below(joint)), default=0.0)

    def limbs(self) -> Iterator[list[int]]:
        """The chains that leave the middle."""
        for j in self.main:
            parent = self.skeleton.joint_parents[j]
            if parent >= 0 and self.side(j) and not self.side(parent):
                yield self.chain(j)

    def two_long(self, chain: Sequence[int]) -> int | None:
        """Where in a chain the two longest bones that follow each other begin; None where they are short."""
        length = [float(np.linalg.norm(self.at[b] - self.at[a])) for a, b in pairwise(chain)]
        both = [min(a, b) for a, b in pairwise(length)]
        return int(np.argmax(both)) if both and max(both) > LONG * self.height else None

    @cached_property
    def legs(self) -> list[list[int]]:
        """The chains of limbs that end at the ground and have two long bones, each from the hip on."""
        out = []
        for chain in self.limbs():
            long = self.two_long(chain)
            if long is not None and float(self.at[chain[-1]] @ self.up) - self.floor < GROUND * self.height:
                out.append(chain[long:])
        return out

    @cached_property
    def front(self) -> Array:
        """The way that its feet point, across `up`; else +Z (or -Y where Z is up)."""
        default = np.cross(np.array([1.0, 0.0, 0.0]), self.up)
        ways = [self.at[leg[3]] - self.at[leg[2]] for leg in self.legs if len(leg) > 3]
        if not ways:
            return default
        way = np.sum(ways, axis=0)
        way = way - self.up * (way @ self.up)
        way[0] = 0.0
        return np.asarray(way / np.linalg.norm(way) if np.linalg.norm(way) > 1e-9 else default)

    def recognised(self) -> Iterator[tuple[int, Standard]]:
        """The joints that can be told, with their standard ranges."""
        if len(self.legs) != 2:
            return  # what goes on four bends otherwise, and nobody has told how far
        hips = {leg[0] for leg in self.legs}
        for leg in self.legs:
            yield from zip(leg, (STANDARD[n] for n in ("hip", "knee", "ankle", "toes")), strict=False)
        arms = []
        for chain in self.limbs():
            long = self.two_long(chain)
            if not hips & set(chain) and long is not None:
                arms.append(chain)
                yield from self._arm(chain, long)
        yield from self._trunk(arms)

    def _arm(self, chain: Sequence[int], shoulder: int) -> Iterator[tuple[int, Standard]]:
        if shoulder > 0:
            yield chain[shoulder - 1], STANDARD["collar bone"]
        wrist = chain[shoulder + 2]
        yield from zip(chain[shoulder:], (STANDARD[n] for n in ("shoulder", "elbow", "wrist")), strict=False)
        inside = self.skeleton.subtree(wrist)
        fingers = [j for j in self.main if inside[j] and j != wrist]
        # Where a finger leaves the hand it is splayed, not curled.
        curls = {j: self._curl(j) for j in fingers if self.skeleton.joint_parents[j] != wrist}
        palm = sum(curls.values(), np.zeros(3))
        for j in fingers:
            line = [self.skeleton.joint_parents[j], *self.chain(j)]
            own = sum((curls[k] for k in line if k in curls), np.zeros(3))
            curl = own if np.linalg.norm(own) > CURLED else palm
            x, y, z = (self._axes @ np.cross(curl, self._bone(j))).tolist()
            toward = (x, y, z) if np.linalg.norm(curl) > CURLED else DOWN
            yield j, replace(STANDARD["finger"], toward=toward)

    def _curl(self, joint: int) -> Array:
        """The axis ``(3,)`` that a joint is bent about at rest, as long as the sine of how far."""
        before, after = self.skeleton.bones_at(joint)
        size = np.linalg.norm(before) * np.linalg.norm(after)
        return np.asarray(np.cross(before, after) / size) if size > 1e-18 else np.zeros(3)

    def _bone(self, joint: int) -> Array:
        """The unit way ``(3,)`` that its bone goes; 0 where there is none."""
        bone = self.skeleton.bone_way(joint)
        return np.asarray(bone / max(float(np.linalg.norm(bone)), 1e-12))

    @cached_property
    def _axes(self) -> Array:
        """Left, up and front as rows."""
        return np.stack([np.array([1.0, 0.0, 0.0]), self.up, self.front])

    def _trunk(self, arms: Sequence[Sequence[int]]) -> Iterator[tuple[int, Standard]]:
        """The joints in the middle, from above the hips to the head."""
        hung = {self.skeleton.joint_parents[leg[0]] for leg in self.legs}
        top = {self.skeleton.joint_parents[arm[0]] for arm in arms}
        start = float(np.mean([self.at[leg[0]] @ self.up for leg in self.legs]))
        middle = [j for j in self.main if self.side(j) == 0 and j not in hung and self.below(j)]
        middle = [j for j in middle if float(self.at[j] @ self.up) > start]
        shoulders = min((float(self.at[j] @ self.up) for j in top), default=math.inf)
        spine = [j for j in middle if float(self.at[j] @ self.up) <= shoulders + 1e-6]
        share = 1 / max(len(spine), 1)
        low, high = (share * x for x in SPINE_BENT)
        others = (share * SPINE_OTHERS[0], share * SPINE_OTHERS[1])
        for j in spine:
            yield j, Standard(FRONT, (low, high), "rest", others, others)
        above = [j for j in middle if j not in spine and self.skeleton.joint_parents[j] in {*spine, *top, *middle}]
        for j in above[:2]:
            yield j, STANDARD["neck"]

    def hinge(self, joint: int, standard: Standard) -> Hinge | None:
        """The hinge of a standard range at a joint; None where its bone already points where it should bend to."""
        bone = self._bone(joint)
        toward = np.array(standard.toward) @ self._axes
        toward = toward / max(float(np.linalg.norm(toward)), 1e-12)
        axis = np.cross(bone, toward)
        if np.linalg.norm(axis) < 0.1:
            # A finger that hangs, an arm that points forward: it curls towards the middle.
            axis = np.cross(bone, -self.side(joint) * self._axes[0])
        if np.linalg.norm(axis) < 0.1:
            return None
        own = rotations.rotation_part(self.skeleton.pose_frame(joint))
        x, y, z = unit_axis(snap_axis(own.T @ (axis / np.linalg.norm(axis))).tolist())
        at_rest = 0.0
        if standard.straight != "rest":
            straight = -self.up if standard.straight == "hanging" else self.skeleton.bones_at(joint)[0]
            at_rest = _angle_about(own @ np.array([x, y, z]), straight, bone)
        low, high = (math.radians(d) - at_rest for d in standard.bent)
        return Hinge((x, y, z), low, high, self._others(joint, (x, y, z), standard))

    def _others(
        self, joint: int, hinge: tuple[float, float, float], standard: Standard
    ) -> tuple[Degrees, Degrees] | None:
        """Radians of roll and of the other swing, signed as the axes across the hinge are."""
        if standard.roll == standard.swing == (0.0, 0.0):
            return None
        swing = standard.swing
        # About the second axis across a positive turn takes the bone against the hinge's axis.
        away = -(self.skeleton.pose_frame(joint) @ np.array(hinge))
        outward = np.array([float(self.side(joint)), 0.0, 0.0])
        wanted = outward if abs(away @ outward) > 0.5 else self.front
        if away @ wanted < 0:
            swing = (-swing[1], -swing[0])
        roll, other = (tuple(math.radians(d) for d in span) for span in (standard.roll, swing))
        return roll, other  # type: ignore[return-value]


def _angle_about(axis: Array, start: Array, end: Array) -> float:
    """How far one way has to be turned about an axis to lie as another as seen along it, radians."""
    first, last = (way - axis * (way @ axis) for way in (start, end))
    return math.atan2(float(np.cross(first, last) @ axis), float(first @ last))
