"""What each tool of a desk is set to, and the touches that a page sends."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, FiniteFloat

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.sculpt.session import Dab
from plethos.service.schemas.common import Axis, Schema


class Within(Schema):
    """A region that a brush is kept to, or kept out of; empty for what is picked."""

    region: str = ""
    outside: bool = False

    def shares(self, character: Character) -> NDArray[np.float32]:
        """How much the brush does at each vertex ``(V,)``.

        Raises
        ------
        BadEditError
            When the region holds no vertex.
        """
        shares = character.region(self.region)
        if not shares.any():
            raise BadEditError("The region holds no vertex: pick some first, or let the brush work everywhere.")
        return 1 - shares if self.outside else shares


class SculptSettings(Schema):
    tool: Literal["sculpt"] = "sculpt"
    brush: str
    within: Within | None = None
    border_stays: bool = Field(default=True, description="Vertices on borders, and where another part's touch, stay.")
    mirror: bool = Field(default=False, description="The other side moves alike; refused where the pose is not.")
    through: bool = Field(default=False, description="Other pieces that the same joints move come along.")


class OutlineSettings(Schema):
    """A brush over the outlines of a drawing; the triangle of its touches is a vertex of an outline."""

    tool: Literal["outline"] = "outline"
    brush: Literal["move", "roundness", "width", "smooth", "put_back"]
    picked: tuple[int, ...] = Field(default=(), max_length=20_000, description="Control points that move together.")
    others: bool = Field(default=False, description="Points of other outlines within the brush come along.")


class PaintBrush(Schema):
    """What the brush for weights is set to: see `core.weights.paint.Paint`."""

    mode: Literal["add", "subtract", "replace", "smooth", "even"]
    joint: str
    value: FiniteFloat = 1.0
    strength: FiniteFloat = 1.0
    locked: tuple[str, ...] = ()
    mirror: bool = False


class PaintSettings(PaintBrush):
    tool: Literal["paint"] = "paint"
    within: Within | None = None


class PickSettings(Schema):
    tool: Literal["pick"] = "pick"
    take: bool = False
    mirror: bool = False


class MaskSettings(Schema):
    """Which remedy's mask, and what the brush does to it."""

    tool: Literal["mask"] = "mask"
    remedy_id: str
    mode: Literal["add", "take", "smooth"] = "add"


ToolSettings = Annotated[
    SculptSettings | OutlineSettings | PaintSettings | PickSettings | MaskSettings, Field(discriminator="tool")
]


class DabBody(Schema):
    """One touch of a brush: a triangle and a place on it in the world, metres."""

    triangle: int
    at: Axis
    radius: FiniteFloat
    strength: FiniteFloat
    drag: Axis = (0.0, 0.0, 0.0)
    falloff: FiniteFloat = 1.0

    def dab(self) -> Dab:
        return Dab(self.triangle, self.at, self.radius, self.strength, self.drag, self.falloff)
