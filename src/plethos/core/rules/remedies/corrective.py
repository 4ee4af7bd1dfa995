"""The corrective: shapes sculpted at activations of one value, before the skin."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Any, ClassVar

import numpy as np

from plethos.core.arrays import Arrays
from plethos.core.errors import BadEditError
from plethos.core.rules.remedies.body import Body, Stage
from plethos.core.skeleton.mapping import IdMap, JointMap, VertexMap, mapped_pose
from plethos.core.skeleton.pose import Pose
from plethos.core.skeleton.pose_files import pose_from_document
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skin.shape import Shape

APART = 0.02  # of the activation: targets closer to each other are one


@dataclass(frozen=True, eq=False)
class Target:
    """One sculpted shape.

    Parameters
    ----------
    shape
        The rest-space offsets.
    at
        The activation at which it is wholly on, above 0 and at most 1.
    pose
        The pose in which it was sculpted, as in a pose file.
    report
        What the solver found: see `SolveReport.to_json`.
    """

    shape: Shape
    at: float = 1.0
    pose: Mapping[str, Any] = field(default_factory=lambda: {"joints": {}})
    report: Mapping[str, Any] = field(default_factory=dict)

    def made_in(self, skeleton: Skeleton) -> Pose | None:
        """The pose in which it was sculpted, as far as its joints are there; None where it says nothing."""
        told = {n: e for n, e in (self.pose.get("joints") or {}).items() if n in skeleton.index_of}
        return pose_from_document(skeleton, {"joints": told}) if told else None


@dataclass(frozen=True, eq=False)
class Corrective(Body):
    """Targets in the order of their activations; the last, at 1, is the corrective itself, the others its in-betweens.

    Parameters
    ----------
    targets
        Ascending, one of them at 1. Between them straight lines through nothing at 0, as USD defines in-betweens.
    eased
        Whether the way between two targets starts and ends slowly.
    """

    targets: tuple[Target, ...]
    eased: bool = False
    kind: ClassVar[str] = "corrective"
    stage: ClassVar[Stage] = Stage.SHAPES

    def __post_init__(self) -> None:
        at = [t.at for t in self.targets]
        if not at or at[-1] != 1 or at[0] <= 0 or any(b - a < 1e-3 for a, b in pairwise(at)):
            raise BadEditError(
                "The targets of a corrective have to lie at different activations above 0, the last of them at 1."
            )

    @classmethod
    def of(
        cls, shape: Shape, pose: Mapping[str, Any] | None = None, report: Mapping[str, Any] | None = None
    ) -> Corrective:
        """A corrective without in-betweens."""
        return cls((Target(shape, 1.0, pose or {"joints": {}}, report or {}),))

    @property
    def shapes(self) -> tuple[Shape, ...]:
        return tuple(t.shape for t in self.targets)

    def weights(self, activation: float) -> tuple[float, ...]:
        """How much of each target is on: hat functions over their activations."""
        at = np.array([0.0, *(t.at for t in self.targets)])
        hats = np.interp(min(max(activation, 0.0), 1.0), at, np.arange(len(at)))
        shares = np.clip(1 - np.abs(np.arange(1, len(at)) - hats), 0, 1)
        if self.eased:
            shares = shares * shares * (3 - 2 * shares)
        return tuple(shares.tolist())

    def with_target(self, target: Target) -> Corrective:
        """With one more target, or another in place of the one at its activation."""
        others = [t for t in self.targets if abs(t.at - target.at) > 1e-6]
        return replace(self, targets=tuple(sorted([*others, target], key=lambda t: t.at)))

    def furthered(self, share: float, target: Target) -> Corrective:
        """With a target beyond the one at 1: it is the corrective then, the others lie at that share of the way."""

        def nearer(own: Target) -> Target:
            at = round(own.at * share, 6)
            name = target_name(target.shape.name, at) if own.at == 1 else own.shape.name
            return replace(own, at=at, shape=replace(own.shape, name=name))

        return replace(self, targets=(*map(nearer, self.targets), target))

    def target_at(self, at: float) -> Target:
        """The target at an activation.

        Raises
        ------
        BadEditError
            When there is none.
        """
        for target in self.targets:
            if abs(target.at - at) < 1e-6:
                return target
        raise BadEditError("That target is not there any more; it may have been deleted or undone.")

    def retimed(self, at: float, to: float) -> Corrective:
        """With an in-between at another activation.

        Raises
        ------
        BadEditError
            For the target at 1, or a place that is another's or not on the way.
        """
        self._refuse_last(self.target_at(at), "moved")
        taken = next((t for t in self.targets if abs(t.at - to) < APART and abs(t.at - at) > 1e-6), None)
        if not APART <= to <= 1 - APART or taken is not None:
            raise BadEditError(
                f"An in-between has to lie on the way, {100 * APART:.0f} % or more from rest and from other targets."
            )
        moved = [replace(t, at=to) if abs(t.at - at) < 1e-6 else t for t in self.targets]
        return replace(self, targets=tuple(sorted(moved, key=lambda t: t.at)))

    def without_target(self, at: float) -> Corrective:
        """Without an in-between.

        Raises
        ------
        BadEditError
            For the target at 1: without it there is no corrective.
        """
        gone = self.target_at(at)
        self._refuse_last(gone, "deleted by itself")
        return replace(self, targets=tuple(t for t in self.targets if t is not gone))

    @staticmethod
    def _refuse_last(target: Target, what: str) -> None:
        if target.at == 1:
            raise BadEditError(f"The target where the corrective is fully on cannot be {what}: it is the corrective.")

    def card(self, skeleton: Skeleton) -> dict[str, Any]:
        told = [
            {"at": t.at, "name": t.shape.name, "moved": len(t.shape.vertices), "pose": dict(t.pose)}
            for t in self.targets
        ]
        last = self.targets[-1]
        return {"targets": told, "eased": self.eased, "pose": dict(last.pose), "report": dict(last.report)}

    def mapped(
        self, joints: JointMap, vertices: VertexMap | None, ids: IdMap, skeleton: Skeleton, name: str
    ) -> Corrective:
        targets = tuple(
            replace(
                t,
                shape=t.shape.mapped(vertices, t.shape.name if vertices is None else target_name(name, t.at)),
                pose=mapped_pose(t.pose, joints, skeleton),
            )
            for t in self.targets
        )
        return replace(self, targets=targets)

    def to_document(self, skeleton: Skeleton, arrays: Arrays) -> dict[str, Any]:
        return {
            "eased": self.eased,
            "targets": [
                {
                    "at": t.at,
                    "name": t.shape.name,
                    "shape": arrays.put("offsets", t.shape.name, *_arrays(t.shape)),
                    "pose": dict(t.pose),
                    "report": dict(t.report),
                }
                for t in self.targets
            ],
        }

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton, arrays: Arrays) -> Corrective:
        try:
            targets = [
                Target(
                    _shape(str(t["name"]), arrays.get("offsets", t["shape"])),
                    float(t["at"]),
                    t.get("pose") or {"joints": {}},
                    t.get("report") or {},
                )
                for t in document["targets"]
            ]
        except (KeyError, TypeError, ValueError, OverflowError):
            raise BadEditError("A corrective needs targets, each with a name, an activation and a shape.") from None
        return cls(tuple(targets), bool(document.get("eased", False)))


def target_name(name: str, at: float) -> str:
    """What the shape of a target is called: as the corrective, with its activation in percent for an in-between."""
    return name if at == 1 else f"{name} {100 * at:.0f} %"


def _arrays(shape: Shape) -> Sequence[Any]:
    given = [shape.vertices, shape.deltas]
    return given if shape.channels is None else [*given, shape.channels]


def _shape(name: str, arrays: Sequence[Any]) -> Shape:
    vertices, deltas, *channels = arrays
    return Shape(name, vertices, deltas, channels=channels[0] if channels else None)
