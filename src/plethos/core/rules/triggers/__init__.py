"""Triggers: rules that turn joints and values into values.

A new kind is one new file here that defines a class with the members of `Trigger` and is listed in `KINDS`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, ClassVar, Protocol

from plethos.core.errors import BadEditError
from plethos.core.rules.moment import Places, Slot, Step
from plethos.core.rules.triggers.dial import DialTrigger
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.rules.triggers.pose_set import PoseSet
from plethos.core.rules.triggers.product import ProductTrigger
from plethos.core.skeleton.mapping import IdMap, JointMap
from plethos.core.skeleton.skeleton import Skeleton


class Trigger(Protocol):
    """What every kind of trigger can do. Its values are named by ids: its own, or one for each pose of a set."""

    kind: ClassVar[str]

    @property
    def id(self) -> str: ...
    @property
    def name(self) -> str: ...

    def reads(self) -> frozenset[Slot]:
        """The joints and values that it depends on."""
        ...

    def writes(self) -> tuple[str, ...]:
        """The values that it gives, in the order of what they stand for."""
        ...

    def mapped(self, joints: JointMap, ids: IdMap) -> Trigger:
        """The same trigger on a changed skeleton that still has its joints, or on the other side."""
        ...

    def to_document(self, skeleton: Skeleton) -> dict[str, Any]:
        """As plain data, joints by name, angles in degrees."""
        ...

    @classmethod
    def from_document(cls, document: Mapping[str, Any], skeleton: Skeleton) -> Trigger:
        """The trigger that `to_document` wrote."""
        ...

    @staticmethod
    def packed(triggers: Sequence[Any], places: Places) -> Step:
        """All triggers of this kind on one level of a program as one compiled step."""
        ...


KINDS: dict[str, type[Trigger]] = {t.kind: t for t in (HingeTrigger, DialTrigger, ProductTrigger, PoseSet)}


def trigger_from_document(document: Mapping[str, Any], skeleton: Skeleton) -> Trigger:
    """Read a trigger of any kind.

    Raises
    ------
    BadEditError
        For a kind that this version does not know.
    """
    kind = KINDS.get(str(document.get("kind")))
    if kind is None:
        raise BadEditError(f"This version knows no trigger of the kind “{document.get('kind')}”.")
    return kind.from_document(document, skeleton)
