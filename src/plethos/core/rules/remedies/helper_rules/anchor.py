"""Anchor: a helper takes its place from one joint and its turn from another."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar

from plethos.core.errors import BadEditError
from plethos.core.rules.moment import Places, Slot
from plethos.core.rules.remedies import helper_kernels as kernels
from plethos.core.rules.remedies.helper_rules.rule import (
    Operation,
    there,
)
from plethos.core.skeleton.mapping import IdMap, JointMap
from plethos.core.skeleton.skeleton import Skeleton


@dataclass(frozen=True)
class Anchor:
    """Takes its place from one joint and its turn from another. Scales of joints do not count on the way.

    Parameters
    ----------
    place, turn
        The joints.
    paths
        See `Operation.paths`.
    """

    place: int
    turn: int
    paths: tuple[tuple[int, ...], ...]
    kind: ClassVar[str] = "anchor"

    @classmethod
    def of(cls, skeleton: Skeleton, helper: int, place: int, turn: int) -> Anchor:
        """The anchor of a helper.

        Raises
        ------
        BadEditError
            When it would hang on itself.
        """
        parent = int(skeleton.parents[helper])
        lines = [_line(skeleton, j) for j in (parent, place, turn)]
        if any(helper in line for line in lines):
            raise BadEditError(f"“{skeleton.names[helper]}” cannot be anchored to itself or to what hangs on it.")
        common = 0
        while all(len(line) > common for line in lines) and len({line[common] for line in lines}) == 1:
            common += 1
        return cls(place, turn, tuple(tuple(line[common:]) for line in lines))

    def reads(self) -> frozenset[Slot]:
        return frozenset(j for path in self.paths for j in path)

    def mapped(self, joints: JointMap, ids: IdMap, helper: int) -> Anchor:
        return Anchor.of(joints.after, there(joints, helper), there(joints, self.place), there(joints, self.turn))

    def to_document(self, skeleton: Skeleton) -> dict[str, Any]:
        return {"kind": self.kind, "place": skeleton.names[self.place], "turn": skeleton.names[self.turn]}

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, helper: int) -> Anchor:
        try:
            place, turn = skeleton.find(str(document["place"])), skeleton.find(str(document["turn"]))
        except (KeyError, TypeError):
            raise BadEditError("An anchor needs a joint for its place and one for its turn.") from None
        return cls.of(skeleton, helper, place, turn)

    def operation(self, places: Places, helper: int) -> Operation:
        return Operation(kernels.ANCHOR, paths=self.paths)


def _line(skeleton: Skeleton, joint: int) -> list[int]:
    """A joint's ancestors from the root down to it."""
    line = []
    while joint >= 0:
        line.append(joint)
        joint = int(skeleton.parents[joint])
    return line[::-1]
