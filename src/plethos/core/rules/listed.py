"""Lists of what has an id: one of the same id takes its place, another comes last."""

from __future__ import annotations

from typing import Protocol, TypeVar


class Known(Protocol):
    """What has an id."""

    @property
    def id(self) -> str: ...


One = TypeVar("One", bound=Known)


def put(those: tuple[One, ...], one: One) -> tuple[One, ...]:
    """With one in the place of that of its id, or at the end."""
    if any(k.id == one.id for k in those):
        return tuple(one if k.id == one.id else k for k in those)
    return (*those, one)
