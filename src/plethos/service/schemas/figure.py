"""Schemas of the figure: joints, parts, and what a drawing paints."""

from __future__ import annotations

from pydantic import BaseModel, Field

from plethos.service.schemas.common import Axis, Quaternion


class JointInfo(BaseModel):
    """A joint for the body map, the list and the arcs."""

    index: int
    name: str
    parent: int
    at: tuple[float, float, float]
    turn: Quaternion = Field(description="Of its rest frame in the world, without any mirroring or stretch.")
    hinge_axis: Axis
    low_deg: float
    high_deg: float
    hinge_known: bool = Field(description="False = the axis and the range are a guess.")
    range_proposed: bool = Field(description="Whether the body proposes a range for it, while nobody has told one.")
    likely_range: str | None = Field(description="The range of motion that its name suggests.")
    bends: bool
    on_bone: bool = Field(description="It is a twist joint: it lies on the bone of its parent.")


class PartInfo(BaseModel):
    name: str
    vertices: int
    triangles: int
    drawn: tuple[int, int] = Field(description="The range of its triangles in the mesh that is drawn.")


class CurveInfo(BaseModel):
    """A run of control points: three vertices each, the point, the handle before it and the one after it."""

    first: int = Field(description="Its first vertex.")
    count: int
    closed: bool


class StrokeInfo(BaseModel):
    """How a line is painted, as SVG says it."""

    colour: str
    width: float = Field(description="At its first control point, as drawn.")
    opacity: float
    cap: str
    join: str
    miter: float
    dashes: str
    hidden: list[int] = Field(description="The first vertices of control points whose edge to the next has no stroke.")


class DrawnInfo(BaseModel):
    """One thing that a drawing paints: its inside, then its line."""

    part: str
    name: str
    curves: list[CurveInfo]
    fill: str | None
    fill_opacity: float
    even_odd: bool
    stroke: StrokeInfo | None


class DrawingInfo(BaseModel):
    """What of the plane a drawing shows, and what it paints, from back to front."""

    view: tuple[float, float, float, float] = Field(description="Its view box in the world, y up: low x, low y, size.")
    drawn: list[DrawnInfo]


class FigureInfo(BaseModel):
    """What changes seldom about a character: parts, joints, and what was mended on reading."""

    nodes: int = Field(description="How many joints and plain nodes a frame holds.")
    vertices: int
    triangles: int
    height: float
    mirror_x: float = Field(description="Where the plane between the two sides lies, metres.")
    lies: bool = Field(description="Whether it would stand if Z were up.")
    parts: list[PartInfo]
    joints: list[JointInfo]
    shapes: list[str]
    repairs: list[str]
    drawing: DrawingInfo | None = Field(default=None, description="What a drawing paints; null for a solid.")
