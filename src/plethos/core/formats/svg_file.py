"""The container: an SVG document, read safely into painted shapes of cubic curves in its own user units.

`svg_clean` makes it safe first; `svg_paths` makes curves of its paths.
"""

from __future__ import annotations

import io
import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any
from xml.etree import ElementTree

import numpy as np
import svgelements  # type: ignore[import-untyped]

from plethos.core.errors import BadFileError
from plethos.core.formats.svg_clean import KEY, Reading, cleaned, rules_told, safe_tree, share_told
from plethos.core.formats.svg_lengths import in_user_units
from plethos.core.formats.svg_paths import runs_of
from plethos.core.formats.svg_size import check_controls, check_size, check_tags
from plethos.core.geometry.outlines import Fill, Stroke
from plethos.core.geometry.rotations import Array
from plethos.core.skeleton.names import free_name

MOST_BYTES = 40_000_000
NO_SIZE = (300.0, 150.0)  # of a document that says none, user units


@dataclass(frozen=True)
class Canvas:
    """What of the plane an SVG document shows: its view box in user units, and its size as it says it."""

    view: tuple[float, float, float, float]
    width: str = ""
    height: str = ""


@dataclass(frozen=True, eq=False)
class Subpath:
    """One run of control points.

    Parameters
    ----------
    controls
        ``(N, 3, 2)`` in user units, y down: each point, the handle before and the handle after it.
    widths
        ``(N,)`` of its stroke.
    """

    controls: Array
    widths: Array
    closed: bool


@dataclass(frozen=True, eq=False)
class SvgShape:
    """A painted shape, in the order of painting; shapes of one `group` that follow each other are one part."""

    name: str
    group: str
    subpaths: tuple[Subpath, ...]
    fill: Fill | None
    stroke: Stroke | None
    told: str = ""  # its path as the file says it, when nothing moves it


@dataclass(frozen=True)
class SvgFile:
    """A drawing's file.

    Parameters
    ----------
    data
        Its bytes as they came.
    shapes
        What is painted.
    rules
        What it holds of ours: see `svg_rules`. None = nothing.
    notes
        What was left out, as sentences.
    """

    data: bytes
    canvas: Canvas
    shapes: tuple[SvgShape, ...]
    rules: dict[str, Any] | None = None
    notes: tuple[str, ...] = ()

    def pack(self) -> bytes:
        """The file."""
        return self.data

    @property
    def buffers(self) -> tuple[bytes, ...]:
        """What of it takes memory."""
        return (self.data,)


def looks_like_svg(data: bytes) -> bool:
    """Whether bytes are meant to be an SVG document."""
    head = data[:4096].lstrip(b"\xef\xbb\xbf \t\r\n")
    return head.startswith(b"<") and (b"<svg" in data[:65536] or head.startswith(b"<?xml"))


def parse_svg(data: bytes) -> SvgFile:
    """Read an SVG document.

    Raises
    ------
    BadFileError
        When it is no SVG, has nothing painted, or holds what would be dangerous to read.
    """
    if len(data) > MOST_BYTES:
        raise BadFileError(f"The drawing has {len(data) // 1_000_000} MB; at most {MOST_BYTES // 1_000_000} are read.")
    check_tags(data)
    root = safe_tree(data)
    check_size(root)
    reading = Reading()
    rules = rules_told(root)
    cleaned(root, reading)
    canvas = _canvas(root)
    for name in ("viewBox", "width", "height", "x", "y", "preserveAspectRatio"):
        root.attrib.pop(name, None)  # what is computed with are user units
    try:
        # Percentages are of what the view box shows; a document that says no size has that of its kind (CSS 2.1, 10.3).
        in_user_units(root, (canvas.view[2], canvas.view[3]) if canvas is not None else NO_SIZE)
        # As it stands: the package's own turning of arcs and basic shapes makes others of them.
        document = svgelements.SVG.parse(io.BytesIO(ElementTree.tostring(root)), reify=False)
        shapes = tuple(_shapes(document, reading))
    except BadFileError:
        raise
    except (ValueError, TypeError, AttributeError, IndexError, KeyError, ZeroDivisionError, RecursionError) as error:
        raise BadFileError(f"The drawing is broken: it cannot be read ({type(error).__name__}).") from None
    count = sum(len(p.controls) for s in shapes for p in s.subpaths)
    if count == 0:
        raise BadFileError("The drawing holds no paths or shapes that are painted.")
    check_controls(count)
    if canvas is None:
        canvas = _round(shapes)
    return SvgFile(data, canvas, _in_parts(shapes, reading), rules, reading.sentences())


def _canvas(root: ElementTree.Element) -> Canvas | None:
    width, height = root.attrib.get("width", ""), root.attrib.get("height", "")
    try:
        told = [float(x) for x in re.split(r"[\s,]+", root.attrib.get("viewBox", "").strip()) if x]
        if len(told) != 4:
            told = [0.0, 0.0, float(svgelements.Length(width)), float(svgelements.Length(height))]
    except (ValueError, TypeError):
        return None
    if not np.isfinite(told).all() or told[2] <= 0 or told[3] <= 0:
        return None
    return Canvas((told[0], told[1], told[2], told[3]), width, height)


def _round(shapes: tuple[SvgShape, ...]) -> Canvas:
    """A canvas round what is drawn, for a document that says none."""
    every = np.concatenate([p.controls.reshape(-1, 2) for s in shapes for p in s.subpaths])
    low, high = every.min(axis=0), every.max(axis=0)
    margin = 0.05 * float((high - low).max())
    x, y, w, h = (float(v) for v in (*(low - margin), *(high - low + 2 * margin)))
    return Canvas((x, y, w, h))


def _shapes(document: Any, reading: Reading) -> Iterator[SvgShape]:
    """The painted shapes below a group, in the order of painting."""
    waiting: list[tuple[Any, str]] = [(document, "")]
    while waiting:
        element, group = waiting.pop()
        key = element.values.get(KEY, "") if isinstance(getattr(element, "values", None), dict) else ""
        if isinstance(element, svgelements.Group | svgelements.Use):
            inner = key if reading.groups.get(key) and element is not document else group
            waiting += [(child, inner) for child in reversed(list(element))]
        elif isinstance(element, svgelements.Shape):
            shape = _shape(element, key, group, reading)
            if shape is not None:
                yield shape


def _shape(element: Any, key: str, group: str, reading: Reading) -> SvgShape | None:
    values = element.values
    matrix = element.transform
    linear = np.array([[matrix.a, matrix.c], [matrix.b, matrix.d]], np.float64)
    moved = np.array([matrix.e, matrix.f], np.float64)
    name = reading.names.get(key, "")
    if values.get("visibility") in ("hidden", "collapse") or values.get("display") == "none":
        return None
    opacity = reading.opacity.get(key, 1.0)
    width = float(element.implicit_stroke_width) if element.stroke_width is not None else 1.0
    fill = _fill(element, opacity)
    stroke = _stroke(element, opacity, width, tuple(reading.hidden.get(key, ())))
    if fill is None and stroke is None:
        return None
    subpaths: list[Subpath] = []
    wide = reading.widths.get(key) or []
    single = at = 0
    for controls, closed in runs_of(element.segments(transformed=False)):
        if len(controls) < 2:
            single += 1
            continue
        own = wide[at : at + len(controls)]
        widths = np.array(own if len(own) == len(controls) else [width] * len(controls), np.float64)
        subpaths.append(Subpath(np.array(controls, np.float64) @ linear.T + moved, widths, closed))
        at += len(controls)
    if single:
        reading.notes.append(f"“{name or 'A path'}” has a run of one point only, which was left out.")
    if not subpaths:
        return None
    if not all(bool(np.isfinite(p.controls).all()) and np.abs(p.controls).max() < 1e7 for p in subpaths):
        raise BadFileError(f"The drawing is broken: “{name or 'a path'}” has a point that is no place (NaN).")
    told = "" if single else reading.told.get(key, "")
    return SvgShape(name, group, tuple(subpaths), fill, stroke, told)


def _fill(element: Any, opacity: float) -> Fill | None:
    colour = element.fill
    if colour is None or colour.value is None or colour.opacity == 0:
        return None
    rule = "evenodd" if element.values.get("fill-rule") == "evenodd" else "nonzero"
    return Fill(colour.hexrgb, _opacity(element, "fill", opacity), rule)  # type: ignore[arg-type]


def _opacity(element: Any, what: str, above: float) -> float:
    """How opaque a fill or a stroke is, times what holds for the whole; as it is told, not in steps of 1/255."""
    try:
        own = float(svgelements.Color(element.values.get(what, "black")).opacity)
    except (ValueError, TypeError):
        own = 1.0
    return round(own * share_told(element.values.get(f"{what}-opacity")) * above, 4)


def _stroke(element: Any, opacity: float, width: float, hidden: tuple[int, ...]) -> Stroke | None:
    colour, values = element.stroke, element.values
    if colour is None or colour.value is None or colour.opacity == 0 or not (width > 0 and np.isfinite(width)):
        return None
    try:
        miter = float(values.get("stroke-miterlimit", 4.0))
    except ValueError:
        miter = 4.0
    cap, join = values.get("stroke-linecap", "butt"), values.get("stroke-linejoin", "miter")
    dashes = values.get("stroke-dasharray", "none")
    return Stroke(
        colour.hexrgb, _opacity(element, "stroke", opacity),
        cap if cap in ("butt", "round", "square") else "butt",
        join if join in ("miter", "round", "bevel") else "miter", miter,
        "" if dashes == "none" or not re.fullmatch(r"[0-9.,\s]+", dashes) else dashes.strip(), hidden,
    )  # fmt: skip


def _in_parts(shapes: tuple[SvgShape, ...], reading: Reading) -> tuple[SvgShape, ...]:
    """The shapes with the names of their parts: groups, or each by itself where one group holds them all."""
    groups = {s.group for s in shapes}
    whole = len(groups) == 1 and not groups & reading.ours
    out: list[SvgShape] = []
    taken: set[str] = set()
    numbers: dict[str, int] = {}
    last: tuple[str, str] | None = None  # of the run that the shape before belongs to
    for shape in shapes:
        if last is not None and not whole and shape.group and shape.group == last[0]:
            out.append(replace(shape, group=last[1]))
            continue
        alone = whole or not shape.group
        wanted = (shape.name if alone else reading.names.get(shape.group, "")) or shape.name or "shape"
        label = free_name(wanted, taken, numbers, " ")
        last = (shape.group, label)
        out.append(replace(shape, name=shape.name or label, group=label))
    return tuple(out)
