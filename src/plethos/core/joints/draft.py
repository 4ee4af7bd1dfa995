"""A skeleton while it is edited: joints where they stand in the world at rest."""

from __future__ import annotations

import secrets
from dataclasses import dataclass

import numpy as np

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.geometry import rotations
from plethos.core.geometry.rotations import Array
from plethos.core.joints.carry import JointChange, carried
from plethos.core.skeleton.hinge import Hinge
from plethos.core.skeleton.skeleton import Skeleton


@dataclass
class DraftJoint:
    """One joint.

    Parameters
    ----------
    parent
        The key of its parent in the draft, -1 for none.
    world
        ``(4, 4)`` at rest.
    """

    name: str
    parent: int
    world: Array
    is_joint: bool = True
    hinge: Hinge | None = None
    node: int = -1
    identity: int = -1


class Draft:
    """The joints of a character by key: their number in the character, or a further one for new joints."""

    def __init__(self, character: Character) -> None:
        self.character = character
        skeleton = character.skeleton
        self.joints: dict[int, DraftJoint] = {
            j: DraftJoint(
                skeleton.names[j],
                int(skeleton.parents[j]),
                skeleton.rest_global[j].copy(),
                bool(skeleton.is_joint[j]),
                skeleton.known_hinge(j),
                int(skeleton.nodes[j]),
                skeleton.joint_keys[j],
            )
            for j in range(len(skeleton))
        }
        self._next = len(skeleton)
        self._heir: dict[int, int] = {}

    def children(self, key: int) -> list[int]:
        """The keys of what hangs on a joint."""
        return [k for k, joint in self.joints.items() if joint.parent == key]

    def add(
        self, name: str, parent: int, place: Array, frame: Array, hinge: Hinge | None = None, helper: bool = False
    ) -> int:
        """A new joint at a place ``(3,)`` with a frame ``(3, 3)``, as large as its parent; its key.

        Parameters
        ----------
        helper
            Whether it is a helper joint: a plain node to all but the remedy that turns it.
        """
        size = abs(float(np.linalg.det(self.joints[parent].world[:3, :3]))) ** (1 / 3) if parent >= 0 else 1.0
        world = np.eye(4)
        world[:3, :3], world[:3, 3] = frame * size, place
        key, self._next = self._next, self._next + 1
        # A number that no joint has had before, or a deleted one would seem to be back under another name.
        identity = len(self.character.skeleton) + secrets.randbelow(2**30)
        self.joints[key] = DraftJoint(name, parent, world, not helper, hinge, identity=identity)
        return key

    def remove(self, key: int) -> None:
        """Take a joint away: what hangs on it goes to its parent, and so do its weights, or to the joint beside it.

        Raises
        ------
        BadEditError
            When nothing else is left that its skin could follow.
        """
        joint = self.joints[key]
        heir, up = -1, joint.parent
        while up >= 0 and heir < 0:
            heir, up = (up if self.joints[up].is_joint else -1), self.joints[up].parent
        below = self.children(key)
        if heir < 0:
            # At the top, or hung on a plain node: the joint beside it.
            at = joint.world[:3, 3]
            others = [k for k, j in self.joints.items() if j.is_joint and k != key and k < len(self.character.skeleton)]
            heir = min(others, key=lambda k: float(np.linalg.norm(self.joints[k].world[:3, 3] - at)), default=-1)
        bones = self.character.binding.bones
        rows = np.flatnonzero(bones.joint == key)
        used = self.character.binding.influences[self.character.binding.weights > 0]
        if heir < 0 and np.isin(rows, used).any():
            raise BadEditError(f"“{joint.name}” is the only joint that the skin could follow: it has to stay.")
        for k in below:
            self.joints[k].parent = joint.parent
        del self.joints[key]
        # What an earlier deleted joint left to this one goes on to its heir.
        self._heir = {old: (heir if to == key else to) for old, to in self._heir.items()} | {key: heir}

    def finish(self) -> Character:
        """The character on these joints.

        Raises
        ------
        BadEditError
            For names that are empty or used twice, places that are not finite, joints that hang on each other in a
            circle, or a joint below one that is squashed flat.
        """
        self._check()
        order = self._order()
        number = {key: i for i, key in enumerate(order)}
        before = self.character.skeleton
        count = len(order)
        parents = np.array([number.get(self.joints[k].parent, -1) for k in order], dtype=np.int32)
        translation, rotation, stretch = np.zeros((count, 3)), np.zeros((count, 4)), np.zeros((count, 3, 3))
        for i, key in enumerate(order):
            if self._untouched(key):
                translation[i] = before.rest_translation[key]
                rotation[i], stretch[i] = before.rest_rotation[key], before.rest_stretch[key]
                continue
            local = self.joints[key].world
            if self.joints[key].parent >= 0:
                local = np.asarray(np.linalg.solve(self.joints[self.joints[key].parent].world, local))
            turn, left = self._split(key, local[:3, :3])
            translation[i], rotation[i] = local[:3, 3], rotations.from_matrix(turn)
            stretch[i] = np.where(np.abs(left - np.eye(3)) < 1e-9, np.eye(3), left)
        joints = [self.joints[k] for k in order]
        after = Skeleton(
            names=tuple(j.name for j in joints),
            parents=parents,
            rest_translation=translation,
            rest_rotation=rotation,
            rest_stretch=stretch,
            is_joint=np.array([j.is_joint for j in joints], dtype=bool),
            nodes=np.array([j.node for j in joints], dtype=np.int32),
            hinges=tuple(j.hinge for j in joints),
            keys=tuple(j.identity for j in joints),
        )
        origin = np.array([k if k < len(before) else -1 for k in order], dtype=np.int32)
        change = JointChange(before, after, origin, self._heir)
        return carried(self.character, change)

    def _split(self, key: int, local: Array) -> tuple[Array, Array]:
        """A local matrix ``(3, 3)`` as a rotation and a stretch: with the stretch that the joint has, if that will do.

        Another stretch would be another frame for its poses, and would clash with clips that replace it.
        """
        before = self.character.skeleton
        if key < len(before) and abs(np.linalg.det(before.rest_stretch[key])) > 1e-12:
            kept = before.rest_stretch[key]
            turn = np.asarray(local @ np.linalg.inv(kept))
            if np.abs(turn @ turn.T - np.eye(3)).max() < 1e-9 and np.linalg.det(turn) > 0:
                return turn, kept
        turn = rotations.rotation_part(local)
        return turn, turn.T @ local

    def _untouched(self, key: int) -> bool:
        """Whether a joint stands to its parent as it did: then it keeps its numbers to the last bit."""
        before = self.character.skeleton
        if key >= len(before) or self.joints[key].parent != int(before.parents[key]):
            return False
        up = self.joints[key].parent
        return all(np.array_equal(self.joints[k].world, before.rest_global[k]) for k in (key, up) if k >= 0)

    def _check(self) -> None:
        names: set[str] = set()
        for joint in self.joints.values():
            if not joint.name.strip():
                raise BadEditError("A joint needs a name.")
            if joint.name in names:
                raise BadEditError(f"There is a joint called “{joint.name}” already.")
            names.add(joint.name)
            if not np.isfinite(joint.world).all():
                raise BadEditError("The place of a joint has to be three finite numbers.")
            if joint.parent >= 0 and abs(np.linalg.det(self.joints[joint.parent].world[:3, :3])) < 1e-12:
                flat = self.joints[joint.parent].name
                raise BadEditError(f"“{flat}” is squashed flat: nothing below it can be moved.")

    def _order(self) -> list[int]:
        """Keys, parents before children, otherwise as they were."""
        order: list[int] = []
        seen: set[int] = set()
        waiting = sorted(self.joints, reverse=True)
        while waiting:
            key = waiting.pop()
            if key in seen:
                continue
            chain, up = [key], self.joints[key].parent
            while up >= 0 and up not in seen:
                if up in chain:
                    raise BadEditError(f"“{self.joints[up].name}” would hang on itself: choose another parent.")
                chain.append(up)
                up = self.joints[up].parent
            for k in reversed(chain):
                seen.add(k)
                order.append(k)
        return order
