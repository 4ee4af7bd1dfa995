"""A drawing over a clip as a Lottie file: paths of shapes with keys in every frame, the corrections in them.

After the open specification of the Lottie Animation Community (lottie.github.io/lottie-spec, version 1.0).
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from plethos.core.formats.drawn_frames import Frames, Thing
from plethos.core.formats.svg_file import Canvas
from plethos.core.geometry.outlines import AFTER, BEFORE, POINT
from plethos.core.geometry.rotations import Array
from plethos.core.geometry.stroke_outline import ribbon

DIGITS = 3
CAPS = {"butt": 1, "round": 2, "square": 3}
JOINS = {"miter": 1, "round": 2, "bevel": 3}
# A key that goes evenly on to the next.
EVENLY = {"i": {"x": [1], "y": [1]}, "o": {"x": [0], "y": [0]}}


def lottie(frames: Frames, canvas: Canvas, title: str) -> dict[str, Any]:
    """The document."""
    x, y, w, h = canvas.view
    count = len(frames)
    # Where the order of painting changes, the layers begin and end with it.
    layers: list[dict[str, Any]] = []
    for first, last, order in frames.spans():
        span = (first, last if last < count else max(count - 1, 1))
        layers += [_layer(thing, len(layers) + k, span, (x, y)) for k, thing in enumerate(frames.things(order))]
    return {
        "v": "5.7.0", "nm": title, "fr": frames.rate, "ip": 0, "op": max(count - 1, 1), "w": round(w), "h": round(h),
        "ddd": 0, "assets": [], "layers": layers[::-1],  # the first of a Lottie is in front
    }  # fmt: skip


def _layer(thing: Thing, index: int, span: tuple[int, int], corner: tuple[float, float]) -> dict[str, Any]:
    drawn, stroke = thing.drawn, thing.drawn.stroke
    groups = []
    widths = thing.stroke_widths if stroke is not None else None
    whole = stroke is None or (widths is not None and thing.is_whole)
    styles: list[dict[str, Any]] = []
    if stroke is not None and widths is not None:
        styles.append(_stroke(thing, widths))
    if drawn.fill is not None:
        styles.append(
            {"ty": "fl", "c": _still(_rgb(drawn.fill.colour)), "o": _still(100 * drawn.fill.opacity),
             "r": 2 if drawn.fill.rule == "evenodd" else 1}
        )  # fmt: skip
    paths = [_path(thing, n, corner) for n in drawn.curves]
    if whole:
        groups.append(_group(drawn.name, [*paths, *styles]))
    else:
        # In front the line, in its pieces or as a band, behind it the inside.
        if widths is not None:
            groups.append(_group(f"{drawn.name} line", [*_pieces(thing, corner), _stroke(thing, widths)]))
        else:
            assert stroke is not None
            paint = {"ty": "fl", "c": _still(_rgb(stroke.colour)), "o": _still(100 * stroke.opacity), "r": 1}
            groups.append(_group(f"{drawn.name} line", [*_bands(thing, corner), paint]))
        if drawn.fill is not None:
            groups.append(_group(drawn.name, [*paths, styles[-1]]))
    return {
        "ty": 4, "nm": f"{thing.part.name}: {drawn.name}", "ind": index + 1, "ip": span[0], "op": span[1], "st": 0,
        "sr": 1, "bm": 0, "ddd": 0, "ks": _transform(), "shapes": groups,
    }  # fmt: skip


def _group(name: str, items: list[dict[str, Any]]) -> dict[str, Any]:
    return {"ty": "gr", "nm": name, "it": [*items, {"ty": "tr", **_transform()}]}


def _transform() -> dict[str, Any]:
    return {"a": _still([0, 0]), "p": _still([0, 0]), "s": _still([100, 100]), "r": _still(0), "o": _still(100)}


def _still(value: Any) -> dict[str, Any]:
    return {"a": 0, "k": value}


def _stroke(thing: Thing, widths: Array) -> dict[str, Any]:
    stroke = thing.drawn.stroke
    assert stroke is not None
    keyed = _still(round(float(widths[0]), DIGITS))
    if np.ptp(widths) > 0:
        keyed = {"a": 1, "k": _keys([[round(float(w), DIGITS)] for w in widths])}
    return {
        "ty": "st", "c": _still(_rgb(stroke.colour)), "o": _still(100 * stroke.opacity), "w": keyed,
        "lc": CAPS[stroke.cap], "lj": JOINS[stroke.join], "ml": stroke.miter,
    }  # fmt: skip


def _keys(values: Sequence[Any]) -> list[dict[str, Any]]:
    """A key for every frame; the last goes nowhere."""
    return [{"t": k, "s": v, **EVENLY} for k, v in enumerate(values[:-1])] + [{"t": len(values) - 1, "s": values[-1]}]


def _shape(controls: Array, closed: bool) -> dict[str, Any]:
    """Control points ``(N, 3, 2)`` as a Bezier: handles are told from their point."""
    at = controls[:, POINT]
    return {
        "c": closed, "v": _told(at), "i": _told(controls[:, BEFORE] - at), "o": _told(controls[:, AFTER] - at)
    }  # fmt: skip


def _told(places: Array) -> list[list[float]]:
    return [[float(v) for v in p] for p in np.round(places, DIGITS).tolist()]


def _keyed(name: str, shapes: list[dict[str, Any]]) -> dict[str, Any]:
    same = all(s == shapes[0] for s in shapes)
    return {"ty": "sh", "nm": name, "ks": _still(shapes[0]) if same else {"a": 1, "k": _keys([[s] for s in shapes])}}


def _placed(points: Array, corner: tuple[float, float]) -> Array:
    return np.asarray(points[..., :2] * [1, -1] - corner)


def _path(thing: Thing, number: int, corner: tuple[float, float]) -> dict[str, Any]:
    curve = thing.surface.curves[number]
    rows = slice(3 * curve.first, 3 * (curve.first + curve.count))
    shapes = [_shape(_placed(p[rows].astype(np.float64), corner).reshape(-1, 3, 2), curve.closed) for p in thing.points]
    return _keyed(f"curve {number}", shapes)


def _pieces(thing: Thing, corner: tuple[float, float]) -> list[dict[str, Any]]:
    """The runs of the line between hidden edges."""
    assert thing.drawn.stroke is not None
    out = []
    for number in thing.drawn.curves:
        for run in thing.drawn.stroke.runs(thing.surface.curves[number]):
            rows = (3 * np.array(run)[:, None] + np.arange(3)).ravel()
            shapes = [
                _shape(_placed(p[rows].astype(np.float64), corner).reshape(-1, 3, 2), False) for p in thing.points
            ]
            out.append(_keyed(f"curve {number}", shapes))
    return out


def _bands(thing: Thing, corner: tuple[float, float]) -> list[dict[str, Any]]:
    """A line whose width varies as closed bands."""
    rings = [ribbon(thing.drawn, thing.surface, p.astype(np.float64), w)
             for p, w in zip(thing.points, thing.widths, strict=True)]  # fmt: skip
    out = []
    for k in range(len(rings[0])):
        shapes = [_shape(np.repeat(_placed(r[k], corner)[:, None], 3, axis=1), True) for r in rings]
        out.append(_keyed(f"band {k}", shapes))
    return out


def _rgb(colour: str) -> list[float]:
    return [round(int(colour[k : k + 2], 16) / 255, 4) for k in (1, 3, 5)] + [1]
