"""What the demo is drawn with: smooth closed lines, limbs that taper along their bones, and SVG text."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import CubicSpline

Place = tuple[float, float]
Places = NDArray[np.float64]
INK = "#2c2a35"


def _f(x: float) -> str:
    return f"{x:.2f}".rstrip("0").rstrip(".")


def smooth(points: Sequence[Place], closed: bool = True, corners: Sequence[int] = (), ease: float = 1.0) -> str:
    """A line through points as ``d`` says it; handles lie along the line between the neighbours.

    Parameters
    ----------
    corners
        Which points are corners: their handles lie in them.
    ease
        How long the handles are, of a third of the way to the next point.
    """
    p = np.array(points, float)
    n = len(p)
    before, after = np.zeros_like(p), np.zeros_like(p)
    for k in range(n):
        one, other = p[(k - 1) % n], p[(k + 1) % n]
        if k in corners or (not closed and k in (0, n - 1)):
            before[k] = after[k] = p[k]
            continue
        way = (other - one) / max(float(np.linalg.norm(other - one)), 1e-9)
        before[k] = p[k] - way * np.linalg.norm(p[k] - one) * ease / 3
        after[k] = p[k] + way * np.linalg.norm(other - p[k]) * ease / 3
    out = [f"M{_f(p[0, 0])} {_f(p[0, 1])}"]
    for k in range(n if closed else n - 1):
        m = (k + 1) % n
        out.append("C" + " ".join(f"{_f(q[0])} {_f(q[1])}" for q in (after[k], before[m], p[m])))
    return "".join(out) + ("Z" if closed else "")


def limb(
    bones: Sequence[Place],
    widths: Sequence[tuple[float, float]],
    each: int = 3,
    curved: bool = False,
    end: float = 0.9,
) -> list[Place]:
    """The outline of a limb along its bones, from the left of its start round its end and back.

    Parameters
    ----------
    bones
        Joints ``(N,)`` from the start to the end.
    widths
        At each joint, how far the outline lies to the left and to the right of the bone.
    each
        How many points on each side of a bone.
    curved
        Whether the limb goes through its joints in a curve, or straight from one to the next.
    end
        How far its end is rounded out, of half its width: a sleeve is cut off nearly straight.
    """
    places = np.array(bones, float)
    t = np.concatenate([np.arange(each) / each + k for k in range(len(bones) - 1)] + [[len(bones) - 1]])
    whole = np.arange(len(bones))
    centre = np.stack([np.interp(t, whole, places[:, c]) for c in (0, 1)], axis=1)
    if curved:
        centre = CubicSpline(whole, places)(t)
    sides = np.stack([np.interp(t, whole, np.array(widths)[:, c]) for c in (0, 1)], axis=1)
    along = np.gradient(centre, axis=0)
    along /= np.linalg.norm(along, axis=1, keepdims=True)
    across = np.stack([along[:, 1], -along[:, 0]], axis=1)
    left, right = centre + across * sides[:, :1], centre - across * sides[:, 1:]
    start = centre[0] - along[0] * sides[0].mean() * 0.9
    tip = centre[-1] + along[-1] * sides[-1].mean() * end
    line = [*left, tip, *right[::-1], start]
    return [(float(x), float(y)) for x, y in line]


@dataclass
class Sheet:
    """A drawing in the making: named groups of shapes, from back to front."""

    width: float
    height: float
    rows: list[str] = field(default_factory=list)

    def group(self, name: str, *shapes: str) -> None:
        """One part."""
        self.rows.append(f'<g id="{name}">\n' + "\n".join(shapes) + "\n</g>")

    def text(self, title: str) -> str:
        """The whole as SVG."""
        head = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {_f(self.width)} {_f(self.height)}">'
        return "\n".join([head, f"<title>{title}</title>", *self.rows, "</svg>", ""])


def shape(name: str, line: str, fill: str | None, ink: float = 3.0, rule: str = "", colour: str = INK) -> str:
    """A painted shape; without ink it has no line."""
    stroke = (
        f' stroke="{colour}" stroke-width="{_f(ink)}" stroke-linejoin="round" stroke-linecap="round"' if ink else ""
    )
    odd = f' fill-rule="{rule}"' if rule else ""
    return f'<path id="{name}" d="{line}" fill="{fill or "none"}"{odd}{stroke}/>'
