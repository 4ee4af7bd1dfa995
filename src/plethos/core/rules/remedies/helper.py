"""Helper joints: joints that turn, move and grow by rule, and the skin that follows those we made."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from plethos.core.arrays import Arrays
from plethos.core.errors import BadEditError
from plethos.core.geometry.rotations import Array
from plethos.core.rules.moment import Moment, Places, Slot, Step
from plethos.core.rules.remedies import helper_kernels
from plethos.core.rules.remedies.body import Body, Stage
from plethos.core.rules.remedies.helper_rules import ORDER, HelperRule, rule_from_document
from plethos.core.rules.response import Response, packed_curves
from plethos.core.skeleton.mapping import IdMap, JointMap, VertexMap
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skin.mask import Mask

MOVING = ("slide", "push", "anchor")  # rules that move a joint, not only turn it


@dataclass(frozen=True, eq=False)
class Helper(Body):
    """A joint that follows rules while it acts; then what pose and clip give it counts for nothing.

    Parameters
    ----------
    joint
        The joint that is turned.
    rules
        Anchor first, then shares, slides and pushes in this order, grow, limit.
    mask
        The skin that follows it, over what it is bound to: of a helper joint that we made, which is a leaf. None = the
        joint has weights of its own.
    """

    joint: int
    rules: tuple[HelperRule, ...]
    mask: Mask | None = None
    kind: ClassVar[str] = "helper"
    stage: ClassVar[Stage] = Stage.JOINTS

    def __post_init__(self) -> None:
        if not self.rules:
            raise BadEditError("A helper joint needs a rule that it follows.")

    def reads(self) -> frozenset[Slot]:
        return frozenset(slot for r in self.rules for slot in r.reads())

    def writes(self) -> frozenset[Slot]:
        return frozenset({self.joint})

    def drives(self) -> int | None:
        return self.joint

    def card(self, skeleton: Skeleton) -> dict[str, Any]:
        rules = [r.to_document(skeleton) for r in self.rules]
        return {"driven": skeleton.names[self.joint], "numbers": {"rules": rules}}

    def mapped(self, joints: JointMap, vertices: VertexMap | None, ids: IdMap, skeleton: Skeleton, name: str) -> Helper:
        there = joints.joint(self.joint)
        assert there is not None, "rules of joints that are gone are refused before"
        mask = None if self.mask is None else self.mask.mapped(vertices)
        return Helper(there, tuple(r.mapped(joints, ids, self.joint) for r in self.rules), mask)

    def to_document(self, skeleton: Skeleton, arrays: Arrays) -> dict[str, Any]:
        name = skeleton.names[self.joint]
        return {
            "joint": name,
            "rules": [r.to_document(skeleton) for r in self.rules],
            "mask": None if self.mask is None else arrays.put("shares", name, self.mask.vertices, self.mask.shares),
        }

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, arrays: Arrays) -> Helper:
        try:
            joint, given, mask = skeleton.find(str(document["joint"])), list(document["rules"]), document.get("mask")
        except (KeyError, TypeError):
            raise BadEditError("A helper needs a joint and rules that this version knows.") from None
        rules = tuple(rule_from_document(r, skeleton, joint) for r in given)
        return cls(joint, rules, None if mask is None else Mask(*arrays.get("shares", mask)))

    @staticmethod
    def packed(helpers: Sequence[tuple[str, str | None, Helper]], places: Places) -> Step:
        """All helpers of a level as one step, each with the id of its remedy and of the value it is tied to."""
        skeleton = places.skeleton
        ops = [
            rule.operation(places, h.joint)
            for _, _, h in helpers
            for rule in sorted(h.rules, key=lambda r: ORDER[r.kind])
        ]
        still = Response((0.0, 1.0), (0.0, 0.0))
        curve_at, knots = packed_curves([o.curve or still for o in ops])
        paths = [path for o in ops for path in o.paths]
        moves = any(r.kind in MOVING for _, _, h in helpers for r in h.rules)
        grows = any(r.kind == "grow" for _, _, h in helpers for r in h.rules)
        return _Helpers(
            moves,
            grows,
            (
                np.array(
                    [(h.joint, places.remedies[i], places.of(by)) for i, by, h in helpers], np.int32
                ).reshape(-1, 3),
                np.cumsum([0, *(len(h.rules) for _, _, h in helpers)]).astype(np.int32),
                np.array([(o.kind, o.source, o.part) for o in ops], np.int32).reshape(-1, 3),
                np.array(
                    [(*o.axis, o.middle, *o.turn, o.number, *o.along, o.low, o.high) for o in ops], np.float64
                ).reshape(-1, 14),
                curve_at,
                knots,
                np.cumsum([0, *(len(p) for p in paths)]).astype(np.int32),
                np.array([j for p in paths for j in p], np.int32),
                np.ascontiguousarray(skeleton.rest_translation, np.float64),
                np.ascontiguousarray(skeleton.rest_rotation, np.float64),
                np.ascontiguousarray(np.linalg.norm(skeleton.rest_stretch, axis=1)),
            ),
        )  # fmt: skip


@dataclass(frozen=True, eq=False)
class _Helpers:
    """`packed` holds what `helper_transforms` takes first."""

    moves: bool
    grows: bool
    packed: tuple[NDArray[Any], ...]

    def run(self, moment: Moment, gains: Array) -> None:
        if self.moves and not len(moment.translations):
            moment.translations = np.zeros((len(moment.rotations), 3))
        if self.grows and not len(moment.scales):
            moment.scales = np.full((len(moment.rotations), 3), np.nan)
        helper_kernels.helper_transforms(  # type: ignore[call-arg]
            *self.packed, gains, moment.values, moment.rotations, moment.translations, moment.scales
        )
