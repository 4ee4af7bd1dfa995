"""What depends on where it stands in a drawing, made plain: relative lengths, and documents in the document."""

from __future__ import annotations

import math
import re
from xml.etree import ElementTree

from plethos.core.errors import BadFileError
from plethos.core.formats.svg_clean import SVG, local, styled

LENGTH = re.compile(r"\s*([-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)\s*(%|em|rem|ex|ch)\s*")
# What a percentage is of (SVG 1.1, 7.10): the width, the height, or the diagonal over the root of two.
OF_WIDTH = {"x", "x1", "x2", "cx", "rx", "width", "dx"}
OF_HEIGHT = {"y", "y1", "y2", "cy", "ry", "height", "dy"}
OF_BOTH = {"r", "stroke-width", "stroke-dashoffset"}
FONT = 16.0  # the size of a font that nobody says, user units
VIEWS = ("svg", "symbol")
SHARES = {"Min": 0.0, "Mid": 0.5, "Max": 1.0}  # of the room that is left, before what is shown
Size = tuple[float, float]


def in_user_units(root: ElementTree.Element, size: Size) -> None:
    """Replace relative lengths in place, and documents in the document by groups that stand where they did.

    Parameters
    ----------
    size
        What percentages of the outermost elements are of: the width and height that are shown, user units.
    """
    waiting = [(child, size, _font(root, FONT)) for child in root]
    while waiting:
        element, (wide, high), font = waiting.pop()
        font = _font(element, font)
        diagonal = math.hypot(wide, high) / math.sqrt(2)
        whole = {**dict.fromkeys(OF_WIDTH, wide), **dict.fromkeys(OF_HEIGHT, high), **dict.fromkeys(OF_BOTH, diagonal)}
        for name, of in whole.items():
            if name in element.attrib:
                element.attrib[name] = _plain(element.attrib[name], of, font)
        if "style" in element.attrib:
            pairs = styled(element.attrib["style"])
            element.attrib["style"] = ";".join(
                f"{k}:{_plain(v, whole[k], font) if k in whole else v}" for k, v in pairs
            )
        inner = _view(element, (wide, high)) if local(element.tag) in VIEWS else (wide, high)
        waiting += [(child, inner, font) for child in element]
        if local(element.tag) == "svg":
            _become_group(element, (wide, high))


def _become_group(element: ElementTree.Element, above: Size) -> None:
    """A document in the document as a group: placed, and sized as its view box fits (SVG 1.1, 7.8)."""
    told = element.attrib
    otherwise = {"x": 0.0, "y": 0.0, "width": above[0], "height": above[1]}
    try:
        x, y, wide, high = (float(told.pop(name, other)) for name, other in otherwise.items())
        view = [float(v) for v in re.split(r"[\s,]+", told.pop("viewBox", "").strip()) if v]
    except ValueError:
        raise BadFileError("The drawing is broken: a document in it has a place or a size that is no number.") from None
    how = told.pop("preserveAspectRatio", "xMidYMid meet")
    placed = f"translate({x} {y})"
    if len(view) == 4 and view[2] > 0 and view[3] > 0:
        across, up = wide / view[2], high / view[3]
        if not how.strip().startswith("none"):
            across = up = (max if "slice" in how else min)(across, up)
        left = [(size - scale * own) * next((s for n, s in SHARES.items() if axis + n in how), 0.5)
                for axis, size, scale, own in (("x", wide, across, view[2]), ("Y", high, up, view[3]))]  # fmt: skip
        placed += f" translate({left[0]} {left[1]}) scale({across} {up}) translate({-view[0]} {-view[1]})"
    element.tag = f"{{{SVG}}}g"
    told["transform"] = f"{told.get('transform', '')} {placed}".strip()


def _view(element: ElementTree.Element, above: Size) -> Size:
    """What percentages inside of a document or symbol of its own are of."""
    told = re.split(r"[\s,]+", element.attrib.get("viewBox", "").strip())
    try:
        if len(told) == 4:
            return float(told[2]), float(told[3])
        return float(element.attrib.get("width", above[0])), float(element.attrib.get("height", above[1]))
    except ValueError:
        return above


def _font(element: ElementTree.Element, above: float) -> float:
    told = dict(styled(element.attrib.get("style", ""))).get("font-size", element.attrib.get("font-size", ""))
    found = re.fullmatch(r"\s*(\d+\.?\d*|\.\d+)(px|em|%)?\s*", told)
    if found is None:
        return above
    share = {"em": above, "%": above / 100}.get(found[2] or "", 1.0)
    return float(found[1]) * share


def _plain(told: str, of: float, font: float) -> str:
    found = LENGTH.fullmatch(told)
    if found is None:
        return told
    unit = {"%": of / 100, "em": font, "rem": FONT}.get(found[2], font / 2)  # half of the font where it says nothing
    return repr(float(found[1]) * unit)
