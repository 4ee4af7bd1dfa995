"""Triggers: rules that turn joints and values into values.

A new kind is one new file here that defines a class with the members of `Trigger` and is listed in `KINDS`.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from plethos.core.errors import BadEditError
from plethos.core.rules.triggers.dial import DialTrigger
from plethos.core.rules.triggers.hinge import HingeTrigger
from plethos.core.rules.triggers.pose_set import PoseSet
from plethos.core.rules.triggers.product import ProductTrigger
from plethos.core.rules.triggers.trigger import Trigger
from plethos.core.skeleton.skeleton import Skeleton

KINDS: dict[str, type[Trigger]] = {t.kind: t for t in (HingeTrigger, DialTrigger, ProductTrigger, PoseSet)}

__all__ = ["KINDS", "Trigger", "trigger_from_document"]


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
