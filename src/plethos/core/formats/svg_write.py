"""Character -> SVG: a drawing in a pose, with its joints and rules if they are wanted.

SVG knows one width for a stroke and one stroke for a path. What has more (a width that varies, an edge without
stroke) is painted in pieces inside of a group, and the group's own attributes say what it is, so that it comes back.
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from xml.sax.saxutils import escape, quoteattr

import numpy as np
from numpy.typing import NDArray

from plethos.core.character import Character
from plethos.core.errors import BadEditError
from plethos.core.formats.svg_clean import OWN, SVG
from plethos.core.formats.svg_file import Canvas, SvgFile
from plethos.core.formats.svg_read import bare_drawing
from plethos.core.formats.svg_rules import rules_of_drawing
from plethos.core.geometry.outlines import AFTER, BEFORE, POINT, Drawn, Fill, Outlines, Stroke
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.stroke_outline import stroke_polygon
from plethos.core.geometry.topology import extent
from plethos.core.skin.mesh import Part

STILL = 1e-9  # of the height: less is no movement


def write_drawing(character: Character, file: SvgFile) -> bytes:
    """The drawing at rest with its joints, weights, rules and clips; it comes back whole."""
    bare = bare_drawing(file, character.name)
    rules = json.dumps(rules_of_drawing(character, bare), ensure_ascii=False, separators=(",", ":"), allow_nan=False)
    return svg_of(character, file.canvas, character.mesh.points, character.mesh.channels, rules=rules).encode()


def svg_of(
    character: Character,
    canvas: Canvas,
    points: NDArray[np.floating],
    channels: NDArray[np.floating] | None = None,
    rules: str | None = None,
    order: tuple[int, ...] | None = None,
) -> str:
    """A drawing as SVG text.

    Parameters
    ----------
    points
        ``(V, 3)`` in the world.
    channels
        ``(V, 1)`` stroke widths; None = as drawn.
    rules
        JSON for the metadata.
    order
        The parts by number in the order of painting; None = as drawn.
    """
    out = [opening(canvas), f"<title>{text_of(character.name)}</title>"]
    if rules is not None:
        out.append(f"<metadata><plethos:rules>{text_of(rules)}</plethos:rules></metadata>")
    given = character.mesh.channels if channels is None else channels
    widths = np.ones(len(points)) if given is None else np.asarray(given, np.float64)[:, 0]
    parts = character.mesh.parts
    for number in order or range(len(parts)):
        part = parts[number]
        if isinstance(part.surface, Outlines):
            own = slice(*part.vertices)
            places = np.asarray(points[own], np.float64)
            still = bool(np.abs(places - character.mesh.rest[own]).max() <= STILL * extent(character.mesh.rest))
            out += _part(part, part.surface, places, widths[own], still)
    return "\n".join([*out, "</svg>", ""])


def _part(part: Part, surface: Outlines, points: Array, widths: Array, still: bool) -> list[str]:
    drawn = [_drawn(d, surface, points, widths, still) for d in surface.drawn]
    return [f"<g {label_of(part.name)}>", *drawn, "</g>"]


def _drawn(drawn: Drawn, surface: Outlines, points: Array, widths: Array, still: bool) -> str:
    label = label_of(drawn.name)
    line = escape(drawn.told, {'"': "&quot;"}) if still and drawn.told else path_data(drawn, surface, points)
    stroke = drawn.stroke
    fill = fill_attributes(drawn)
    if stroke is None:
        return f'<path {label} d="{line}" {fill}/>'
    controls = surface.controls(drawn)
    own = widths[3 * controls]
    uniform = float(own.max() - own.min()) <= 1e-6 * max(float(own.max()), 1e-12)
    hidden = set(stroke.hidden)
    if uniform and not hidden & set(controls.tolist()):
        return f'<path {label} d="{line}" {fill} {stroke_attributes(stroke, float(own[0]))}/>'
    first = int(controls[0])
    marks = f'plethos:d="{line}" plethos:widths="{" ".join(num(x) for x in own)}"'
    told = sorted(k - first for k in hidden)
    marks += f' plethos:hidden="{" ".join(map(str, told))}"' if told else ""
    pieces = [f'<path d="{line}" {fill}/>'] if drawn.fill is not None else []
    if uniform:
        open_line = path_data(drawn, surface, points, hidden)
        pieces.append(f'<path d="{open_line}" fill="none" {stroke_attributes(stroke, float(own[0]))}/>')
    else:
        ring = rings_data(stroke_polygon(drawn, surface, points, widths))
        pieces.append(f'<path d="{ring}" {band_attributes(stroke)} fill-rule="nonzero"/>')
    return f"<g {label} {marks} {fill} {stroke_attributes(stroke, float(own[0]))}>{''.join(pieces)}</g>"


def opening(canvas: Canvas) -> str:
    """The tag that a drawing begins with."""
    x, y, w, h = canvas.view
    size = "".join(f" {k}={quoteattr(v)}" for k, v in (("width", canvas.width), ("height", canvas.height)) if v)
    return f'<svg xmlns="{SVG}" xmlns:plethos="{OWN}" viewBox="{num(x)} {num(y)} {num(w)} {num(h)}"{size}>'


def fill_attributes(drawn: Drawn) -> str:
    """The attributes that paint the inside."""
    fill = drawn.fill
    if fill is None:
        return 'fill="none"'
    return _covered(fill) + (' fill-rule="evenodd"' if fill.rule == "evenodd" else "")


def band_attributes(stroke: Stroke) -> str:
    """The attributes that paint a line as an area, since its width varies."""
    return _covered(stroke)


def _covered(paint: Fill | Stroke) -> str:
    faint = f' fill-opacity="{num(paint.opacity)}"' if paint.opacity < 1 else ""
    return f'fill="{paint.colour}"{faint}'


def stroke_attributes(stroke: Stroke, width: float) -> str:
    """The attributes that paint a line of one width."""
    out = [f'stroke="{stroke.colour}"', f'stroke-width="{num(width)}"']
    for name, value, usual in (
        ("opacity", num(stroke.opacity), "1"), ("linecap", stroke.cap, "butt"), ("linejoin", stroke.join, "miter"),
        ("miterlimit", num(stroke.miter), "4"), ("dasharray", stroke.dashes, ""),
    ):  # fmt: skip
        if value != usual:
            out.append(f"stroke-{name}={quoteattr(value)}")
    return " ".join(out)


def path_data(
    drawn: Drawn, surface: Outlines, points: Array, hidden: set[int] | None = None, curved: bool = False
) -> str:
    """What ``d`` says of a drawn thing, y down.

    Parameters
    ----------
    points
        ``(N, 3)`` of the part.
    hidden
        Control points whose edge to the next is left out.
    curved
        Write straight segments as curves too: all frames of an animation have the same commands.
    """
    out = []
    for number in drawn.curves:
        curve = surface.curves[number]
        own = points[3 * curve.first : 3 * (curve.first + curve.count), :2].reshape(-1, 3, 2) * [1, -1]
        controls = list(curve.controls)
        pen = False
        for k in range(curve.count if curve.closed else curve.count - 1):
            if hidden is not None and controls[k] in hidden:
                pen = False
                continue
            if not pen:
                out.append(f"M{_at(own[k, POINT])}")
                pen = True
            a, b = own[k], own[(k + 1) % curve.count]
            last = curve.closed and k == curve.count - 1 and not (hidden and hidden & set(controls))
            if not curved and (a[POINT] == a[AFTER]).all() and (b[POINT] == b[BEFORE]).all():
                out.append("" if last else f"L{_at(b[POINT])}")
            else:
                out.append(f"C{_at(a[AFTER])} {_at(b[BEFORE])} {_at(b[POINT])}")
            if last:
                out.append("Z")
    return "".join(out)


def rings_data(rings: Iterable[Array]) -> str:
    """What ``d`` says of rings ``(N, 2)``, y up."""
    return "".join("M" + "L".join(f"{num(a)} {num(-b)}" for a, b in ring) + "Z" for ring in rings)


def _at(point: Array) -> str:
    return f"{num(point[0])} {num(point[1])}"


def num(value: float) -> str:
    """The shortest number that a float32 is known by: what came in as 282.29 goes out so."""
    if abs(value) < 1e-9:
        return "0"
    text = str(np.float32(value))
    return text[:-2] if text.endswith(".0") else text


def _clean(text: str) -> str:
    return "".join(c for c in text if c >= " " and c not in "\ufffe\uffff")


def text_of(text: str) -> str:
    """Text as a document holds it."""
    return escape(_clean(text))


def label_of(name: str) -> str:
    """The attribute that says what something is called: ids are unique in a document, and say less."""
    return f"plethos:label={quoteattr(_clean(name))}"


def canvas_of(file: object) -> Canvas:
    """The canvas of a drawing's file.

    Raises
    ------
    BadEditError
        When it is no drawing.
    """
    if not isinstance(file, SvgFile):
        raise BadEditError("This is no drawing: it cannot be written as SVG.")
    return file.canvas
