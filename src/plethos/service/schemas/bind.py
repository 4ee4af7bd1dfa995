"""Schemas of weights and picked regions."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field, FiniteFloat

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.regions import pick
from plethos.core.skin.picked import PICKED
from plethos.service.schemas.common import PoseBody, Schema
from plethos.service.schemas.tools import PaintBrush


class WeightFinding(BaseModel):
    """Something wrong with the weights, and where to look."""

    kind: Literal["unnormalised", "stray", "over_limit", "unmirrored", "hard_step"]
    joint: str | None
    vertices: int
    worst: float
    at: tuple[float, float, float]


class MendWeights(Schema):
    kind: Literal["stray", "over_limit", "unmirrored", "hard_step"]
    joint: str | None = None


class VertexChoice(Schema):
    """Which vertices an edit of weights is for: a part, the connected piece of a triangle, or a region."""

    part: str | None = None
    piece: int | None = Field(default=None, ge=0)
    region: str | None = Field(default=None, description="By name; empty for what is picked.")

    def shares(self, character: Character) -> NDArray[np.float32]:
        """How much each vertex ``(V,)`` is meant.

        Raises
        ------
        BadEditError
            When nothing is picked, or no such part or triangle is there.
        """
        if self.part is not None:
            return pick.by_part(character, self.part)
        if self.piece is not None:
            t = character.mesh.topology.triangles
            return pick.by_piece(character.mesh.topology, int(t[self.piece, 0]) if self.piece < len(t) else -1)
        shares = character.region(self.region or PICKED)
        if not shares.any():
            raise BadEditError("Nothing is picked yet: stroke over the skin, or pick a piece, a part or a joint.")
        return shares

    @property
    def label(self) -> str:
        """What to call it in the name of an edit."""
        return self.part or ("a piece" if self.piece is not None else self.region or "the region")


class GiveTo(Schema):
    target: VertexChoice
    joint: str


class CopyWeights(Schema):
    """From the closest surface of a part, or from one vertex."""

    target: VertexChoice
    from_part: str | None = None
    from_vertex: int | None = Field(default=None, ge=0)


class FillWeights(PaintBrush):
    """What the brush does, to a whole region at once."""

    target: VertexChoice
    value: float = Field(default=1.0, ge=0, le=1)
    strength: float = Field(default=1.0, ge=0, le=1)
    mirror: bool = True


class EvenOut(Schema):
    joint: str
    mirror: bool = True


class Pick(Schema):
    """What to pick, and whether instead of what is picked, too, or no more."""

    by: Literal["piece", "part", "joint", "loop", "region", "all"]
    how: Literal["only", "add", "take"] = "add"
    name: str = ""
    triangle: int = -1
    at: tuple[FiniteFloat, FiniteFloat, FiniteFloat] = (0.0, 0.0, 0.0)
    least: float = Field(default=0.05, ge=0, le=1, description="The least weight that counts as following a joint.")


class PickInPose(Pick):
    """What to pick, in the pose that the place on the skin is said of."""

    pose: PoseBody = Field(default_factory=PoseBody)
    mirror: bool = True


class ReshapeRegion(Schema):
    how: Literal["grow", "shrink", "soften", "invert", "none"]
    width_m: float = Field(default=0.05, gt=0, le=1000)


class KeepRegion(Schema):
    name: str = Field(min_length=1, max_length=120)


class RegionInfo(BaseModel):
    """A kept region; the one without a name is what is picked."""

    name: str
    vertices: int


class AutomaticWeights(Schema):
    """null joints: all of them; null region: everywhere, empty: what is picked."""

    joints: list[str] | None = None
    region: str | None = None


class VertexWeight(BaseModel):
    joint: str
    weight: float


class SetWeight(BaseModel):
    joint: str
    weight: float
    locked: list[str] = []
    mirror: bool = True
