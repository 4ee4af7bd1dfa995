"""The frames of a drawing as pictures."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable

import resvg_py

from plethos.core.errors import BadEditError
from plethos.core.evaluate import Posed
from plethos.core.formats.drawn_frames import Frames
from plethos.core.formats.svg_file import Canvas
from plethos.core.formats.svg_write import svg_of

LEAST_PIXELS, MOST_PIXELS = 16, 4096


def pictures(
    frames: Frames, canvas: Canvas, width: int, progress: Callable[[float], None] = lambda share: None
) -> bytes:
    """A ZIP file of one PNG for each frame, so many pixels across: ``0000.png``, ``0001.png``, …

    Raises
    ------
    BadEditError
        For a width that is too small or too large.
    """
    if not LEAST_PIXELS <= width <= MOST_PIXELS:
        raise BadEditError(f"The width of the frames has to lie between {LEAST_PIXELS} and {MOST_PIXELS} pixels.")
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:  # PNG is packed already
        for k in range(len(frames)):
            widths = frames.widths[k][:, None]
            text = svg_of(frames.character, canvas, frames.points[k], widths, None, frames.orders[k])
            archive.writestr(f"{k:04d}.png", _drawn(text, width))
            progress((k + 1) / len(frames))
    return out.getvalue()


def picture_of(posed: Posed, canvas: Canvas, width: int) -> bytes:
    """A drawing in a pose as a PNG, so many pixels across."""
    text = svg_of(posed.character, canvas, posed.points, posed.channels, None, posed.order)
    return _drawn(text, width)


def _drawn(text: str, width: int) -> bytes:
    return bytes(resvg_py.svg_to_bytes(svg_string=text, width=width, skip_system_fonts=True))
