"""An SVG document made safe: nothing in it is run or fetched, and every element is known by a key.

Scripts, links outward and entities go before anything else looks at it; what was left out is told.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any
from xml.etree import ElementTree

import numpy as np
import svgelements  # type: ignore[import-untyped]
from defusedxml import ElementTree as SafeTree
from defusedxml.common import DefusedXmlException

from plethos.core.errors import BadFileError

OWN = "urn:plethos:drawing"  # the namespace of what we add
SVG = "http://www.w3.org/2000/svg"
MOST_DEEP = 200
KEY = "data-plethos-key"
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


@dataclass
class Reading:
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


def safe_tree(data: bytes) -> ElementTree.Element:
    """The tree of a document, its entities refused.

    Raises
    ------
    BadFileError
        When it is no SVG, declares entities, or holds too much.
    """
    try:
        root: ElementTree.Element = SafeTree.fromstring(data, forbid_dtd=False, forbid_entities=True)
    except DefusedXmlException:
        raise BadFileError("The drawing declares entities: save it without, they are not read.") from None
    except (ElementTree.ParseError, ValueError, LookupError):
        raise BadFileError("The drawing is broken: it is no well-formed XML.") from None
    if local(root.tag) != "svg":
        raise BadFileError(f"This is no SVG drawing: it begins with <{local(root.tag)[:40]}>.")
    return root


def local(tag: object) -> str:
    """The name of an element or attribute without its namespace."""
    return tag.rsplit("}", 1)[-1] if isinstance(tag, str) else ""


def rules_told(root: ElementTree.Element) -> dict[str, Any] | None:
    """What a document holds of ours; None for nothing."""
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


def cleaned(root: ElementTree.Element, reading: Reading) -> None:
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
        reading.groups[key] = local(element.tag) in ("g", "svg")
        if f"{{{OWN}}}label" in element.attrib:
            reading.ours.add(key)
        style = dict(styled(element.attrib.get("style", "")))
        own = share_told(element.attrib.pop("opacity", None) or style.pop("opacity", None))
        reading.opacity[key] = opacity * own
        # What is used elsewhere, or lies in a document of its own, is placed by that too.
        placed = placed or local(element.tag) in PLACING or bool({"transform", "x", "y"} & element.attrib.keys())
        placed = (placed and deep > 0) or "transform" in style
        if local(element.tag) == "path" and not placed:
            reading.told[key] = " ".join(element.attrib.get("d", "").split())
        for name, value in list(element.attrib.items()):
            if local(name).lower().startswith("on"):
                del element.attrib[name]
                reading.scripts += 1
            elif (local(name) == "href" and not value.strip().startswith("#")) or OUTWARD.search(value):
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
            kind = local(child.tag)
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


def _own_marks(element: ElementTree.Element, key: str, reading: Reading) -> None:
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
    labels = [v for k, v in element.attrib.items() if local(k) == "label" and v.strip()]
    return (labels[0] if labels else element.attrib.get("id", "")).strip()[:120]


def styled(text: str) -> Iterator[tuple[str, str]]:
    """The names and values of a style attribute."""
    for piece in text.split(";"):
        name, found, value = piece.partition(":")
        if found:
            yield name.strip(), value.strip()


def share_told(told: str | None) -> float:
    """An opacity as it is told, from 0 to 1; 1 for what is none."""
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
        if own is None or local(element.tag) not in ("linearGradient", "radialGradient", "pattern"):
            continue
        for child in element.iter():
            told = dict(styled(child.attrib.get("style", "")))
            colour = child.attrib.get("stop-color") or told.get("stop-color")
            if local(child.tag) == "stop" and colour:
                try:
                    stops.setdefault(own, []).append(svgelements.Color(colour))
                except ValueError:
                    continue
        to = [v for k, v in element.attrib.items() if local(k) == "href"]
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
