"""Strokes as a page makes them: at a desk, stored when they end."""

from __future__ import annotations

from plethos.service.desk.desk import Desk
from plethos.service.schemas.tools import PaintSettings, PickSettings, SculptSettings
from plethos.service.tools.mask_strokes import MaskTool
from plethos.service.tools.outline_strokes import OutlineTool
from plethos.service.tools.paint_strokes import PaintTool
from plethos.service.tools.pick_strokes import PickTool
from plethos.service.tools.sculpt_strokes import SculptTool

TOOLS = {
    "sculpt": SculptTool(), "outline": OutlineTool(), "paint": PaintTool(), "pick": PickTool(), "mask": MaskTool()
}  # fmt: skip


def desk(opened) -> Desk:
    """A desk of its own on a character."""
    return Desk(opened, TOOLS)


def paint(bench, opened, pose, dabs, joint, mode="replace", value=1.0, strength=1.0, **more) -> None:
    """One stroke of weights."""
    at = desk(opened)
    at.touch(
        at.version, "paint", pose, PaintSettings(mode=mode, joint=joint, value=value, strength=strength, **more), dabs
    )
    at.end_stroke(bench)


def pick(bench, opened, pose, dabs, take=False, mirror=False) -> None:
    """One stroke that picks."""
    at = desk(opened)
    at.touch(at.version, "pick", pose, PickSettings(take=take, mirror=mirror), dabs)
    at.end_stroke(bench)


def sculpt(bench, opened, brush, dab, within=None) -> None:
    """One stroke on the held skin."""
    at = desk(opened)
    at.touch(
        at.version, "sculpt", opened.character.skeleton.rest_pose(), SculptSettings(brush=brush, within=within), [dab]
    )
    at.end_stroke(bench)
