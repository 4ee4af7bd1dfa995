"""Values that a person, a clip or a file sets: dials, and the factors of groups."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from typing import Any

import numpy as np

from plethos.core.errors import BadEditError
from plethos.core.skeleton.names import new_id

MOST = 1e6


@dataclass(frozen=True)
class Dial:
    """A named value with limits.

    Parameters
    ----------
    low, high
        What it can be set to.
    start
        Where it stands when nobody sets it.
    """

    name: str
    low: float = 0.0
    high: float = 1.0
    start: float = 0.0
    id: str = field(default_factory=new_id)

    def __post_init__(self) -> None:
        if not -MOST <= self.low <= self.start <= self.high <= MOST or self.low == self.high:
            raise BadEditError("A dial needs a low end below its high end, and its start between them.")

    def to_document(self) -> dict[str, Any]:
        return asdict(self)

    @classmethod
    def from_document(cls, document: Mapping[str, Any]) -> Dial:
        try:
            low, high, start = (float(document[k]) for k in ("low", "high", "start"))
            return cls(str(document["name"]), low, high, start, str(document.get("id") or new_id()))
        except (KeyError, TypeError, ValueError, OverflowError):
            raise BadEditError("A dial needs a name, a low and a high end, and a start.") from None


@dataclass(frozen=True)
class Group:
    """Several remedies with one factor.

    Parameters
    ----------
    factor
        Multiplies the effect of the remedies in it, 0 or more.
    on
        Whether the remedies in it act when all do.
    """

    name: str
    factor: float = 1.0
    on: bool = True
    id: str = field(default_factory=new_id)

    def __post_init__(self) -> None:
        if not (0 <= self.factor <= MOST and np.isfinite(self.factor)):
            raise BadEditError("The factor of a group has to be 0 or more.")

    def to_document(self) -> dict[str, Any]:
        return asdict(self)

    @classmethod
    def from_document(cls, document: Mapping[str, Any]) -> Group:
        try:
            factor, on = float(document.get("factor", 1.0)), bool(document.get("on", True))
            return cls(str(document["name"]), factor, on, str(document.get("id") or new_id()))
        except (KeyError, TypeError, ValueError, OverflowError):
            raise BadEditError("A group needs a name and a factor.") from None
