"""A character's past as the page reads it."""

from __future__ import annotations

from datetime import datetime

from pydantic import BaseModel, Field

from plethos.service.schemas.common import Schema


class PastStep(BaseModel):
    """One step."""

    label: str
    made_at: datetime


class NamedState(BaseModel):
    """A state that was given a name; `changed` says what is different now."""

    id: str
    name: str
    picture: bool
    label: str
    made_at: datetime
    changed: list[str]


class PastInfo(BaseModel):
    """How many steps there are, the newest of them, and the states that have a name."""

    steps: int
    newest: list[PastStep]
    named: list[NamedState]


class NameState(Schema):
    """What the present state is to be called."""

    name: str = Field(max_length=200)


class ThinPast(Schema):
    """How many of the newest steps are kept."""

    keep: int = Field(ge=1, le=100_000)


class Thinned(BaseModel):
    """How many steps went."""

    gone: int
