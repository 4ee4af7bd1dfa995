"""One remedy: a body, the value that it is tied to, and how much of it acts."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from plethos.core.arrays import Arrays
from plethos.core.errors import BadEditError
from plethos.core.rules.moment import Slot
from plethos.core.rules.remedies.body import Body
from plethos.core.rules.remedies.corrective import Corrective
from plethos.core.rules.remedies.helper import Helper
from plethos.core.rules.remedies.order import Order
from plethos.core.rules.remedies.relaxer import Relaxer
from plethos.core.rules.remedies.skin_blend import SkinBlend
from plethos.core.rules.remedies.volume_keeper import VolumeKeeper
from plethos.core.skeleton.mapping import IdMap, JointMap, VertexMap
from plethos.core.skeleton.names import new_id
from plethos.core.skeleton.skeleton import Skeleton
from plethos.core.skin.mask import Mask

KINDS: dict[str, type[Body]] = {b.kind: b for b in (Corrective, Helper, SkinBlend, Relaxer, VolumeKeeper, Order)}
MOST_AMOUNT = 4.0


@dataclass(frozen=True, eq=False)
class Remedy:
    """Anything that restores volume or removes pinching.

    Parameters
    ----------
    body
        What it does.
    name
        Unique among the remedies.
    by
        The id of the value that it is tied to; what it reads is clamped to [0, 1]. None = untied: a corrective is off
        then, all else always on.
    on
        Whether it acts when all do.
    amount
        A factor on its effect, 1 = as made.
    group
        The id of the group that it belongs to.
    twin
        The id of the same remedy on the other side.
    notes
        Sentences that someone should read about it.
    """

    body: Body
    name: str
    by: str | None = None
    on: bool = True
    amount: float = 1.0
    group: str | None = None
    twin: str | None = None
    notes: tuple[str, ...] = ()
    id: str = field(default_factory=new_id)

    @property
    def kind(self) -> str:
        return self.body.kind

    @property
    def sculpted(self) -> Corrective | None:
        """What is sculpted of it: shapes at activations; None for what has none."""
        return self.body if isinstance(self.body, Corrective) else None

    def shapes_or_refuse(self, why: str) -> Corrective:
        """What is sculpted of it.

        Raises
        ------
        BadEditError
            “NAME” and why, when it has no shapes.
        """
        if self.sculpted is None:
            raise BadEditError(f"“{self.name}” {why}")
        return self.sculpted

    @property
    def mask(self) -> Mask | None:
        """The skin that it acts on, or that follows it; None for what has no mask."""
        found = getattr(self.body, "mask", None)
        return found if isinstance(found, Mask) else None

    def with_mask(self, mask: Mask) -> Remedy:
        """The same on other skin; only for what has a mask."""
        return replace(self, body=replace(self.body, mask=mask))  # type: ignore[type-var]

    def reads(self) -> frozenset[Slot]:
        """The joints and values that it depends on."""
        tied: frozenset[Slot] = frozenset() if self.by is None else frozenset({self.by})
        return self.body.reads() | tied

    def noted(self, sentence: str) -> Remedy:
        """The same with one more sentence among its notes."""
        return self if sentence in self.notes else replace(self, notes=(*self.notes, sentence))

    def mapped(
        self, joints: JointMap, vertices: VertexMap | None, ids: IdMap, skeleton: Skeleton, name: str | None = None
    ) -> Remedy:
        """The same on a changed skeleton, or on the other side: see `Body.mapped`."""
        label = name or self.name
        return replace(
            self,
            body=self.body.mapped(joints, vertices, ids, skeleton, label),
            name=label,
            by=None if self.by is None else ids.get(self.by, self.by),
            id=ids.get(self.id, self.id),
            twin=self.id if self.id in ids else self.twin,
        )

    def to_document(self, skeleton: Skeleton, arrays: Arrays) -> dict[str, Any]:
        """As plain data."""
        return {
            "kind": self.kind,
            "id": self.id,
            "name": self.name,
            "by": self.by,
            "on": self.on,
            "amount": self.amount,
            "group": self.group,
            "twin": self.twin,
            "notes": list(self.notes),
            **self.body.to_document(skeleton, arrays),
        }


def remedy_from_document(document: Mapping[str, Any], skeleton: Skeleton, arrays: Arrays) -> Remedy:
    """Read a remedy of any kind.

    Raises
    ------
    BadEditError
        For a kind that this version does not know, or broken numbers.
    """
    kind = KINDS.get(str(document.get("kind")))
    if kind is None:
        raise BadEditError(f"This version knows no remedy of the kind “{document.get('kind')}”.")
    try:
        amount = float(document.get("amount", 1.0))
    except (TypeError, ValueError, OverflowError):
        amount = math.nan
    if not 0 <= amount <= MOST_AMOUNT:
        raise BadEditError(f"The amount of a remedy has to lie between 0 and {MOST_AMOUNT:.0f}.")
    notes = document.get("notes") or ()
    if not isinstance(notes, list | tuple):
        raise BadEditError("The notes of a remedy have to be a list of sentences.")
    by, group, twin = (None if document.get(k) is None else str(document[k]) for k in ("by", "group", "twin"))
    return Remedy(
        body=kind.from_document(document, skeleton, arrays),
        name=str(document.get("name") or "Remedy"),
        by=by,
        on=bool(document.get("on", True)),
        amount=amount,
        group=group,
        twin=twin,
        notes=tuple(str(n) for n in notes),
        id=str(document.get("id") or new_id()),
    )
