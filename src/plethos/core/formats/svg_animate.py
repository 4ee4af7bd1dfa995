"""A drawing over a clip as an animated SVG (SMIL): the corrections are in its paths, nothing has to be worked out."""

from __future__ import annotations

import numpy as np

from plethos.core.formats.drawn_frames import Frames, Thing
from plethos.core.formats.svg_file import Canvas
from plethos.core.formats.svg_write import (
    band_attributes,
    fill_attributes,
    label_of,
    num,
    opening,
    path_data,
    rings_data,
    stroke_attributes,
    text_of,
)
from plethos.core.geometry.outlines import Stroke
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.stroke_outline import ribbon

TIMES = 'repeatCount="indefinite" calcMode="linear"'


def animated_svg(frames: Frames, canvas: Canvas, title: str) -> str:
    """The text of the file."""
    out = [opening(canvas), f"<desc>{text_of(title)}</desc>"]
    spans = frames.spans()
    for order in dict.fromkeys(o for _, _, o in spans):
        shown = [k for k, own in enumerate(frames.orders) if own == order]
        if len(shown) < len(frames):
            # Where the order of painting changes, the whole is there once for each order, and one of them is seen.
            told = ";".join("visible" if own == order else "hidden" for own in frames.orders)
            out.append(f'<g><animate attributeName="visibility" dur="{num(frames.seconds)}s" repeatCount="indefinite" '
                       f'calcMode="discrete" values="{told}"/>')  # fmt: skip
        last = ""
        for thing in frames.things(order):
            if thing.part.name != last:
                out += ["</g>"] * bool(last) + [f"<g {label_of(thing.part.name)}>"]
                last = thing.part.name
            out += _thing(thing, frames.seconds)
        out += ["</g>"] * (bool(last) + (len(shown) < len(frames)))
    return "\n".join([*out, "</svg>", ""])


def _thing(thing: Thing, seconds: float) -> list[str]:
    drawn, stroke = thing.drawn, thing.drawn.stroke
    widths = thing.stroke_widths if stroke is not None else np.ones(1)
    inside = [path_data(drawn, thing.surface, p.astype(np.float64), curved=True) for p in thing.points]
    if stroke is None or (widths is not None and thing.is_whole):
        return [_path(inside, fill_attributes(drawn), stroke, widths, seconds)]
    out = [_path(inside, fill_attributes(drawn), None, None, seconds)] if drawn.fill is not None else []
    if widths is not None:
        hidden = set(stroke.hidden)
        lines = [path_data(drawn, thing.surface, p.astype(np.float64), hidden, curved=True) for p in thing.points]
        out.append(_path(lines, 'fill="none"', stroke, widths, seconds))
    else:
        bands = [
            rings_data(ribbon(drawn, thing.surface, p.astype(np.float64), w))
            for p, w in zip(thing.points, thing.widths, strict=True)
        ]
        out.append(_path(bands, band_attributes(stroke), None, None, seconds))
    return out


def _path(lines: list[str], paint: str, stroke: Stroke | None, widths: Array | None, seconds: float) -> str:
    inner = []
    if len(set(lines)) > 1:
        inner.append(f'<animate attributeName="d" dur="{num(seconds)}s" {TIMES} values="{";".join(lines)}"/>')
    if stroke is not None:
        assert widths is not None
        paint += " " + stroke_attributes(stroke, float(widths[0]))
        if np.ptp(widths) > 0:
            told = ";".join(num(w) for w in widths)
            inner.append(
                f'<animate attributeName="stroke-width" dur="{num(seconds)}s" {TIMES} values="{told}"/>'
            )  # fmt: skip
    return f'<path d="{lines[0]}" {paint}>{"".join(inner)}</path>' if inner else f'<path d="{lines[0]}" {paint}/>'
