"""How much a drawing holds, counted before anything is made of it: what is used a million times is a million."""

from __future__ import annotations

import graphlib
import re
from collections import Counter
from xml.etree import ElementTree

from plethos.core.errors import BadFileError
from plethos.core.formats.svg_clean import LEFT_OUT, OWN, local

MOST_CONTROLS = 20_000
MOST_TAGS = 400_000  # of a document, as it stands
MOST_ELEMENTS = 200_000  # once all that is used stands where it is used
COMMAND = re.compile(r"[MmLlHhVvCcSsQqTtAa]")
NUMBER = re.compile(r"(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?")
TAKES = {"m": 2, "l": 2, "h": 1, "v": 1, "c": 6, "s": 4, "q": 4, "t": 2, "a": 7}  # numbers, by command
POINTS = {"rect": 4, "circle": 4, "ellipse": 4, "line": 2}
NOT_PAINTED = {"defs", "symbol", "metadata", *LEFT_OUT}  # where it stands


def check_tags(data: bytes) -> None:
    """Refuse a document whose tree would fill the memory, before there is one."""
    count = data.count(b"<") // 2
    if count > MOST_TAGS:
        raise BadFileError(f"The drawing has some {count} elements; at most {MOST_TAGS} are read.")


def check_controls(count: int) -> None:
    """Refuse a drawing of too many control points."""
    if count > MOST_CONTROLS:
        raise BadFileError(f"The drawing has {count} control points; at most {MOST_CONTROLS} are read.")


def check_size(root: ElementTree.Element) -> None:
    """Refuse a drawing that holds too much once all that it uses stands where it is used.

    Raises
    ------
    BadFileError
        Also when an element uses itself.
    """
    named = {e.attrib["id"]: e for e in reversed(list(root.iter())) if "id" in e.attrib}  # of equals the first
    inner: dict[ElementTree.Element, list[ElementTree.Element]] = {}
    for element in root.iter():
        ours = f"{{{OWN}}}d" in element.attrib  # its pieces are painted in its place
        inner[element] = [] if ours else [e for e in element if local(e.tag) not in NOT_PAINTED]
        if local(element.tag) == "use":
            to = [v.strip()[1:] for k, v in element.attrib.items() if local(k) == "href"]
            inner[element] += [named[n] for n in to[:1] if n in named]
    try:
        order = list(graphlib.TopologicalSorter(inner).static_order())
    except graphlib.CycleError:
        raise BadFileError("The drawing is broken: something in it uses itself.") from None
    points: Counter[ElementTree.Element] = Counter()
    elements: Counter[ElementTree.Element] = Counter()
    for element in order:
        points[element] = _least_controls(element) + sum(points[e] for e in inner[element])
        elements[element] = 1 + sum(elements[e] for e in inner[element])
    check_controls(points[root])
    if elements[root] > MOST_ELEMENTS:
        raise BadFileError(f"The drawing has {elements[root]} elements; at most {MOST_ELEMENTS} are read.")


def _least_controls(element: ElementTree.Element) -> int:
    """How many control points an element has by itself, at least: an arc may be several curves."""
    kind = local(element.tag)
    told = element.attrib.get(f"{{{OWN}}}d", element.attrib.get("d", "") if kind == "path" else "")
    if told:
        starts = [m.start() for m in COMMAND.finditer(told)]
        pieces = (told[a:b] for a, b in zip(starts, [*starts[1:], len(told)], strict=True))
        return sum(len(NUMBER.findall(piece)) // TAKES[piece[0].lower()] for piece in pieces)
    if kind in ("polyline", "polygon"):
        return len(NUMBER.findall(element.attrib.get("points", ""))) // 2
    return POINTS.get(kind, 0)
