"""The container: an SVG document, read safely into painted shapes of cubic curves in its own user units.

Nothing in it is run or fetched: scripts, links outward and entities go before anything else looks at it.
"""

from __future__ import annotations

import io
import json
import math
import re
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import Any
from xml.etree import ElementTree

import numpy as np
import svgelements  # type: ignore[import-untyped]
from defusedxml import ElementTree as SafeTree
from defusedxml.common import DefusedXmlException

from plethos.core.errors import BadFileError
from plethos.core.outlines import Fill, Stroke
from plethos.core.rotations import Array

OWN = "urn:plethos:drawing"  # the namespace of what we add
SVG = "http://www.w3.org/2000/svg"
MOST_CONTROLS = 20_000
MOST_BYTES = 40_000_000
MOST_DEEP = 200
MOST_NUMBERS = 12 * MOST_CONTROLS
KEY = "data-plethos-key"
NUMBER = re.compile(rb"[0-9]*\.?[0-9]+")
NAMED = re.compile(r"url\(\s*['\"]?#([^)'\"]+)['\"]?\s*\)")
OUTWARD = re.compile(r"url\(\s*['\"]?(?!#)", re.IGNORECASE)
# What a drawing may hold that is no outline: left out, and named.
LEFT_OUT = {
    "text": "text", "image": "pictures", "foreignObject": "foreign objects", "filter": "filters", "mask": "masks",
    "clipPath": "clipping paths", "marker": "markers", "video": "videos", "audio": "sounds", "iframe": "frames",
    "switch": "switches",
}  # fmt: skip
PLACING = ("svg", "symbol", "defs", "marker", "pattern", "use")
NEVER_RUN = {"script", "handler", "set", "animate", "animateTransform", "animateMotion", "animateColor", "discard"}


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


@dataclass
class _Reading:
    """What is known of the elements of a document while it is read, by the keys they were given."""

    names: dict[str, str] = field(default_factory=dict)
    groups: dict[str, bool] = field(default_factory=dict)
    ours: set[str] = field(default_factory=set)  # groups that we wrote: each is a part
    opacity: dict[str, float] = field(default_factory=dict)
    widths: dict[str, list[float]] = field(default_factory=dict)
    hidden: dict[str, list[int]] = field(default_factory=dict)
    told: dict[str, str] = field(default_factory=dict)
    left: dict[str, int] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)
    scripts: int = 0
    outward: int = 0

    def sentences(self) -> tuple[str, ...]:
        out = list(self.notes)
        if self.left:
            out.append("Left out, since they are no outlines: " + ", ".join(sorted(self.left)) + ".")
        if self.scripts:
            out.append("Scripts and animations of the drawing were left out: nothing of it is run.")
        if self.outward:
            out.append("What the drawing refers to outside of itself was left out: nothing is fetched.")
        return tuple(out)


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
    root = _tree(data)
    reading = _Reading()
    rules = _rules_of(root)
    _cleaned(root, reading)
    canvas = _canvas(root)
    for name in ("viewBox", "width", "height", "x", "y", "preserveAspectRatio"):
        root.attrib.pop(name, None)  # what is computed with are user units
    try:
        document = svgelements.SVG.parse(io.BytesIO(ElementTree.tostring(root)), reify=True)
        shapes = tuple(_shapes(document, reading))
    except BadFileError:
        raise
    except (ValueError, TypeError, AttributeError, IndexError, KeyError, ZeroDivisionError, RecursionError) as error:
        raise BadFileError(f"The drawing is broken: it cannot be read ({type(error).__name__}).") from None
    count = sum(len(p.controls) for s in shapes for p in s.subpaths)
    if count == 0:
        raise BadFileError("The drawing holds no paths or shapes that are painted.")
    if count > MOST_CONTROLS:
        raise BadFileError(f"The drawing has {count} control points; at most {MOST_CONTROLS} are read.")
    if canvas is None:
        canvas = _round(shapes)
    return SvgFile(data, canvas, _in_parts(shapes, reading), rules, reading.sentences())


def _tree(data: bytes) -> ElementTree.Element:
    try:
        root: ElementTree.Element = SafeTree.fromstring(data, forbid_dtd=False, forbid_entities=True)
    except DefusedXmlException:
        raise BadFileError("The drawing declares entities: save it without, they are not read.") from None
    except (ElementTree.ParseError, ValueError, LookupError):
        raise BadFileError("The drawing is broken: it is no well-formed XML.") from None
    if _local(root.tag) != "svg":
        raise BadFileError(f"This is no SVG drawing: it begins with <{_local(root.tag)[:40]}>.")
    numbers = sum(
        len(NUMBER.findall(value.encode())) for e in root.iter() for k, value in e.attrib.items()
        if k in ("d", "points") or k == f"{{{OWN}}}d"
    )  # fmt: skip
    if numbers > MOST_NUMBERS:
        raise BadFileError(f"The drawing has some {numbers // 6} control points; at most {MOST_CONTROLS} are read.")
    return root


def _local(tag: object) -> str:
    return tag.rsplit("}", 1)[-1] if isinstance(tag, str) else ""


def _rules_of(root: ElementTree.Element) -> dict[str, Any] | None:
    told = root.find(f"{{{SVG}}}metadata/{{{OWN}}}rules")
    if told is None or not told.text:
        return None
    try:
        rules = json.loads(told.text)
    except (ValueError, RecursionError):
        rules = None
    if not isinstance(rules, dict):
        raise BadFileError("What the drawing holds of Plethos (its joints and rules) is broken.")
    return rules


def _cleaned(root: ElementTree.Element, reading: _Reading) -> None:
    """Take out what is not read, in place, and give every element a key."""
    colours = _gradients(root)
    waiting = [(root, 1.0, 0, False)]
    while waiting:
        element, opacity, deep, placed = waiting.pop()
        if deep > MOST_DEEP:
            raise BadFileError(f"The drawing's groups are nested more than {MOST_DEEP} deep.")
        key = str(len(reading.names))
        _own_marks(element, key, reading)
        reading.names[key] = _name(element)
        reading.groups[key] = _local(element.tag) in ("g", "svg")
        if f"{{{OWN}}}label" in element.attrib:
            reading.ours.add(key)
        style = dict(_styled(element.attrib.get("style", "")))
        own = _share(element.attrib.pop("opacity", None) or style.pop("opacity", None))
        reading.opacity[key] = opacity * own
        # What is used elsewhere, or lies in a document of its own, is placed by that too.
        placed = placed or _local(element.tag) in PLACING or bool({"transform", "x", "y"} & element.attrib.keys())
        placed = (placed and deep > 0) or "transform" in style
        if _local(element.tag) == "path" and not placed:
            reading.told[key] = " ".join(element.attrib.get("d", "").split())
        for name, value in list(element.attrib.items()):
            if _local(name).lower().startswith("on"):
                del element.attrib[name]
                reading.scripts += 1
            elif (_local(name) == "href" and not value.strip().startswith("#")) or OUTWARD.search(value):
                del element.attrib[name]
                reading.outward += 1
            elif name in ("fill", "stroke"):
                element.attrib[name] = _plain(value, colours)
        if style:
            element.attrib["style"] = ";".join(f"{k}:{_plain(v, colours)}" for k, v in style.items()
                                               if not OUTWARD.search(v))  # fmt: skip
        else:
            element.attrib.pop("style", None)
        element.attrib[KEY] = key
        for child in list(element):
            kind = _local(child.tag)
            if kind in NEVER_RUN:
                reading.scripts += 1
                element.remove(child)
            elif kind in LEFT_OUT or kind == "metadata":
                if kind in LEFT_OUT:
                    reading.left[LEFT_OUT[kind]] = 1
                element.remove(child)
            elif kind == "path" and not _can_be_read(child):
                reading.notes.append(f"“{_name(child) or 'A path'}” cannot be read and was left out.")
                element.remove(child)
            else:
                waiting.append((child, reading.opacity[key], deep + 1, placed))


def _can_be_read(path: ElementTree.Element) -> bool:
    told = path.attrib.get("d", "")
    if re.search(r"nan|inf", told, re.IGNORECASE):
        return False
    try:
        svgelements.Path(told)
    except (ValueError, TypeError, IndexError, AttributeError, ZeroDivisionError):
        return False
    return True


def _own_marks(element: ElementTree.Element, key: str, reading: _Reading) -> None:
    """A group of ours that is painted in several pieces is one shape: what it is stands beside it."""
    told = element.attrib.pop(f"{{{OWN}}}d", None)
    if told is None:
        return
    for child in list(element):
        element.remove(child)
    element.tag = f"{{{SVG}}}path"
    element.attrib["d"] = told
    try:
        widths = [float(w) for w in element.attrib.pop(f"{{{OWN}}}widths", "").split()]
        hidden = [int(k) for k in element.attrib.pop(f"{{{OWN}}}hidden", "").split()]
    except ValueError:
        raise BadFileError("The drawing is broken: the widths of one of its lines are no numbers.") from None
    reading.widths[key], reading.hidden[key] = widths, hidden


def _name(element: ElementTree.Element) -> str:
    labels = [v for k, v in element.attrib.items() if _local(k) == "label" and v.strip()]
    return (labels[0] if labels else element.attrib.get("id", "")).strip()[:120]


def _styled(text: str) -> Iterator[tuple[str, str]]:
    for piece in text.split(";"):
        name, found, value = piece.partition(":")
        if found:
            yield name.strip(), value.strip()


def _share(told: str | None) -> float:
    try:
        value = float((told or "1").rstrip("%")) / (100 if (told or "").endswith("%") else 1)
    except ValueError:
        return 1.0
    return min(1.0, max(0.0, value)) if np.isfinite(value) else 1.0


def _gradients(root: ElementTree.Element) -> dict[str, str]:
    """A plain colour for each gradient and pattern: the middle of its stops."""
    stops: dict[str, list[svgelements.Color]] = {}
    linked: dict[str, str] = {}
    for element in root.iter():
        own = element.attrib.get("id")
        if own is None or _local(element.tag) not in ("linearGradient", "radialGradient", "pattern"):
            continue
        for child in element.iter():
            told = dict(_styled(child.attrib.get("style", "")))
            colour = child.attrib.get("stop-color") or told.get("stop-color")
            if _local(child.tag) == "stop" and colour:
                try:
                    stops.setdefault(own, []).append(svgelements.Color(colour))
                except ValueError:
                    continue
        to = [v for k, v in element.attrib.items() if _local(k) == "href"]
        if to and to[0].startswith("#"):
            linked[own] = to[0][1:]
    out = {}
    for own in {*stops, *linked}:
        colours = stops.get(own) or stops.get(linked.get(own, ""), [])
        if colours:
            rgb = [round(sum(getattr(c, k) for c in colours) / len(colours)) for k in ("red", "green", "blue")]
            out[own] = "#{:02x}{:02x}{:02x}".format(*rgb)
    return out


def _plain(value: str, colours: dict[str, str]) -> str:
    named = NAMED.search(value)
    return colours.get(named.group(1), "#888888") if named else value


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


def _shapes(document: Any, reading: _Reading) -> Iterator[SvgShape]:
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


def _shape(element: Any, key: str, group: str, reading: _Reading) -> SvgShape | None:
    values = element.values
    path = svgelements.Path(element)
    name = reading.names.get(key, "")
    if values.get("visibility") in ("hidden", "collapse") or values.get("display") == "none":
        return None
    opacity = reading.opacity.get(key, 1.0)
    width = float(element.stroke_width) if element.stroke_width is not None else 1.0
    fill = _fill(element, opacity)
    stroke = _stroke(element, opacity, width, tuple(reading.hidden.get(key, ())))
    if fill is None and stroke is None:
        return None
    subpaths: list[Subpath] = []
    wide = reading.widths.get(key) or []
    single = 0
    for controls, closed in _runs(path):
        if len(controls) < 2:
            single += 1
            continue
        at = sum(len(p.controls) for p in subpaths)
        own = wide[at : at + len(controls)]
        widths = np.array(own if len(own) == len(controls) else [width] * len(controls), np.float64)
        subpaths.append(Subpath(np.array(controls, np.float64), widths, closed))
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
    return round(own * _share(element.values.get(f"{what}-opacity")) * above, 4)


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


def _runs(path: Any) -> Iterator[tuple[list[list[Any]], bool]]:
    """The runs of a path as control points ``[point, before, after]``, and whether each is closed."""
    run: list[list[Any]] = []
    closed = False
    last: tuple[str, Any] = ("", None)
    for segment in path:
        kind = type(segment).__name__
        if kind == "Move":
            if run:
                yield run, closed
            run, closed, last = [_corner(segment.end)], False, ("", None)
            continue
        if closed:  # goes on after a closing: from where that run began
            yield run, True
            run, closed = [_corner(run[0][0])], False
        if kind == "Close":
            closed = True
            # A last point that lies on the first one is that one.
            if len(run) > 2 and np.hypot(*(np.array(run[-1][0]) - run[0][0])) <= 1e-6 * _size(run):
                run[0][1] = run[-1][1]
                run.pop()
            continue
        if not run:
            run = [_corner(segment.start)]
        first = _first_control(segment, kind, last)
        last = (kind, _last_control(segment, kind, first))
        for one, two, end in _cubics(segment, kind, first):
            run[-1][2] = one
            run.append([end, two, end])
    if run:
        yield run, closed


def _first_control(segment: Any, kind: str, last: tuple[str, Any]) -> Any:
    """The first control point of a curve; None for what is no curve.

    Of a curve that goes on smoothly it is the last one before it, seen through its start, but only after a curve of the
    same kind (SVG 1.1, 8.3.6 and 8.3.7): the package takes that of any curve.
    """
    if kind not in ("CubicBezier", "QuadraticBezier"):
        return None
    told = _pair(segment.control1 if kind == "CubicBezier" else segment.control)
    if not segment.smooth:
        return told
    x, y = _pair(segment.start)
    return (2 * x - last[1][0], 2 * y - last[1][1]) if last[0] == kind else (x, y)


def _last_control(segment: Any, kind: str, first: Any) -> Any:
    return _pair(segment.control2) if kind == "CubicBezier" else first


def _cubics(segment: Any, kind: str, first: Any) -> Iterator[tuple[Any, Any, Any]]:
    """A segment as cubic curves: two handles and the end of each. An arc is one for every quarter that it spans."""
    if kind == "Arc":
        quarters = max(1, math.ceil(abs(float(segment.sweep)) / (math.pi / 2) - 1e-9))
        # The package's handles touch the arc's curvature; these keep its radius to 2.8e-4 of a quarter's.
        turn = abs(float(segment.sweep)) / quarters
        theirs = math.sin(turn) * (math.sqrt(4 + 3 * math.tan(turn / 2) ** 2) - 1) / 3
        longer = 4 / 3 * math.tan(turn / 4) / theirs if theirs > 1e-12 else 1.0
        for curve in segment.as_cubic_curves(quarters):
            ends = (curve.start, curve.control1, curve.control2, curve.end)
            a, one, two, d = (np.array(_pair(p)) for p in ends)
            yield tuple((a + longer * (one - a)).tolist()), tuple((d + longer * (two - d)).tolist()), tuple(d.tolist())
        return
    start, end = _pair(segment.start), _pair(segment.end)
    if kind == "CubicBezier":
        yield first, _pair(segment.control2), end
    elif kind == "QuadraticBezier":
        before, after = ([p + 2 / 3 * (m - p) for p, m in zip(at, first, strict=True)] for at in (start, end))
        yield tuple(before), tuple(after), end
    else:
        yield start, end, end


def _corner(point: Any) -> list[Any]:
    at = point if isinstance(point, tuple) else _pair(point)
    return [at, at, at]


def _pair(point: Any) -> tuple[float, float]:
    return (float(point.x), float(point.y))


def _size(run: list[list[Any]]) -> float:
    places = np.array([c[0] for c in run])
    return max(float(np.abs(places - places[0]).max()), 1e-12)


def _in_parts(shapes: tuple[SvgShape, ...], reading: _Reading) -> tuple[SvgShape, ...]:
    """The shapes with the names of their parts: groups, or each by itself where one group holds them all."""
    groups = {s.group for s in shapes}
    whole = len(groups) == 1 and not groups & reading.ours
    out: list[SvgShape] = []
    taken: set[str] = set()
    last: tuple[str, str] | None = None  # of the run that the shape before belongs to
    for shape in shapes:
        if last is not None and not whole and shape.group and shape.group == last[0]:
            out.append(replace(shape, group=last[1]))
            continue
        alone = whole or not shape.group
        wanted = (shape.name if alone else reading.names.get(shape.group, "")) or shape.name or "shape"
        label, k = wanted, 2
        while label in taken:
            label, k = f"{wanted} {k}", k + 1
        taken.add(label)
        last = (shape.group, label)
        out.append(replace(shape, name=shape.name or label, group=label))
    return tuple(out)
